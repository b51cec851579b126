-- Who somebody is in the house's directory, who gave them the password that they must change, and their passkeys.
ALTER TABLE people ADD COLUMN directory text NOT NULL DEFAULT '';
ALTER TABLE people ADD COLUMN given_by text NOT NULL DEFAULT '';
ALTER TABLE people ADD COLUMN given_at datetime;
CREATE TABLE "passkeys" (
  "id" text,
  "person_id" text,
  "name" text,
  "credential" text,
  "at" datetime,
  "ended" datetime,PRIMARY KEY ("id"));
CREATE INDEX "passkey_by_person" ON "passkeys"("person_id");
