-- Files beside the data file, each named by what it holds; rows say what they are. And every table
-- refuses what can't be meant, whoever writes it. "Station" is a kind of work; where it stands on a job's
-- route is a stop, and that is what book, closing and draft name.
CREATE TABLE blob (
    sha256 TEXT PRIMARY KEY CHECK (length(sha256) = 64 AND sha256 NOT GLOB '*[^0-9a-f]*'),
    bytes INTEGER NOT NULL CHECK (bytes >= 0),
    media TEXT NOT NULL CHECK (media LIKE '%/%'),
    at TEXT NOT NULL CHECK (at LIKE '____-__-__%')
) STRICT;
-- The logs' samples move to files: by the code that runs right after this, which then drops the old table.
ALTER TABLE trace RENAME TO old_trace;
DROP INDEX trace_by_printer;
CREATE TABLE trace (
    id INTEGER PRIMARY KEY,
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    job_id INTEGER REFERENCES job(id),
    kind TEXT NOT NULL CHECK (length(kind) > 0),
    target_c REAL CHECK (target_c BETWEEN -300 AND 1500),
    at TEXT NOT NULL CHECK (at LIKE '____-__-__%'),
    sha256 TEXT NOT NULL REFERENCES blob(sha256)
) STRICT;
CREATE INDEX trace_by_printer ON trace(printer_id, id);
CREATE INDEX trace_of_blob ON trace(sha256);

CREATE TABLE attachment (
    id INTEGER PRIMARY KEY,
    sha256 TEXT NOT NULL REFERENCES blob(sha256),
    kind TEXT NOT NULL CHECK (length(kind) > 0),
    name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 200),
    at TEXT NOT NULL CHECK (at LIKE '____-__-__%'),
    printer_id INTEGER REFERENCES printer(id),
    job_id INTEGER REFERENCES job(id),
    log_id INTEGER REFERENCES logbook(id),
    trace_id INTEGER REFERENCES trace(id),
    CHECK (printer_id IS NOT NULL OR job_id IS NOT NULL OR log_id IS NOT NULL OR trace_id IS NOT NULL)
) STRICT;
CREATE INDEX attachment_of_blob ON attachment(sha256);
CREATE INDEX attachment_of_trace ON attachment(trace_id) WHERE trace_id IS NOT NULL;
CREATE INDEX attachment_of_job ON attachment(job_id) WHERE job_id IS NOT NULL;

CREATE TABLE new_filament (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE CHECK (length(name) > 0),
    material TEXT NOT NULL CHECK (length(material) > 0)
) STRICT;
INSERT INTO new_filament
    SELECT id, CASE name WHEN '' THEN 'filament ' || id ELSE name END,
           CASE material WHEN '' THEN 'unknown' ELSE material END FROM filament;
DROP TABLE filament;
ALTER TABLE new_filament RENAME TO filament;

CREATE TABLE new_job (
    id INTEGER PRIMARY KEY,
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    complaint TEXT NOT NULL,
    shows TEXT NOT NULL CHECK (length(shows) > 0),
    tried TEXT NOT NULL,
    customer TEXT NOT NULL,
    technician TEXT NOT NULL,
    opened_at TEXT NOT NULL CHECK (opened_at LIKE '____-__-__%'),
    finished_at TEXT CHECK (finished_at LIKE '____-__-__%')
) STRICT;
INSERT INTO new_job
    SELECT id, printer_id, complaint, CASE shows WHEN '' THEN 'no_complaint' ELSE shows END, tried, customer,
           technician, opened_at, finished_at FROM job;
DROP TABLE job;
ALTER TABLE new_job RENAME TO job;
CREATE UNIQUE INDEX job_open ON job(printer_id) WHERE finished_at IS NULL;
CREATE INDEX job_by_printer ON job(printer_id, id);

