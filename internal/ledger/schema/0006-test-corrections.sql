-- Correction factors of an analyser's tests, each with the comparison that it rests on.
CREATE TABLE "test_corrections" (
  "id" text,
  "asset_id" text,
  "test" text,
  "slope" real,
  "intercept" real,
  "slope_low" real,
  "slope_high" real,
  "intercept_low" real,
  "intercept_high" real,
  "n" integer,
  "unit" text,
  "pairs" text,
  "against" text,
  "why" text,
  "at" datetime,
  "by" text,PRIMARY KEY ("id"));
CREATE INDEX "correction_of_asset" ON "test_corrections"("asset_id","at");
