-- What was done before a control run, after which its series begins anew.
ALTER TABLE control_values ADD COLUMN action text NOT NULL DEFAULT '';
