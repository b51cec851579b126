-- Which parts were fitted in runs, and what the counters of devices showed.
ALTER TABLE activities ADD COLUMN counter_from real NOT NULL DEFAULT 0.0;
ALTER TABLE activities ADD COLUMN counter_shows real NOT NULL DEFAULT 0.0;
ALTER TABLE activities ADD COLUMN counter_at datetime;
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
