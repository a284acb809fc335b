-- Where a printer is reached, and whether it is to be connected when the server starts.
CREATE TABLE connection (
    printer_id INTEGER PRIMARY KEY REFERENCES printer(id),
    address TEXT NOT NULL,
    wanted INTEGER NOT NULL
) STRICT;
-- A temperature log, whole: rows of [time s, temperature, target, duty, part fan].
CREATE TABLE trace (
    id INTEGER PRIMARY KEY,
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    job_id INTEGER REFERENCES job(id),
    kind TEXT NOT NULL,
    target_c REAL,
    at TEXT NOT NULL,
    samples TEXT NOT NULL
) STRICT;
CREATE INDEX trace_by_printer ON trace(printer_id, id);
-- What was sent and answered, temperature reports left out.
CREATE TABLE wire (
    id INTEGER PRIMARY KEY,
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    at TEXT NOT NULL,
    way TEXT NOT NULL,
    text TEXT NOT NULL
) STRICT;
CREATE INDEX wire_by_printer ON wire(printer_id, id);
-- How a printer's own hot end cools.
CREATE TABLE cooling (
    printer_id INTEGER PRIMARY KEY REFERENCES printer(id),
    tau_s REAL NOT NULL,
    ambient_c REAL NOT NULL,
    at TEXT NOT NULL
) STRICT;
