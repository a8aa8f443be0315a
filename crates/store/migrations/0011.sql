-- What the figures of elements were before they were changed: `place` is where one stands by names, as `phases[running].watts`;
-- `before` and `after` are the figure as the plan file writes it, none where nothing was stated. Nothing is forgotten with the journal.
CREATE TABLE figure_past (
    id      INTEGER PRIMARY KEY,
    site    TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    kind    TEXT NOT NULL,
    element TEXT NOT NULL,
    place   TEXT NOT NULL,
    at_ms   INTEGER NOT NULL,
    before  TEXT CHECK (before IS NULL OR json_valid(before)),
    after   TEXT CHECK (after IS NULL OR json_valid(after))
) STRICT;
CREATE INDEX figure_past_of ON figure_past (site, kind, element, place, id);
