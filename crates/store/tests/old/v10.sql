-- A database of version 9, as it was written then.
BEGIN TRANSACTION;
CREATE TABLE elements (
    site     TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    kind     TEXT NOT NULL CHECK (kind IN ('site', 'device', 'source', 'converter', 'arrangement', 'outage')),
    id       TEXT NOT NULL,
    position INTEGER NOT NULL,
    revision INTEGER NOT NULL,
    body     TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (site, kind, id)
) STRICT, WITHOUT ROWID;
INSERT INTO "elements" VALUES('old-lock','arrangement','direct',0,1,'{"id": "direct", "label": "Direct", "feeds": [{"from": {"item": "bank", "port": "posts"}, "to": "lamp"}]}');
INSERT INTO "elements" VALUES('old-lock','device','lamp',0,1,'{"id": "lamp", "label": "Lamp", "input": {"current": "dc", "rated_v": 12}, "phases": [{"when": "running", "watts": 6}]}');
INSERT INTO "elements" VALUES('old-lock','site','site',0,1,'{"name": "Old lock"}');
INSERT INTO "elements" VALUES('old-lock','source','bank',0,1,'{"id": "bank", "label": "Bank", "kind": "battery", "ports": [{"id": "posts", "current": "dc", "voltage": {"follows": true}}], "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 50}}');
CREATE TABLE instruments (
    name TEXT PRIMARY KEY,
    body TEXT NOT NULL CHECK (json_valid(body))
) STRICT, WITHOUT ROWID;
INSERT INTO "instruments" VALUES('red meter','{"name":"red meter","share":0.005,"fixed":0,"step":0.01}');
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
INSERT INTO "journal" VALUES(1,'old-lock',1,0,'lamp: 5 to 6 W','device','lamp',0,'{"id": "lamp", "label": "Lamp", "input": {"current": "dc", "rated_v": 12}, "phases": [{"when": "running", "watts": 5}]}',0,'{"id": "lamp", "label": "Lamp", "input": {"current": "dc", "rated_v": 12}, "phases": [{"when": "running", "watts": 6}]}');
CREATE TABLE meters (
    id      TEXT PRIMARY KEY,
    label   TEXT NOT NULL,
    speaks  TEXT NOT NULL,
    address TEXT NOT NULL
, records INTEGER NOT NULL DEFAULT 0 CHECK (records IN (0, 1))) STRICT, WITHOUT ROWID;
INSERT INTO "meters" VALUES('bench','Bench meter','scpi','127.0.0.1:5025',0);
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
INSERT INTO "reading_spans" VALUES(1,60,1769999940000,12.6,12.6,12.6,1);
INSERT INTO "reading_spans" VALUES(1,3600,1769997600000,12.6,12.6,12.6,1);
INSERT INTO "reading_spans" VALUES(1,86400,1769990400000,12.6,12.6,12.6,1);
CREATE TABLE readings (
    series INTEGER NOT NULL REFERENCES series (id) ON DELETE CASCADE,
    at_ms  INTEGER NOT NULL,
    value  REAL NOT NULL,
    PRIMARY KEY (series, at_ms)
) STRICT, WITHOUT ROWID;
INSERT INTO "readings" VALUES(1,1770000000000,12.6);
CREATE TABLE series (
    id           INTEGER PRIMARY KEY,
    meter        TEXT NOT NULL,
    name         TEXT NOT NULL,
    unit         TEXT NOT NULL,
    all_from     INTEGER,
    minutes_from INTEGER,
    UNIQUE (meter, name)
) STRICT;
INSERT INTO "series" VALUES(1,'bench','volts in','V',NULL,NULL);
CREATE TABLE settings (
    name TEXT PRIMARY KEY,
    body TEXT NOT NULL CHECK (json_valid(body))
) STRICT, WITHOUT ROWID;
CREATE TABLE sites (
    id       TEXT PRIMARY KEY,
    name     TEXT NOT NULL,
    revision INTEGER NOT NULL DEFAULT 1
, removed INTEGER NOT NULL DEFAULT 0 CHECK (removed IN (0, 1))) STRICT;
INSERT INTO "sites" VALUES('old-lock','Old lock',3,0);
CREATE TABLE test_files (
    site   TEXT NOT NULL,
    test   TEXT NOT NULL,
    upload TEXT NOT NULL,
    part   INTEGER NOT NULL,
    bytes  BLOB NOT NULL,
    PRIMARY KEY (site, test, upload, part),
    FOREIGN KEY (site, test) REFERENCES tests (site, id) ON DELETE CASCADE
) STRICT;
INSERT INTO "test_files" VALUES('old-lock','idle-bank','kept',0,X'74696D655F732C766F6C74730A302C31320A');
CREATE TABLE tests (
    site     TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    id       TEXT NOT NULL,
    begun    TEXT NOT NULL,
    changed  TEXT NOT NULL,
    body     TEXT NOT NULL CHECK (json_valid(body)),
    replaced TEXT CHECK (replaced IS NULL OR json_valid(replaced)), upload TEXT, revision INTEGER NOT NULL DEFAULT 1, gone INTEGER NOT NULL DEFAULT 0 CHECK (gone IN (0, 1)),
    PRIMARY KEY (site, id)
) STRICT, WITHOUT ROWID;
INSERT INTO "tests" VALUES('old-lock','idle-bank','2026-02-01T10:00:00Z','2026-02-01T10:00:00Z','{"protocol": "idle", "of": {"kind": "source", "id": "bank"}, "note": "old"}',NULL,'kept',1,0);
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
INSERT INTO "walk_reads" VALUES(1,'old-lock','direct',1,'bank/posts',12.9,NULL,NULL,'expected','2026-02-01T10:00:00Z');
CREATE INDEX journal_of_site ON journal (site, undone, step);
CREATE INDEX walk_reads_of ON walk_reads (site, arrangement, walk, id);
CREATE INDEX walk_reads_since ON walk_reads (site, arrangement, id);
DELETE FROM "sqlite_sequence";
INSERT INTO "sqlite_sequence" VALUES('journal',1);
INSERT INTO "sqlite_sequence" VALUES('walk_reads',1);
COMMIT;
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
INSERT INTO watches VALUES('old-lock',1,'{"kind":"outage"}',1770000000000,0);
INSERT INTO watch_entries VALUES('old-lock',1,1,60.0,'{"text":"old"}',0);
-- Everything that happened at a site, with its time: what the program knows is written with what makes it, the rest by hand. Rows
-- are struck with a reason and never taken away. `many` counts steps of the same words that followed each other closely.
CREATE TABLE log_entries (
    id     INTEGER PRIMARY KEY AUTOINCREMENT,
    site   TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    at_ms  INTEGER NOT NULL,
    kind   TEXT NOT NULL,
    item   TEXT NOT NULL DEFAULT '',
    words  TEXT NOT NULL,
    body   TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(body)),
    origin TEXT NOT NULL DEFAULT '',
    many   INTEGER NOT NULL DEFAULT 1,
    struck TEXT,
    -- Its place in the order of time. The index of words has it as its rowid, so that the latest rows of a word come first without
    -- sorting all of them.
    seq    INTEGER GENERATED ALWAYS AS (at_ms * 1048576 + id % 1048576) STORED
) STRICT;
CREATE INDEX log_by_seq ON log_entries (seq);
CREATE INDEX log_by_time ON log_entries (site, seq);
CREATE INDEX log_by_kind ON log_entries (site, kind, seq);
CREATE INDEX log_by_item ON log_entries (site, item, seq);
CREATE INDEX log_by_origin ON log_entries (site, origin) WHERE origin <> '';

