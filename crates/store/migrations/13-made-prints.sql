-- Prints made, with the clock beside the prediction, and what each printer's axes can do.
CREATE TABLE made_print (
    id INTEGER PRIMARY KEY,
    printer_id INTEGER NOT NULL REFERENCES printer(id) ON DELETE CASCADE,
    print_file_id INTEGER REFERENCES print_file(id) ON DELETE SET NULL,
    name TEXT NOT NULL,
    began_at TEXT NOT NULL,
    ended_at TEXT,
    how TEXT NOT NULL CHECK (how IN ('running', 'done', 'stopped', 'broken', 'typed')),
    says TEXT NOT NULL DEFAULT '',
    predicted_s REAL NOT NULL CHECK (predicted_s > 0),
    took_s REAL CHECK (took_s >= 0),
    paused_s REAL NOT NULL DEFAULT 0,
    line INTEGER NOT NULL DEFAULT 0,
    layer INTEGER NOT NULL DEFAULT 0,
    layers INTEGER NOT NULL DEFAULT 0,
    z_mm REAL NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX made_print_printer ON made_print(printer_id, id);
CREATE INDEX made_print_file ON made_print(print_file_id, id);
CREATE UNIQUE INDEX made_print_running ON made_print(printer_id) WHERE how = 'running';
CREATE TABLE path_limits (
    printer_id INTEGER PRIMARY KEY REFERENCES printer(id) ON DELETE CASCADE,
    limits TEXT NOT NULL,
    source TEXT NOT NULL CHECK (source IN ('report', 'typed')),
    at TEXT NOT NULL
) STRICT;
-- What a slicer's profile must agree with.
ALTER TABLE print_file ADD COLUMN bead_width_mm REAL;
ALTER TABLE print_file ADD COLUMN bead_height_mm REAL;
