-- The shop's own begin and end of test pieces, by printer.
CREATE TABLE print_block (
    printer_id INTEGER PRIMARY KEY REFERENCES printer(id) ON DELETE CASCADE,
    begin_text TEXT NOT NULL CHECK (length(begin_text) <= 4000),
    end_text TEXT NOT NULL CHECK (length(end_text) <= 4000),
    at TEXT NOT NULL
) STRICT;
