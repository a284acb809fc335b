-- Heat that was switched on from here and is not known to be off: what a server that is killed leaves behind.
CREATE TABLE heat_on (
    printer_id INTEGER NOT NULL REFERENCES printer(id),
    heater TEXT NOT NULL,
    target_c REAL NOT NULL,
    why TEXT NOT NULL,
    at TEXT NOT NULL,
    PRIMARY KEY (printer_id, heater)
) STRICT;
-- What replaces an entry is asked for every entry shown.
CREATE INDEX logbook_by_superseded ON logbook(supersedes) WHERE supersedes IS NOT NULL;
