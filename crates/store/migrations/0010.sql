-- The last step of a site is found at once, however long its log is: each change asks for it.
CREATE INDEX log_by_step ON log_entries (site, id) WHERE origin = 'step' AND struck IS NULL;
