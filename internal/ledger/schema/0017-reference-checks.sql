-- Checks of references between their certificates, how often they are made, and what was found.
ALTER TABLE standards ADD COLUMN check_days integer NOT NULL DEFAULT 0;
ALTER TABLE standards ADD COLUMN check_how text NOT NULL DEFAULT '';
ALTER TABLE standards ADD COLUMN checked_at datetime;
CREATE TABLE "reference_checks" (
  "id" text,
  "standard_id" text,
  "at" datetime,
  "by" text,
  "against" text,
  "note" text,
  "moved" text,PRIMARY KEY ("id"));
CREATE INDEX "check_of_standard" ON "reference_checks"("standard_id","at");
