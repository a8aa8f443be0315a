-- Tests have the revision of the site at their last change, as elements have. One that was begun by a step which is undone is
-- gone for all who ask, and kept with its file until its step is forgotten.
ALTER TABLE tests ADD COLUMN revision INTEGER NOT NULL DEFAULT 1;
ALTER TABLE tests ADD COLUMN gone INTEGER NOT NULL DEFAULT 0 CHECK (gone IN (0, 1));
-- Readings of one walk are read by themselves, and the history from its end.
CREATE INDEX walk_reads_since ON walk_reads (site, arrangement, id);
