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
