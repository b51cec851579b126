-- Secrets that read without a person signing in: of a program, or of somebody's calendar.
CREATE TABLE "tokens" (
  "id" text,
  "kind" text,
  "purpose" text,
  "person_id" text,
  "only" text,
  "hash" text,
  "at" datetime,
  "ended" datetime,PRIMARY KEY ("id"));
CREATE UNIQUE INDEX "token_by_hash" ON "tokens"("hash");
