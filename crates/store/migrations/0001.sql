-- A site, with a counter that grows by one at each change of anything in it.
CREATE TABLE sites (
    id       TEXT PRIMARY KEY,
    name     TEXT NOT NULL,
    revision INTEGER NOT NULL DEFAULT 1
) STRICT;

-- Every part of a plan: the site's own facts, devices, sources, converters, arrangements, outages.
-- `revision` is the site's counter at the element's last change.
CREATE TABLE elements (
    site     TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    kind     TEXT NOT NULL CHECK (kind IN ('site', 'device', 'source', 'converter', 'arrangement', 'outage')),
    id       TEXT NOT NULL,
    position INTEGER NOT NULL,
    revision INTEGER NOT NULL,
    body     TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (site, kind, id)
) STRICT, WITHOUT ROWID;

-- What was changed, so that it can be undone and done again. Entries of one step belong together.
CREATE TABLE journal (
    entry           INTEGER PRIMARY KEY AUTOINCREMENT,
    site            TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    step            INTEGER NOT NULL,
    undone          INTEGER NOT NULL DEFAULT 0 CHECK (undone IN (0, 1)),
    words           TEXT NOT NULL,
    kind            TEXT NOT NULL,
    element         TEXT NOT NULL,
    position_before INTEGER,
    before          TEXT CHECK (before IS NULL OR json_valid(before)),
    position_after  INTEGER,
    after           TEXT CHECK (after IS NULL OR json_valid(after))
) STRICT;

CREATE INDEX journal_of_site ON journal (site, undone, step);
