-- Tests of the bench, each with its readings, its conditions and its raw file. None is ever taken away but with its site.
-- `replaced` holds what stood in the plan where the test's figures went, while they are in use.
CREATE TABLE tests (
    site     TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    id       TEXT NOT NULL,
    begun    TEXT NOT NULL,
    changed  TEXT NOT NULL,
    body     TEXT NOT NULL CHECK (json_valid(body)),
    replaced TEXT CHECK (replaced IS NULL OR json_valid(replaced)),
    PRIMARY KEY (site, id)
) STRICT, WITHOUT ROWID;
