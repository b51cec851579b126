-- Since when a device waits to be accepted, whose it is, and who looks after it.
ALTER TABLE assets ADD COLUMN accept_from datetime;
ALTER TABLE assets ADD COLUMN owner text NOT NULL DEFAULT '';
ALTER TABLE assets ADD COLUMN keeper text NOT NULL DEFAULT '';
CREATE INDEX "asset_at" ON "assets"("site", "place");
CREATE INDEX "activity_of_asset" ON "activities"("asset_id", "active", "due_on");
