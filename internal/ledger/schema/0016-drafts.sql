-- Procedures that are being written, and who released them from which day on.
CREATE TABLE "procedure_drafts" (
  "id" text,
  "procedure" text,
  "title" text,
  "text" text,
  "why" text,
  "state" text,
  "version" integer,
  "by" text,
  "at" datetime,
  "writers" text,
  "revision" integer,
  "hash" text,
  "released" datetime,
  "released_by" text,
  "effective" datetime,PRIMARY KEY ("id"));
CREATE INDEX "draft_of_procedure" ON "procedure_drafts"("procedure");
