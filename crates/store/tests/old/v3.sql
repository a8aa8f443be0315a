-- A database of version 3, as it was written then.
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
CREATE TABLE sites (
    id       TEXT PRIMARY KEY,
    name     TEXT NOT NULL,
    revision INTEGER NOT NULL DEFAULT 1
, removed INTEGER NOT NULL DEFAULT 0 CHECK (removed IN (0, 1))) STRICT;
INSERT INTO "sites" VALUES('old-lock','Old lock',3,0);
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
COMMIT;
PRAGMA user_version = 3;
