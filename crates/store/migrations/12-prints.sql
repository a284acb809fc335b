-- Sliced parts: each content once, under the name it first came with.
CREATE TABLE print_file (
    id INTEGER PRIMARY KEY,
    sha256 TEXT NOT NULL UNIQUE REFERENCES blob(sha256),
    name TEXT NOT NULL,
    printer_id INTEGER REFERENCES printer(id),
    made_from INTEGER REFERENCES print_file(id),
    change TEXT,
    kept_at TEXT NOT NULL
) STRICT;
