-- Steps of the shop's own at its lists, in the order in which they were added.
CREATE TABLE house_step (
    id INTEGER PRIMARY KEY,
    list TEXT NOT NULL CHECK (length(list) > 0),
    step TEXT NOT NULL CHECK (length(step) > 0),
    after TEXT NOT NULL DEFAULT '',
    act TEXT NOT NULL CHECK (length(act) > 0),
    proof TEXT NOT NULL DEFAULT '',
    UNIQUE (list, step)
) STRICT;
