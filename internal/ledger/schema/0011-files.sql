-- Documents and photographs of devices and references. A content is kept once, by its hash; what the log chains is the hash.
CREATE TABLE "attachments" (
  "id" text,
  "hash" text,
  "subject" text,
  "name" text,
  "type" text,
  "size" integer,
  "note" text,
  "by" text,
  "at" datetime,
  "ended" datetime,
  "why" text,PRIMARY KEY ("id"));
CREATE INDEX "attachment_of_subject" ON "attachments"("subject");
CREATE INDEX "attachment_by_hash" ON "attachments"("hash");
CREATE TABLE "contents" ("hash" text, "body" blob NOT NULL,PRIMARY KEY ("hash"));
