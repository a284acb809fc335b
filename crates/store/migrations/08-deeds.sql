-- What a job began with, what happened to it besides its stations, and how it ended.
ALTER TABLE job ADD COLUMN begins TEXT NOT NULL DEFAULT '{"with":"parts"}';
ALTER TABLE job ADD COLUMN ended TEXT CHECK (ended IS NULL OR ended IN ('handed_over', 'unfixed', 'cancelled'));
UPDATE job SET ended = 'handed_over' WHERE finished_at IS NOT NULL;
CREATE TABLE deed (
    log_id INTEGER PRIMARY KEY REFERENCES logbook(id),
    job_id INTEGER NOT NULL REFERENCES job(id),
    deed TEXT NOT NULL
) STRICT;
CREATE INDEX deed_by_job ON deed(job_id, log_id);
-- A value of the machine can be in doubt too: then no filament is named.
CREATE TABLE new_stale (
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    parameter TEXT NOT NULL,
    filament_id INTEGER REFERENCES filament(id),
    strength TEXT NOT NULL CHECK (strength IN ('verify', 'redo')),
    clause TEXT NOT NULL,
    job_id INTEGER NOT NULL REFERENCES job(id)
) STRICT;
INSERT INTO new_stale SELECT printer_id, parameter, filament_id, strength, clause, job_id FROM stale;
DROP TABLE stale;
ALTER TABLE new_stale RENAME TO stale;
CREATE UNIQUE INDEX stale_once ON stale(printer_id, parameter, coalesce(filament_id, 0));
