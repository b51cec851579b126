-- What a run said that was signed, and then given back by its reviewer: it stands until it is signed again.
ALTER TABLE runs ADD COLUMN given_back_result text NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN given_back_at datetime;
