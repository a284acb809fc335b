CREATE TABLE printer (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    kind TEXT NOT NULL,
    facts TEXT NOT NULL,
    invented INTEGER NOT NULL DEFAULT 0,
    added_at TEXT NOT NULL
) STRICT;
CREATE TABLE filament (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    material TEXT NOT NULL
) STRICT;
CREATE TABLE job (
    id INTEGER PRIMARY KEY,
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    complaint TEXT NOT NULL,
    shows TEXT NOT NULL,
    tried TEXT NOT NULL,
    customer TEXT NOT NULL,
    technician TEXT NOT NULL,
    opened_at TEXT NOT NULL,
    finished_at TEXT
) STRICT;
CREATE TABLE job_replacement (
    job_id INTEGER NOT NULL REFERENCES job(id),
    replacement TEXT NOT NULL,
    PRIMARY KEY (job_id, replacement)
) STRICT;
CREATE TABLE job_filament (
    job_id INTEGER NOT NULL REFERENCES job(id),
    filament_id INTEGER NOT NULL REFERENCES filament(id),
    PRIMARY KEY (job_id, filament_id)
) STRICT;
CREATE TABLE failure_time (
    job_id INTEGER NOT NULL REFERENCES job(id),
    minutes REAL NOT NULL CHECK (minutes > 0)
) STRICT;
-- One append-only book: its id orders everything that happened.
CREATE TABLE logbook (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    at TEXT NOT NULL,
    kind TEXT NOT NULL,
    printer_id INTEGER REFERENCES printer(id),
    job_id INTEGER REFERENCES job(id),
    station TEXT,
    part TEXT,
    who TEXT NOT NULL DEFAULT '',
    text TEXT NOT NULL,
    verdict TEXT,
    supersedes INTEGER REFERENCES logbook(id)
) STRICT;
CREATE TRIGGER logbook_no_update BEFORE UPDATE ON logbook BEGIN
    SELECT RAISE(ABORT, 'the logbook is append-only');
END;
CREATE TRIGGER logbook_no_delete BEFORE DELETE ON logbook BEGIN
    SELECT RAISE(ABORT, 'the logbook is append-only');
END;
CREATE INDEX logbook_by_job ON logbook(job_id, id);
CREATE INDEX logbook_by_printer ON logbook(printer_id, id);
-- What a closing was closed with. Readings are JSON of the station's serde type, which carries its version.
CREATE TABLE closing (
    log_id INTEGER PRIMARY KEY REFERENCES logbook(id),
    job_id INTEGER NOT NULL REFERENCES job(id),
    station TEXT NOT NULL,
    readings TEXT NOT NULL,
    finding TEXT NOT NULL
) STRICT;
CREATE INDEX closing_by_job ON closing(job_id, log_id);
-- What is typed and not closed yet.
CREATE TABLE draft (
    job_id INTEGER NOT NULL REFERENCES job(id),
    station TEXT NOT NULL,
    readings TEXT NOT NULL,
    at TEXT NOT NULL,
    PRIMARY KEY (job_id, station)
) STRICT;
CREATE TABLE fitting (
    id INTEGER PRIMARY KEY,
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    part TEXT NOT NULL,
    description TEXT NOT NULL,
    from_at TEXT NOT NULL,
    until_at TEXT,
    job_id INTEGER REFERENCES job(id)
) STRICT;
CREATE TABLE setting (
    id INTEGER PRIMARY KEY,
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    parameter TEXT NOT NULL,
    filament_id INTEGER REFERENCES filament(id),
    value REAL,
    value_text TEXT,
    expanded REAL,
    from_at TEXT NOT NULL,
    until_at TEXT,
    log_id INTEGER REFERENCES logbook(id),
    CHECK (value IS NOT NULL OR value_text IS NOT NULL)
) STRICT;
CREATE INDEX setting_by_printer ON setting(printer_id, parameter, filament_id);
-- A filament's value that a job with another filament left in doubt.
CREATE TABLE stale (
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    parameter TEXT NOT NULL,
    filament_id INTEGER NOT NULL REFERENCES filament(id),
    strength TEXT NOT NULL,
    clause TEXT NOT NULL,
    job_id INTEGER NOT NULL REFERENCES job(id),
    PRIMARY KEY (printer_id, parameter, filament_id)
) STRICT;
CREATE TABLE house_choice (rule TEXT PRIMARY KEY, option TEXT NOT NULL, reason TEXT NOT NULL) STRICT;
CREATE TABLE house_tolerance (id TEXT PRIMARY KEY, value REAL NOT NULL) STRICT;
CREATE TABLE house_instrument (id TEXT PRIMARY KEY, instrument TEXT NOT NULL) STRICT;
CREATE TABLE house_cell (
    replacement TEXT NOT NULL, parameter TEXT NOT NULL, strength TEXT, reason TEXT NOT NULL,
    PRIMARY KEY (replacement, parameter)
) STRICT;
