-- Files of tests beside the tests, in parts, so that none is ever held whole; `upload` tells a file that is still coming
-- from one that is there. What was kept inside a test before is moved here, and read again when it is asked for.
CREATE TABLE test_files (
    site   TEXT NOT NULL,
    test   TEXT NOT NULL,
    upload TEXT NOT NULL,
    part   INTEGER NOT NULL,
    bytes  BLOB NOT NULL,
    PRIMARY KEY (site, test, upload, part),
    FOREIGN KEY (site, test) REFERENCES tests (site, id) ON DELETE CASCADE
) STRICT;
ALTER TABLE tests ADD COLUMN upload TEXT;
INSERT INTO test_files (site, test, upload, part, bytes)
    SELECT site, id, 'kept', 0, CAST(json_extract(body, '$.file') AS BLOB) FROM tests
    WHERE json_type(body, '$.file') = 'text';
UPDATE tests SET upload = 'kept', body = json_remove(body, '$.file') WHERE json_type(body, '$.file') = 'text';

-- Instruments that were described once: what they may be off.
CREATE TABLE instruments (
    name TEXT PRIMARY KEY,
    body TEXT NOT NULL CHECK (json_valid(body))
) STRICT, WITHOUT ROWID;

-- Meters that answer by themselves.
CREATE TABLE meters (
    id      TEXT PRIMARY KEY,
    label   TEXT NOT NULL,
    speaks  TEXT NOT NULL,
    address TEXT NOT NULL
) STRICT, WITHOUT ROWID;
