/* SPDX-License-Identifier: MIT */
#include "link/capture.h"

#include <errno.h>
#include <pcap/pcap.h>
#include <string.h>

enum {
    LINK_TYPE = DLT_USER0,
    HEADER = 4, /* version, kind, line errors, device */
    VERSION = 1,
    SNAP = 65535,
    PIECE = 4096
};

struct zg_capture_writer {
    pcap_t *format;
    pcap_dumper_t *file;
    char *path;
};

struct zg_capture_reader {
    pcap_t *file;
    char *path;
    uint64_t records;
    bool ended;
    bool is_cut; /* a record was, and that was reported */
};

static bool fail(GError **error, const char *path, const char *doing, int reason)
{
    g_set_error(error, ZG_CAPTURE_ERROR, 0, "cannot %s %s: %s", doing, path, g_strerror(reason));
    return false;
}

struct zg_capture_writer *zg_capture_create(const char *path, GError **error)
{
    FILE *file = fopen(path, "wbe");

    if (!file) {
        (void)fail(error, path, "create the capture", errno);
        return NULL;
    }
    struct zg_capture_writer *writer = g_new0(struct zg_capture_writer, 1);
    writer->path = g_strdup(path);
    writer->format = pcap_open_dead_with_tstamp_precision(LINK_TYPE, SNAP, PCAP_TSTAMP_PRECISION_NANO);
    writer->file = pcap_dump_fopen(writer->format, file);
    return writer;
}

/* The library shows a full disk only through the state of the underlying file. */
static bool is_good(const struct zg_capture_writer *writer, GError **error)
{
    return !ferror(pcap_dump_file(writer->file)) || fail(error, writer->path, "write the capture", errno ? errno : EIO);
}

bool zg_capture_add(struct zg_capture_writer *writer, enum zg_capture_kind kind, uint8_t device, uint64_t at_ns,
                    uint8_t line_errors, const uint8_t *bytes, size_t count, GError **error)
{
    uint8_t record[HEADER + PIECE] = { VERSION, (uint8_t)kind, line_errors, device };

    errno = 0;
    do {
        const size_t piece = MIN(count, PIECE);
        const struct pcap_pkthdr header = { { (time_t)(at_ns / 1000000000), (suseconds_t)(at_ns % 1000000000) },
                                            (bpf_u_int32)(HEADER + piece),
                                            (bpf_u_int32)(HEADER + piece) };
        memcpy(record + HEADER, bytes, piece);
        pcap_dump((u_char *)writer->file, &header, record);
        bytes += piece;
        count -= piece;
        record[2] = 0;
    } while (count > 0);
    return is_good(writer, error);
}

bool zg_capture_flush(struct zg_capture_writer *writer, GError **error)
{
    errno = 0;
    return pcap_dump_flush(writer->file) == 0 || fail(error, writer->path, "write the capture", errno);
}

bool zg_capture_close(struct zg_capture_writer *writer, GError **error)
{
    bool good = zg_capture_flush(writer, error);

    pcap_dump_close(writer->file);
    pcap_close(writer->format);
    g_free(writer->path);
    g_free(writer);
    return good;
}

struct zg_capture_reader *zg_capture_open(const char *path, GError **error)
{
    char message[PCAP_ERRBUF_SIZE];
    FILE *file = fopen(path, "rbe");

    if (!file) {
        (void)fail(error, path, "read the capture", errno);
        return NULL;
    }
    pcap_t *format = pcap_fopen_offline_with_tstamp_precision(file, PCAP_TSTAMP_PRECISION_NANO, message);
    if (!format) {
        g_set_error(error, ZG_CAPTURE_ERROR, 0, "%s is no capture: %s; for bytes without times use zeugma decode", path,
                    message);
        (void)fclose(file);
        return NULL;
    }
    if (pcap_datalink(format) != LINK_TYPE) {
        const char *name = pcap_datalink_val_to_name(pcap_datalink(format));
        g_set_error(error, ZG_CAPTURE_ERROR, 0,
                    "%s is a capture of something else: its link type is %s, that of a serial line is USER0", path,
                    name ? name : "unknown");
        pcap_close(format);
        return NULL;
    }
    struct zg_capture_reader *reader = g_new0(struct zg_capture_reader, 1);
    reader->file = format;
    reader->path = g_strdup(path);
    return reader;
}

void zg_capture_reader_free(struct zg_capture_reader *reader)
{
    if (!reader)
        return;
    pcap_close(reader->file);
    g_free(reader->path);
    g_free(reader);
}

static bool end(struct zg_capture_reader *reader, const char *why, char **damage)
{
    reader->ended = true;
    if (why)
        *damage = g_strdup_printf("%s is damaged after %" G_GUINT64_FORMAT " record%s, and was read up to there: %s",
                                  reader->path, reader->records, reader->records == 1 ? "" : "s", why);
    return false;
}

bool zg_capture_read(struct zg_capture_reader *reader, struct zg_record_read *record, char **damage)
{
    struct pcap_pkthdr *header;
    const u_char *bytes;

    if (reader->ended)
        return false;
    int result = pcap_next_ex(reader->file, &header, &bytes);
    if (result != 1)
        return end(reader, result == PCAP_ERROR_BREAK ? NULL : pcap_geterr(reader->file), damage);
    if (header->caplen < HEADER || bytes[0] != VERSION || bytes[1] > ZG_CAPTURE_DEVICE)
        return end(reader, "a record lacks the header that docs/capture.md describes", damage);
    reader->records++;
    if (header->caplen < header->len && !reader->is_cut) {
        reader->is_cut = true;
        *damage = g_strdup_printf("record %" G_GUINT64_FORMAT " of %s was cut short when it was written, with %u of %u "
                                  "bytes left; frames that extend beyond are read as noise",
                                  reader->records, reader->path, header->caplen, header->len);
    }
    *record = (struct zg_record_read){ (enum zg_capture_kind)bytes[1],
                                       (uint64_t)header->ts.tv_sec * 1000000000 + (uint64_t)header->ts.tv_usec,
                                       bytes[3],
                                       bytes[2],
                                       bytes + HEADER,
                                       header->caplen - HEADER };
    return true;
}
