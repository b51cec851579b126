-- A password that somebody else gave: it is changed at the next sign-in.
ALTER TABLE people ADD COLUMN one_time numeric NOT NULL DEFAULT 0;
