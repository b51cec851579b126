-- The tables of the first landed version. It never changes.
PRAGMA application_id = 1313760364;

CREATE TABLE "people" (
  "id" text,
  "name" text,
  "role" text,
  "password_hash" text,
  "active" numeric,
  "demo" numeric,PRIMARY KEY ("id"));
CREATE TABLE "assets" (
  "id" text,
  "tag" text,
  "serial" text,
  "maker" text,
  "model" text,
  "family" text,
  "site" text,
  "place" text,
  "status" text,
  "risk" integer,
  "settings" text,
  "limits" text,
  "resolution" text,
  "search" text,PRIMARY KEY ("id"));
CREATE INDEX "idx_assets_family" ON "assets"("family");
CREATE INDEX "asset_of_model" ON "assets"("maker","model");
CREATE UNIQUE INDEX "idx_assets_tag" ON "assets"("tag");
CREATE TABLE "activities" (
  "id" text,
  "asset_id" text,
  "procedure" text,
  "title" text,
  "duty" text,
  "last_on" datetime,
  "due_on" datetime,
  "risk" integer,
  "active" numeric,
  "reason" text,
  "used" real,
  "undone_at" datetime,
  "undone_what" text,
  "undone_note" text,
  "deferred_to" datetime,
  "deferred_from" datetime,
  "deferred_by" text,
  "deferred_why" text,
  "interval_because" text,
  "interval_by" text,
  "interval_on" datetime,PRIMARY KEY ("id"));
CREATE INDEX "activity_by_date" ON "activities"("active","due_on");
CREATE INDEX "activity_by_risk" ON "activities"("active","risk" desc,"due_on");
CREATE INDEX "idx_activities_asset_id" ON "activities"("asset_id");
CREATE TABLE "activity_notes" (
  "id" text,
  "activity_id" text,
  "asset_id" text,
  "at" datetime,
  "by" text,
  "kind" text,
  "event" text,
  "text" text,
  "amount" real,
  "run_id" text,
  "due_on" datetime,PRIMARY KEY ("id"));
CREATE INDEX "idx_activity_notes_asset_id" ON "activity_notes"("asset_id");
CREATE INDEX "note_of_activity" ON "activity_notes"("activity_id","at");
CREATE TABLE "standards" (
  "id" text,
  "tag" text,
  "name" text,
  "kind" text,
  "maker" text,
  "serial" text,
  "place" text,
  "status" text,
  "certificate_number" text,
  "certificate_issuer" text,
  "certificate_on" datetime,
  "certificate_due_on" datetime,
  "certificate_accredited" numeric,
  "certified" text,
  "cylinder" text,
  "lot" text,
  "parent" text,
  "note" text,PRIMARY KEY ("id"));
CREATE INDEX "idx_standards_kind" ON "standards"("kind");
CREATE UNIQUE INDEX "idx_standards_tag" ON "standards"("tag");
CREATE TABLE "standard_certificates" (
  "id" text,
  "standard_id" text,
  "number" text,
  "issuer" text,
  "on" datetime,
  "due_on" datetime,
  "accredited" numeric,
  "certified" text,
  "parent" text,
  "entered_by" text,PRIMARY KEY ("id"));
CREATE INDEX "idx_standard_certificates_standard_id" ON "standard_certificates"("standard_id");
CREATE TABLE "gauges" (
  "id" text,
  "standard_id" text,
  "at" datetime,
  "bar" real,
  "metered_l" real,
  "by" text,
  "note" text,PRIMARY KEY ("id"));
CREATE INDEX "gauge_of_standard" ON "gauges"("standard_id","at");
CREATE TABLE "procedure_revisions" (
  "hash" text,
  "procedure" text,
  "revision" integer,
  "text" text,PRIMARY KEY ("hash"));
CREATE INDEX "idx_procedure_revisions_procedure" ON "procedure_revisions"("procedure");
CREATE TABLE "events" (
  "ord" integer PRIMARY KEY AUTOINCREMENT,
  "stream" text,
  "seq" integer,
  "event_id" text,
  "kind" text,
  "at" text,
  "by" text,
  "data" text,
  "log" text,
  "prev" text,
  "hash" text);
CREATE UNIQUE INDEX "idx_events_event_id" ON "events"("event_id");
CREATE UNIQUE INDEX "event_of_stream" ON "events"("stream","seq");
CREATE TABLE "touches" (
  "subject" text,
  "ord" integer,PRIMARY KEY ("subject",
  "ord"));
