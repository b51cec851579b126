-- Since when a device waits to be accepted, whose it is, who looks after it, what it is set up with, and how it was bought.
ALTER TABLE assets ADD COLUMN accept_from datetime;
ALTER TABLE assets ADD COLUMN owner text NOT NULL DEFAULT '';
ALTER TABLE assets ADD COLUMN keeper text NOT NULL DEFAULT '';
ALTER TABLE assets ADD COLUMN software text NOT NULL DEFAULT '';
ALTER TABLE assets ADD COLUMN set_up text NOT NULL DEFAULT '';
ALTER TABLE assets ADD COLUMN supplier text NOT NULL DEFAULT '';
ALTER TABLE assets ADD COLUMN bought datetime;
ALTER TABLE assets ADD COLUMN price real NOT NULL DEFAULT 0.0;
ALTER TABLE assets ADD COLUMN warranty datetime;
CREATE INDEX "asset_at" ON "assets"("site", "place");
CREATE INDEX "activity_of_asset" ON "activities"("asset_id", "active", "due_on");