-- Words are found by their beginnings, without regard to accents.
CREATE VIRTUAL TABLE log_words USING fts5 (
    words, content = 'log_entries', content_rowid = 'seq', tokenize = 'unicode61 remove_diacritics 2', prefix = '2 3'
);
CREATE TRIGGER log_words_new AFTER INSERT ON log_entries BEGIN
    INSERT INTO log_words (rowid, words) VALUES (new.seq, new.words);
END;
CREATE TRIGGER log_words_gone AFTER DELETE ON log_entries BEGIN
    INSERT INTO log_words (log_words, rowid, words) VALUES ('delete', old.seq, old.words);
END;
CREATE TRIGGER log_words_changed AFTER UPDATE OF words, at_ms ON log_entries BEGIN
    INSERT INTO log_words (log_words, rowid, words) VALUES ('delete', old.seq, old.words);
    INSERT INTO log_words (rowid, words) VALUES (new.seq, new.words);
END;

-- Pictures and files beside an entry, in parts as the files of tests are.
CREATE TABLE log_files (
    id    INTEGER PRIMARY KEY AUTOINCREMENT,
    entry INTEGER NOT NULL REFERENCES log_entries (id) ON DELETE CASCADE,
    name  TEXT NOT NULL,
    kind  TEXT NOT NULL,
    size  INTEGER NOT NULL,
    thumb BLOB
) STRICT;
CREATE INDEX log_files_of ON log_files (entry);
CREATE TABLE log_parts (
    file  INTEGER NOT NULL REFERENCES log_files (id) ON DELETE CASCADE,
    part  INTEGER NOT NULL,
    bytes BLOB NOT NULL,
    PRIMARY KEY (file, part)
) STRICT, WITHOUT ROWID;

-- What was there before the log was.
INSERT INTO log_entries (site, at_ms, kind, words, origin)
SELECT site, CAST(unixepoch(begun) * 1000 AS INTEGER), 'test', 'A test of the bench was begun: ' || id, 'test/' || id
FROM tests WHERE gone = 0 AND unixepoch(begun) IS NOT NULL;
INSERT INTO log_entries (site, at_ms, kind, words, origin, many)
SELECT site, CAST(unixepoch(min(at)) * 1000 AS INTEGER), 'walk', 'Walked along the joints of ' || arrangement,
       'walk/' || arrangement || '/' || walk, count(*)
FROM walk_reads WHERE unixepoch(at) IS NOT NULL GROUP BY site, arrangement, walk;
INSERT INTO log_entries (site, at_ms, kind, item, words, origin) VALUES ('old-lock', 1770000060000, 'note', 'lamp', 'The lamp flickers', '');
INSERT INTO log_entries (site, at_ms, kind, item, words, origin) VALUES ('old-lock', 1770000120000, 'change', 'lamp', 'lamp: 5 to 6 W', 'step');
-- The last step of a site is found at once, however long its log is: each change asks for it.
CREATE INDEX log_by_step ON log_entries (site, id) WHERE origin = 'step' AND struck IS NULL;
PRAGMA user_version = 10;