CREATE TABLE new_logbook (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    at TEXT NOT NULL CHECK (at LIKE '____-__-__%'),
    kind TEXT NOT NULL CHECK (length(kind) > 0),
    printer_id INTEGER REFERENCES printer(id),
    job_id INTEGER REFERENCES job(id),
    stop TEXT,
    part TEXT,
    who TEXT NOT NULL DEFAULT '',
    text TEXT NOT NULL,
    verdict TEXT,
    supersedes INTEGER REFERENCES logbook(id) CHECK (supersedes < id)
) STRICT;
INSERT INTO new_logbook SELECT id, at, kind, printer_id, job_id, station, part, who, text, verdict, supersedes FROM logbook;
DROP TABLE logbook;
ALTER TABLE new_logbook RENAME TO logbook;
CREATE TRIGGER logbook_no_update BEFORE UPDATE ON logbook BEGIN
    SELECT RAISE(ABORT, 'the logbook is append-only');
END;
CREATE TRIGGER logbook_no_delete BEFORE DELETE ON logbook BEGIN
    SELECT RAISE(ABORT, 'the logbook is append-only');
END;
CREATE INDEX logbook_by_job ON logbook(job_id, id);
CREATE INDEX logbook_by_printer ON logbook(printer_id, id);
CREATE INDEX logbook_by_superseded ON logbook(supersedes) WHERE supersedes IS NOT NULL;
CREATE INDEX logbook_notes ON logbook(id) WHERE kind = 'note';

CREATE TABLE new_closing (
    log_id INTEGER PRIMARY KEY REFERENCES logbook(id),
    job_id INTEGER NOT NULL REFERENCES job(id),
    stop TEXT NOT NULL CHECK (length(stop) > 0),
    -- JSON of what was typed, whichever of a station's versions it is of, and of the finding. What an old
    -- file holds damaged stays as it is: it is shown as unreadable, and nothing is thrown away.
    readings TEXT NOT NULL,
    finding TEXT NOT NULL
) STRICT;
INSERT INTO new_closing SELECT log_id, job_id, station, readings, finding FROM closing;
DROP TABLE closing;
ALTER TABLE new_closing RENAME TO closing;
CREATE INDEX closing_by_job ON closing(job_id, log_id);

CREATE TABLE new_draft (
    job_id INTEGER NOT NULL REFERENCES job(id),
    stop TEXT NOT NULL CHECK (length(stop) > 0),
    readings TEXT NOT NULL,
    at TEXT NOT NULL CHECK (at LIKE '____-__-__%'),
    revision INTEGER NOT NULL DEFAULT 1 CHECK (revision > 0),
    fields TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(fields)),
    conflicts TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(conflicts)),
    PRIMARY KEY (job_id, stop)
) STRICT;
INSERT INTO new_draft (job_id, stop, readings, at, revision, fields, conflicts)
    SELECT job_id, station, readings, at, max(revision, 1), CASE WHEN json_valid(fields) THEN fields ELSE '{}' END,
           CASE WHEN json_valid(conflicts) THEN conflicts ELSE '[]' END FROM draft;
DROP TABLE draft;
ALTER TABLE new_draft RENAME TO draft;

CREATE TABLE new_setting (
    id INTEGER PRIMARY KEY,
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    parameter TEXT NOT NULL CHECK (length(parameter) > 0),
    filament_id INTEGER REFERENCES filament(id),
    value REAL CHECK (abs(value) < 1e9),
    value_text TEXT,
    expanded REAL CHECK (expanded >= 0),
    from_at TEXT NOT NULL CHECK (from_at LIKE '____-__-__%'),
    until_at TEXT CHECK (until_at >= from_at),
    log_id INTEGER REFERENCES logbook(id),
    CHECK (value IS NOT NULL OR value_text IS NOT NULL)
) STRICT;
INSERT INTO new_setting
    SELECT id, printer_id, parameter, filament_id, CASE WHEN abs(value) < 1e9 THEN value END,
           coalesce(value_text, CASE WHEN abs(value) < 1e9 THEN NULL ELSE CAST(value AS TEXT) END),
           abs(expanded), from_at, max(from_at, until_at), log_id FROM setting;
