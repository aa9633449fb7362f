/* SPDX-License-Identifier: MIT */
/* What reads a run's parts from the store. */
#ifndef ZEUGMA_STORED_PARTS_H
#define ZEUGMA_STORED_PARTS_H

#include "store/schema.h"
#include "store/stored.h"

/* Reads what the diagnosis needs, and diagnoses. After everything else of the run. False: the database says why. */
bool zgi_stored_read_evidence(sqlite3 *database, struct zg_stored *stored);

#endif
