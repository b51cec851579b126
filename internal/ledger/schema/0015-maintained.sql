-- Which parts were fitted in runs, what the counters of devices showed, and where references are that were sent out.
ALTER TABLE activities ADD COLUMN counter_from real NOT NULL DEFAULT 0.0;
ALTER TABLE activities ADD COLUMN counter_shows real NOT NULL DEFAULT 0.0;
ALTER TABLE activities ADD COLUMN counter_at datetime;
ALTER TABLE standards ADD COLUMN away_to text NOT NULL DEFAULT '';
ALTER TABLE standards ADD COLUMN away_since datetime;
ALTER TABLE standards ADD COLUMN away_until datetime;
ALTER TABLE standards ADD COLUMN away_price real NOT NULL DEFAULT 0.0;
ALTER TABLE standard_certificates ADD COLUMN found text;
CREATE TABLE "fittings" (
  "id" integer PRIMARY KEY AUTOINCREMENT,
  "run_id" text,
  "asset_id" text,
  "at" datetime,
  "part" text,
  "amount" integer,
  "number" text,
  "lot" text);
CREATE INDEX "idx_fittings_run_id" ON "fittings"("run_id");
CREATE INDEX "idx_fittings_asset_id" ON "fittings"("asset_id");
