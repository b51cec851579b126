-- An own PIN to sign with, and who may do which family of devices alone.
ALTER TABLE people ADD COLUMN pin_hash text NOT NULL DEFAULT '';
CREATE TABLE "competences" (
  "id" text,
  "person_id" text,
  "family" text,
  "ground" text,
  "note" text,
  "by_id" text,
  "by_name" text,
  "at" datetime,
  "until" datetime,PRIMARY KEY ("id"));
CREATE INDEX "competence_of_family" ON "competences"("family");
