-- What a meter showed at the joints of an arrangement, on each walk along them; never changed, and lost only with its site.
CREATE TABLE walk_reads (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    site        TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    arrangement TEXT NOT NULL,
    walk        INTEGER NOT NULL,
    joint       TEXT NOT NULL,
    volts       REAL NOT NULL,
    low_v       REAL,
    high_v      REAL,
    shows       TEXT NOT NULL,
    at          TEXT NOT NULL
) STRICT;

CREATE INDEX walk_reads_of ON walk_reads (site, arrangement, walk, id);
