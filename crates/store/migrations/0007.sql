-- Meters whose readings are kept as they come, also while nobody looks.
ALTER TABLE meters ADD COLUMN records INTEGER NOT NULL DEFAULT 0 CHECK (records IN (0, 1));

-- What a meter showed, value by value: a series for each thing that it shows, and its readings by time. They are no steps of a
-- journal, and belong to the machine as the meters do. `all_from` and `minutes_from` say from when on single readings and
-- minutes are still there; before that they were thinned out.
CREATE TABLE series (
    id           INTEGER PRIMARY KEY,
    meter        TEXT NOT NULL,
    name         TEXT NOT NULL,
    unit         TEXT NOT NULL,
    all_from     INTEGER,
    minutes_from INTEGER,
    UNIQUE (meter, name)
) STRICT;
CREATE TABLE readings (
    series INTEGER NOT NULL REFERENCES series (id) ON DELETE CASCADE,
    at_ms  INTEGER NOT NULL,
    value  REAL NOT NULL,
    PRIMARY KEY (series, at_ms)
) STRICT, WITHOUT ROWID;

-- The least, the most and the sum of each minute, hour and day, written with the readings, so that a plot of years reads few rows.
CREATE TABLE reading_spans (
    series  INTEGER NOT NULL REFERENCES series (id) ON DELETE CASCADE,
    width_s INTEGER NOT NULL CHECK (width_s IN (60, 3600, 86400)),
    at_ms   INTEGER NOT NULL,
    low     REAL NOT NULL,
    high    REAL NOT NULL,
    sum     REAL NOT NULL,
    count   INTEGER NOT NULL,
    PRIMARY KEY (series, width_s, at_ms)
) STRICT, WITHOUT ROWID;

-- What a person chose for the machine, by its name.
CREATE TABLE settings (
    name TEXT PRIMARY KEY,
    body TEXT NOT NULL CHECK (json_valid(body))
) STRICT, WITHOUT ROWID;
