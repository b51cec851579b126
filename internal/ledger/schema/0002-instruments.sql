-- Instruments of any sort: whose they are, how they are connected, and by which profile they are spoken to.
ALTER TABLE "instruments" DROP COLUMN "channels";
ALTER TABLE "instruments" ADD COLUMN "belongs" text;
ALTER TABLE "instruments" ADD COLUMN "profile" text;
ALTER TABLE "instruments" ADD COLUMN "profile_hash" text;
ALTER TABLE "instruments" ADD COLUMN "transport" text;
ALTER TABLE "instruments" ADD COLUMN "serial" text;
ALTER TABLE "instruments" ADD COLUMN "retired" numeric;
-- The text of every profile that an instrument was ever spoken to by: it is part of the numbers that came through it.
CREATE TABLE "profile_texts" (
  "hash" text,
  "id" text,
  "text" text,PRIMARY KEY ("hash"));
