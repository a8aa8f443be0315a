-- Outages that are watched, drills, and outages of the past that were brought in. What was read by meters lies with the readings;
-- what a person read, did or noted lies here, by its time since the outage began. Nothing of it is changed but whether it was
-- taken back. One at most is open at a site.
CREATE TABLE watches (
    site     TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    number   INTEGER NOT NULL,
    body     TEXT NOT NULL CHECK (json_valid(body)),
    heard_ms INTEGER NOT NULL,
    is_open  INTEGER NOT NULL CHECK (is_open IN (0, 1)),
    PRIMARY KEY (site, number)
) STRICT, WITHOUT ROWID;

CREATE UNIQUE INDEX one_open_watch ON watches (site) WHERE is_open = 1;

CREATE TABLE watch_entries (
    site   TEXT NOT NULL,
    watch  INTEGER NOT NULL,
    number INTEGER NOT NULL,
    at_s   REAL NOT NULL,
    body   TEXT NOT NULL CHECK (json_valid(body)),
    undone INTEGER NOT NULL DEFAULT 0 CHECK (undone IN (0, 1)),
    PRIMARY KEY (site, watch, number),
    FOREIGN KEY (site, watch) REFERENCES watches (site, number) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
