-- Where a device is that is not at its place, why it is out of use or gone, and the faults that were reported of it.
ALTER TABLE assets ADD COLUMN away_to text NOT NULL DEFAULT '';
ALTER TABLE assets ADD COLUMN away_since datetime;
ALTER TABLE assets ADD COLUMN away_until datetime;
ALTER TABLE assets ADD COLUMN why text NOT NULL DEFAULT '';
CREATE TABLE "faults" (
  "id" text,
  "asset_id" text,
  "what" text,
  "reporter" text,
  "since" datetime,
  "at" datetime,
  "by" text,
  "judged" datetime,
  "judged_by" text,
  "outcome" text,
  "found" text,
  "parts" text,
  "minutes" integer,PRIMARY KEY ("id"));
CREATE INDEX "fault_of_asset" ON "faults"("asset_id");
