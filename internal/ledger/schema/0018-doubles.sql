-- Entries of the register that were found to be the same device as another.
ALTER TABLE assets ADD COLUMN same_as text NOT NULL DEFAULT '';
CREATE INDEX "double_of" ON "assets"("same_as") WHERE same_as <> '';
