-- A note may be of something seen or heard in one pull, over engine speeds, rpm, and loads, %.
ALTER TABLE day_note ADD COLUMN IF NOT EXISTS pull_id BIGINT NULL;
ALTER TABLE day_note ADD COLUMN IF NOT EXISTS rpm_from DOUBLE NULL;
ALTER TABLE day_note ADD COLUMN IF NOT EXISTS rpm_to DOUBLE NULL;
ALTER TABLE day_note ADD COLUMN IF NOT EXISTS load_from DOUBLE NULL;
ALTER TABLE day_note ADD COLUMN IF NOT EXISTS load_to DOUBLE NULL;
CREATE INDEX IF NOT EXISTS note_of_pull ON day_note (pull_id);
