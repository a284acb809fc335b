-- What is fitted is typed and kept from a day to a day; what a printer is follows from it.
-- The facts as they were: taken over by the code that runs right after this, then dropped.
CREATE TABLE old_facts AS SELECT id AS printer_id, facts, added_at FROM printer;
CREATE TABLE new_printer (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE CHECK (length(name) > 0),
    kind TEXT NOT NULL,
    invented INTEGER NOT NULL DEFAULT 0 CHECK (invented IN (0, 1)),
    added_at TEXT NOT NULL,
    retired_at TEXT
) STRICT;
INSERT INTO new_printer (id, name, kind, invented, added_at) SELECT id, name, kind, invented <> 0, added_at FROM printer;
DROP TABLE printer;
ALTER TABLE new_printer RENAME TO printer;

CREATE TABLE new_fitting (
    id INTEGER PRIMARY KEY,
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    part TEXT NOT NULL,
    description TEXT NOT NULL,
    -- JSON of the typed fitting; none where nothing but the words is kept.
    fitted TEXT,
    from_at TEXT NOT NULL,
    until_at TEXT CHECK (until_at IS NULL OR until_at >= from_at),
    job_id INTEGER REFERENCES job(id),
    log_id INTEGER REFERENCES logbook(id)
) STRICT;
INSERT INTO new_fitting (id, printer_id, part, description, from_at, until_at, job_id)
    SELECT id, printer_id, part, description, from_at, max(from_at, until_at), job_id FROM fitting;
-- One piece at a place: of several, the newest is there.
UPDATE new_fitting SET until_at = from_at WHERE until_at IS NULL AND id NOT IN (
    SELECT max(id) FROM new_fitting WHERE until_at IS NULL GROUP BY printer_id, part);
DROP TABLE fitting;
ALTER TABLE new_fitting RENAME TO fitting;
CREATE UNIQUE INDEX fitting_at_its_place ON fitting(printer_id, part) WHERE until_at IS NULL;
CREATE INDEX fitting_by_printer ON fitting(printer_id, from_at);

-- One value in force: of several, the newest.
UPDATE setting SET until_at = from_at WHERE until_at IS NULL AND id NOT IN (
    SELECT max(id) FROM setting WHERE until_at IS NULL GROUP BY printer_id, parameter, filament_id);
CREATE UNIQUE INDEX setting_in_force ON setting(printer_id, parameter, coalesce(filament_id, 0)) WHERE until_at IS NULL;

-- One open job a printer: an older one that was left open is ended when the next began.
INSERT INTO logbook (at, kind, printer_id, job_id, text)
    SELECT strftime('%Y-%m-%dT%H:%M:%fZ', 'now'), 'job', j.printer_id, j.id,
           'Job ' || j.id || ' was left open beside a later one: ended when the data file was brought up to date'
    FROM job j WHERE j.finished_at IS NULL
      AND EXISTS (SELECT 1 FROM job l WHERE l.printer_id = j.printer_id AND l.finished_at IS NULL AND l.id > j.id);
UPDATE job SET finished_at = (SELECT min(l.opened_at) FROM job l WHERE l.printer_id = job.printer_id AND l.id > job.id)
    WHERE finished_at IS NULL
      AND EXISTS (SELECT 1 FROM job l WHERE l.printer_id = job.printer_id AND l.finished_at IS NULL AND l.id > job.id);
CREATE UNIQUE INDEX job_open ON job(printer_id) WHERE finished_at IS NULL;
CREATE INDEX job_by_printer ON job(printer_id, id);