CREATE TABLE "runs" (
  "id" text,
  "asset_id" text,
  "tag" text,
  "maker" text,
  "model" text,
  "site" text,
  "place" text,
  "family" text,
  "procedure" text,
  "title" text,
  "revision" integer,
  "hash" text,
  "status" text,
  "result" text,
  "opened_at" datetime,
  "ended_at" datetime,
  "by_id" text,
  "by" text,
  "reviewer" text,
  "now" text,
  "timer_title" text,
  "timer_start" datetime,
  "timer_until" datetime,
  "found" integer NOT NULL DEFAULT 0,
  "found_out" integer NOT NULL DEFAULT 0,
  "loose" integer,
  "loose_since" datetime,
  "seq" integer,
  "head" text,
  "replaced_by" text NOT NULL DEFAULT "",
  "paper" numeric,PRIMARY KEY ("id"));
CREATE INDEX "run_by_status" ON "runs"("status","opened_at");
CREATE INDEX "run_of_asset" ON "runs"("asset_id","ended_at");
CREATE TABLE "loose_ends" (
  "id" integer PRIMARY KEY AUTOINCREMENT,
  "run_id" text,
  "what" text,
  "tag" text,
  "by" text,
  "opened_at" datetime);
CREATE INDEX "idx_loose_ends_run_id" ON "loose_ends"("run_id");
CREATE TABLE "results" (
  "id" integer PRIMARY KEY AUTOINCREMENT,
  "run_id" text,
  "asset_id" text,
  "at" datetime,
  "measure" text,
  "point" text,
  "label" text,
  "unit" text,
  "phase" text,
  "reference" real,
  "indicated" real,
  "error" real,
  "low" real,
  "high" real,
  "u" real,
  "zone" text,
  "error_to_limit" real,
  "u_to_limit" real);
CREATE INDEX "result_of_asset" ON "results"("asset_id","at");
CREATE INDEX "idx_results_run_id" ON "results"("run_id");
CREATE TABLE "uses" (
  "id" integer PRIMARY KEY AUTOINCREMENT,
  "run_id" text,
  "standard_id" text,
  "role" text,
  "at" datetime);
CREATE INDEX "idx_uses_standard_id" ON "uses"("standard_id");
CREATE INDEX "idx_uses_run_id" ON "uses"("run_id");
CREATE TABLE "instruments" (
  "id" text,
  "name" text,
  "kind" text,
  "address" text,
  "channels" text,PRIMARY KEY ("id"));
CREATE TABLE "settings" (
  "key" text,
  "value" text,PRIMARY KEY ("key"));
CREATE TABLE "sessions" (
  "token" text,
  "data" blob,
  "expiry" datetime,PRIMARY KEY ("token"));
CREATE INDEX "idx_sessions_expiry" ON "sessions"("expiry");
CREATE TABLE "control_lots" (
  "id" text,
  "asset_id" text,
  "analyte" text,
  "level" integer,
  "lot" text,
  "unit" text,
  "mean" real,
  "sd" real,
  "allowed" real,
  "from" datetime,
  "expires" datetime,PRIMARY KEY ("id"));
CREATE INDEX "control_lot_of" ON "control_lots"("asset_id","analyte");
CREATE TABLE "control_values" (
  "id" integer PRIMARY KEY AUTOINCREMENT,
  "run_id" text,
  "lot_id" text,
  "asset_id" text,
  "analyte" text,
  "at" datetime,
  "value" real,
  "by" text,
  "note" text);
CREATE INDEX "control_value_of" ON "control_values"("asset_id","analyte","at");
CREATE UNIQUE INDEX "control_once" ON "control_values"("run_id","lot_id");
CREATE TABLE "look_backs" (
  "id" text,
  "kind" text,
  "asset_id" text,
  "standard_id" text,
  "run_id" text,
  "analyte" text,
  "title" text,
  "found" text,
  "from" datetime,
  "until" datetime,
  "levels" text,
  "known" text,
  "risk" integer,
  "opened_at" datetime,
  "opened_by" text,
  "closed_at" datetime,
  "closed_by" text,
  "conclusion" text,PRIMARY KEY ("id"));
CREATE INDEX "look_back_by_state" ON "look_backs"("closed_at","opened_at");
CREATE INDEX "idx_look_backs_analyte" ON "look_backs"("analyte");
CREATE INDEX "idx_look_backs_standard_id" ON "look_backs"("standard_id");
CREATE INDEX "idx_look_backs_asset_id" ON "look_backs"("asset_id");
CREATE TABLE "notices" (
  "id" text,
  "look_back_id" text,
  "asset_id" text,
  "run_id" text,
  "to" text,
  "text" text,
  "sent_at" datetime,
  "sent_by" text,
  "answer" text,
  "answered_at" datetime,
  "answered_by" text,PRIMARY KEY ("id"));
CREATE INDEX "idx_notices_look_back_id" ON "notices"("look_back_id");
CREATE TABLE "rounds" (
  "day" text,
  "people" text,
  "jobs" text,
  "order" text,
  "who" text,
  "by" text,
  "at" datetime,PRIMARY KEY ("day"));
