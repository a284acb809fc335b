-- What is wrong with a machine: a case, what was told of it, and what parts cost this shop.
CREATE TABLE fault_case (
    id INTEGER PRIMARY KEY,
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    job_id INTEGER REFERENCES job(id),
    sentence TEXT NOT NULL DEFAULT '',
    who TEXT NOT NULL DEFAULT '',
    begun_at TEXT NOT NULL,
    ended_at TEXT,
    ended TEXT CHECK (ended IS NULL OR ended IN ('proven', 'nothing_found', 'given_up')),
    cause TEXT,
    counts INTEGER NOT NULL DEFAULT 0 CHECK (counts IN (0, 1)),
    follow_up TEXT
) STRICT;
CREATE INDEX fault_case_by_printer ON fault_case(printer_id, id);
-- Of one printer one case is open at a time.
CREATE UNIQUE INDEX fault_case_open ON fault_case(printer_id) WHERE ended_at IS NULL;
CREATE TABLE fault_entry (
    seq INTEGER PRIMARY KEY,
    case_id INTEGER NOT NULL REFERENCES fault_case(id),
    at TEXT NOT NULL,
    entry TEXT NOT NULL
) STRICT;
CREATE INDEX fault_entry_by_case ON fault_entry(case_id, seq);
CREATE TABLE house_price (
    what TEXT PRIMARY KEY,
    price REAL NOT NULL CHECK (price >= 0)
) STRICT;
