-- A cell is calibrated again and again: dates before the newest, as ISO dates with spaces between, newest first.
ALTER TABLE cell ADD COLUMN IF NOT EXISTS earlier_calibrations VARCHAR(500) CHARACTER SET ascii NOT NULL DEFAULT '';
