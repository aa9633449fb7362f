/* SPDX-License-Identifier: MIT */
#include "diagnosis/causes.h"

enum { LEAST = 3 /* stretches */ };

void zgi_look_for_bytes(struct zgi_case *of)
{
    uint64_t missing = 0, doubled = 0, inserted = 0, stretches = 0;

    for (guint i = 0; i < of->marks->len; i++) {
        const struct zgi_mark *mark = zgi_mark_at(of, i);
        if (!(mark->asks & ~mark->answered & ZGI_WHY_SINGLES))
            continue;
        missing += mark->alignment.missing;
        doubled += mark->alignment.doubled;
        inserted += mark->alignment.inserted;
        stretches++;
    }
    if (stretches < LEAST)
        return;
    for (guint i = 0; i < of->marks->len; i++)
        if (!(zgi_mark_at(of, i)->answered & ZGI_WHY_SINGLES))
            zgi_answer(zgi_mark_at(of, i), ZG_CAUSE_BYTES, ZGI_WHY_SINGLES);
    struct zg_finding *finding =
        zgi_find(of, ZG_CAUSE_BYTES,
                 g_strdup_printf("%" G_GUINT64_FORMAT " missing, %" G_GUINT64_FORMAT " doubled, %" G_GUINT64_FORMAT
                                 " that nobody sent; no buffer overran then",
                                 missing, doubled, inserted));
    zgi_quantity(finding, "missing", (double)missing);
    zgi_quantity(finding, "doubled", (double)doubled);
    zgi_quantity(finding, "inserted", (double)inserted);
}
