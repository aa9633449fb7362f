/* SPDX-License-Identifier: MIT */
#include "picture/surface.h"

#include <cairo-pdf.h>
#include <cairo-svg.h>
#include <fontconfig/fontconfig.h>
#include <string.h>

enum { LARGEST = 30000 /* points, either way: what cairo's images can be */ };

static bool fail(const struct zgi_surface *surface, cairo_status_t status, GError **error)
{
    g_set_error(error, ZG_PICTURE_ERROR, 0, "%s: %s", surface->path, cairo_status_to_string(status));
    return false;
}

static cairo_status_t write_bytes(void *closure, const unsigned char *data, unsigned length)
{
    (void)fwrite(data, 1, length, closure); /* whether that succeeds is seen at the end, with the reason */
    return CAIRO_STATUS_SUCCESS;
}

bool zgi_surface_begin(struct zgi_surface *surface, enum zg_picture_kind kind, const char *path, double width,
                       double height, GError **error)
{
    *surface = (struct zgi_surface){ .kind = kind, .path = path };
    if (width > LARGEST || height > LARGEST) {
        g_set_error(error, ZG_PICTURE_ERROR, 0, "%s: a picture of %.0f by %.0f points would be too large; draw less",
                    path, width, height);
        return false;
    }
    if (!zg_output_begin(&surface->output, path, error))
        return false;
    surface->surface =
        kind == ZG_PICTURE_SVG   ? cairo_svg_surface_create_for_stream(write_bytes, surface->output.file, width, height)
        : kind == ZG_PICTURE_PDF ? cairo_pdf_surface_create_for_stream(write_bytes, surface->output.file, width, height)
                                 : cairo_image_surface_create(CAIRO_FORMAT_RGB24, (int)width, (int)height);
    surface->cairo = cairo_create(surface->surface);
    zgi_colour(surface->cairo, 0xFFFFFF);
    cairo_paint(surface->cairo);
    return true;
}

bool zgi_surface_end(struct zgi_surface *surface, GError **error)
{
    cairo_status_t status = cairo_status(surface->cairo);

    cairo_destroy(surface->cairo);
    if (status == CAIRO_STATUS_SUCCESS && surface->kind == ZG_PICTURE_PNG)
        status = cairo_surface_write_to_png_stream(surface->surface, write_bytes, surface->output.file);
    cairo_surface_finish(surface->surface);
    if (status == CAIRO_STATUS_SUCCESS)
        status = cairo_surface_status(surface->surface);
    cairo_surface_destroy(surface->surface);
    cairo_debug_reset_static_data(); /* fonts that both libraries keep, which nobody draws with again */
    FcFini();
    const bool good = status == CAIRO_STATUS_SUCCESS;
    return zg_output_end(&surface->output, good, error) || (good ? false : fail(surface, status, error));
}

void zgi_colour(cairo_t *cairo, unsigned colour)
{
    cairo_set_source_rgb(cairo, (colour >> 16) / 255.0, (colour >> 8 & 255) / 255.0, (colour & 255) / 255.0);
}

static double width_of(cairo_t *cairo, const char *text)
{
    cairo_text_extents_t extents;
    cairo_text_extents(cairo, text, &extents);
    return extents.x_advance;
}

void zgi_text(cairo_t *cairo, double x, double y, double size, enum zgi_align align, double width, const char *text)
{
    g_autofree char *fits = g_strdup(text);

    cairo_set_font_size(cairo, size);
    for (glong length = g_utf8_strlen(fits, -1); width > 0 && length > 1 && width_of(cairo, fits) > width; length--) {
        g_autofree char *shorter = g_utf8_substring(text, 0, length - 1);
        g_free(fits);
        fits = g_strconcat(shorter, "…", NULL);
    }
    cairo_move_to(cairo, align == ZGI_MIDDLE ? x - width_of(cairo, fits) / 2 : x, y);
    cairo_show_text(cairo, fits);
}

void zgi_paragraph(cairo_t *cairo, double x, double y, double size, double width, unsigned lines, const char *text)
{
    g_auto(GStrv) words = g_strsplit(text, " ", -1);
    g_autoptr(GString) line = g_string_new(NULL);

    cairo_set_font_size(cairo, size);
    for (char **word = words; *word && lines > 0; word++) {
        g_autofree char *longer = g_strconcat(line->str, line->len > 0 ? " " : "", *word, NULL);
        if (line->len == 0 || lines == 1 || width_of(cairo, longer) <= width) {
            g_string_assign(line, longer);
            continue;
        }
        zgi_text(cairo, x, y, size, ZGI_LEFT, width, line->str);
        y += size * 1.25;
        lines--;
        g_string_assign(line, *word);
    }
    if (lines > 0)
        zgi_text(cairo, x, y, size, ZGI_LEFT, width, line->str);
}
