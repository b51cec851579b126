-- Who outside is told of which devices, what is sent to them and to the workshop's people, and safety notices with what became of each device.
ALTER TABLE people ADD COLUMN mail text NOT NULL DEFAULT '';
CREATE TABLE "contacts" (
  "id" text,
  "name" text,
  "mail" text,
  "site" text,
  "place" text,
  "owner" text,
  "digest" numeric,
  "digested" datetime,
  "link" integer,
  "at" datetime,
  "ended" datetime,PRIMARY KEY ("id"));
CREATE TABLE "letters" (
  "id" text,
  "kind" text,
  "contact_id" text,
  "name" text,
  "mail" text,
  "subject" text,
  "text" text,
  "about" text,
  "at" datetime,
  "by" text,
  "tries" integer,
  "next" datetime,
  "sent" datetime,
  "ended" datetime,
  "trouble" text,PRIMARY KEY ("id"));
CREATE INDEX "letter_to_send" ON "letters"("next") WHERE next IS NOT NULL;
CREATE INDEX "letter_by_day" ON "letters"("at");
CREATE INDEX "letter_about" ON "letters"("about");
CREATE TABLE "safety_notices" (
  "id" text,
  "number" text,
  "issuer" text,
  "title" text,
  "text" text,
  "dated" datetime,
  "until" datetime,
  "stops" numeric,
  "maker" text,
  "models" text,
  "serials" text,
  "versions" text,
  "at" datetime,
  "by" text,
  "closed" datetime,
  "closed_by" text,
  "conclusion" text,PRIMARY KEY ("id"));
CREATE TABLE "safety_devices" (
  "id" text,
  "notice_id" text,
  "asset_id" text,
  "outcome" text,
  "note" text,
  "at" datetime,
  "by" text,
  "done" datetime,PRIMARY KEY ("id"));
CREATE INDEX "safety_of_notice" ON "safety_devices"("notice_id");
CREATE INDEX "safety_of_asset" ON "safety_devices"("asset_id");
