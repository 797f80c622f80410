-- A pull that came finished: a printed curve, typed peaks, or the engine computer's recording alone; NULL for two recordings.
ALTER TABLE pull ADD COLUMN IF NOT EXISTS finished MEDIUMTEXT CHARACTER SET utf8mb4 NULL;
-- A print waits on a day like any recording.
ALTER TABLE inbox MODIFY role VARCHAR(10) NOT NULL CHECK (role IN ('dyno', 'ecu', 'print', 'unknown'));
-- What channels reached over the pull, for searching: 32-bit numbers, not a number where nothing was logged.
ALTER TABLE pull_summary ADD COLUMN IF NOT EXISTS reached VARBINARY(64) NULL;
