-- A site that was removed is kept, so that it can be brought back; nothing lists it among the others.
ALTER TABLE sites ADD COLUMN removed INTEGER NOT NULL DEFAULT 0 CHECK (removed IN (0, 1));
