-- Pictures of a job, each at a stop or a step of it. What was drawn on one lies over it, in parts of its width and height.
CREATE TABLE photo (
    id INTEGER PRIMARY KEY,
    attachment_id INTEGER NOT NULL REFERENCES attachment(id),
    job_id INTEGER NOT NULL REFERENCES job(id),
    stop TEXT NOT NULL CHECK (length(stop) > 0),
    step TEXT NOT NULL DEFAULT '',
    width INTEGER NOT NULL CHECK (width BETWEEN 1 AND 10000),
    height INTEGER NOT NULL CHECK (height BETWEEN 1 AND 10000),
    caption TEXT NOT NULL DEFAULT '',
    marks TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(marks)),
    at TEXT NOT NULL CHECK (at LIKE '____-__-__%'),
    taken_back_at TEXT
) STRICT;
CREATE INDEX photo_by_job ON photo(job_id, id);