DROP TABLE setting;
ALTER TABLE new_setting RENAME TO setting;
CREATE INDEX setting_by_printer ON setting(printer_id, parameter, filament_id);
CREATE UNIQUE INDEX setting_in_force ON setting(printer_id, parameter, coalesce(filament_id, 0)) WHERE until_at IS NULL;

CREATE TABLE new_wire (
    id INTEGER PRIMARY KEY,
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    at TEXT NOT NULL,
    way TEXT NOT NULL CHECK (way IN ('sent', 'answered', 'noted')),
    text TEXT NOT NULL
) STRICT;
INSERT INTO new_wire SELECT id, printer_id, at, way, text FROM wire WHERE way IN ('sent', 'answered', 'noted');
DROP TABLE wire;
ALTER TABLE new_wire RENAME TO wire;
CREATE INDEX wire_by_printer ON wire(printer_id, id);

CREATE TABLE new_cooling (
    printer_id INTEGER PRIMARY KEY REFERENCES printer(id),
    tau_s REAL NOT NULL CHECK (tau_s > 0 AND tau_s < 1e6),
    ambient_c REAL NOT NULL CHECK (ambient_c BETWEEN -50 AND 100),
    at TEXT NOT NULL
) STRICT;
INSERT INTO new_cooling SELECT * FROM cooling WHERE tau_s > 0 AND tau_s < 1e6 AND ambient_c BETWEEN -50 AND 100;
DROP TABLE cooling;
ALTER TABLE new_cooling RENAME TO cooling;

CREATE TABLE new_connection (
    printer_id INTEGER PRIMARY KEY REFERENCES printer(id),
    address TEXT NOT NULL CHECK (json_valid(address)),
    wanted INTEGER NOT NULL CHECK (wanted IN (0, 1))
) STRICT;
INSERT INTO new_connection SELECT printer_id, address, wanted <> 0 FROM connection WHERE json_valid(address);
DROP TABLE connection;
ALTER TABLE new_connection RENAME TO connection;

CREATE TABLE new_heat_on (
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    heater TEXT NOT NULL CHECK (length(heater) > 0),
    target_c REAL NOT NULL CHECK (target_c BETWEEN 0 AND 500),
    why TEXT NOT NULL,
    at TEXT NOT NULL,
    PRIMARY KEY (printer_id, heater)
) STRICT;
INSERT INTO new_heat_on SELECT printer_id, heater, min(max(target_c, 0), 500), why, at FROM heat_on;
DROP TABLE heat_on;
ALTER TABLE new_heat_on RENAME TO heat_on;

CREATE TABLE new_house_tolerance (
    id TEXT PRIMARY KEY CHECK (length(id) > 0),
    value REAL NOT NULL CHECK (value > 0 AND value < 1e6)
) STRICT;
INSERT INTO new_house_tolerance SELECT id, value FROM house_tolerance WHERE value > 0 AND value < 1e6;
DROP TABLE house_tolerance;
ALTER TABLE new_house_tolerance RENAME TO house_tolerance;

-- Pieces of three letters of what was noted, so that words are found wherever they stand in it.
-- The lines themselves stand in the logbook only; they never change, so adding is all there is to follow.
CREATE VIRTUAL TABLE note_words USING fts5(text, who, content='logbook', content_rowid='id', tokenize='trigram');
INSERT INTO note_words (rowid, text, who) SELECT id, text, who FROM logbook WHERE kind = 'note';
CREATE TRIGGER logbook_note_words AFTER INSERT ON logbook WHEN new.kind = 'note' BEGIN
    INSERT INTO note_words (rowid, text, who) VALUES (new.id, new.text, new.who);
END;
