-- Ids that survive export and merging. Filled by an update, which is replicated row by row: a default that is evaluated while
-- a table is altered would differ from node to node.
ALTER TABLE vehicle ADD COLUMN IF NOT EXISTS uid CHAR(32) CHARACTER SET ascii NULL;
ALTER TABLE build_state ADD COLUMN IF NOT EXISTS uid CHAR(32) CHARACTER SET ascii NULL;
ALTER TABLE map_revision ADD COLUMN IF NOT EXISTS uid CHAR(32) CHARACTER SET ascii NULL;
ALTER TABLE fuel ADD COLUMN IF NOT EXISTS uid CHAR(32) CHARACTER SET ascii NULL;
ALTER TABLE cell_day ADD COLUMN IF NOT EXISTS uid CHAR(32) CHARACTER SET ascii NULL;
ALTER TABLE pull_set ADD COLUMN IF NOT EXISTS uid CHAR(32) CHARACTER SET ascii NULL;
ALTER TABLE pull ADD COLUMN IF NOT EXISTS uid CHAR(32) CHARACTER SET ascii NULL;
UPDATE vehicle SET uid = REPLACE(UUID(), '-', '') WHERE uid IS NULL;
UPDATE build_state SET uid = REPLACE(UUID(), '-', '') WHERE uid IS NULL;
UPDATE map_revision SET uid = REPLACE(UUID(), '-', '') WHERE uid IS NULL;
UPDATE fuel SET uid = REPLACE(UUID(), '-', '') WHERE uid IS NULL;
UPDATE cell_day SET uid = REPLACE(UUID(), '-', '') WHERE uid IS NULL;
UPDATE pull_set SET uid = REPLACE(UUID(), '-', '') WHERE uid IS NULL;
UPDATE pull SET uid = REPLACE(UUID(), '-', '') WHERE uid IS NULL;
ALTER TABLE vehicle ALTER COLUMN uid SET DEFAULT (REPLACE(UUID(), '-', ''));
ALTER TABLE build_state ALTER COLUMN uid SET DEFAULT (REPLACE(UUID(), '-', ''));
ALTER TABLE map_revision ALTER COLUMN uid SET DEFAULT (REPLACE(UUID(), '-', ''));
ALTER TABLE fuel ALTER COLUMN uid SET DEFAULT (REPLACE(UUID(), '-', ''));
ALTER TABLE cell_day ALTER COLUMN uid SET DEFAULT (REPLACE(UUID(), '-', ''));
ALTER TABLE pull_set ALTER COLUMN uid SET DEFAULT (REPLACE(UUID(), '-', ''));
ALTER TABLE pull ALTER COLUMN uid SET DEFAULT (REPLACE(UUID(), '-', ''));
CREATE UNIQUE INDEX IF NOT EXISTS vehicle_uid ON vehicle (uid);
CREATE UNIQUE INDEX IF NOT EXISTS build_uid ON build_state (uid);
CREATE UNIQUE INDEX IF NOT EXISTS map_uid ON map_revision (uid);
CREATE UNIQUE INDEX IF NOT EXISTS fuel_uid ON fuel (uid);
CREATE UNIQUE INDEX IF NOT EXISTS day_uid ON cell_day (uid);
CREATE UNIQUE INDEX IF NOT EXISTS set_uid ON pull_set (uid);
CREATE UNIQUE INDEX IF NOT EXISTS pull_uid ON pull (uid);

-- What was made one with another thing is found there under its old id.
CREATE TABLE IF NOT EXISTS merged_id (
  uid CHAR(32) CHARACTER SET ascii NOT NULL PRIMARY KEY,
  kind VARCHAR(10) CHARACTER SET ascii NOT NULL,
  into_id BIGINT NOT NULL
);

-- A cell with its dyno. A day stands in one; its place is the cell's name, kept beside it for lists.
CREATE TABLE IF NOT EXISTS cell (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  uid CHAR(32) CHARACTER SET ascii NULL DEFAULT (REPLACE(UUID(), '-', '')),
  name VARCHAR(120) NOT NULL,
  dyno VARCHAR(20) CHARACTER SET ascii NOT NULL DEFAULT '',
  folder VARCHAR(500) NOT NULL DEFAULT '',
  calibrated_on DATE NULL,
  note TEXT NOT NULL DEFAULT '',
  UNIQUE KEY cell_name (name),
  UNIQUE KEY cell_uid (uid)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;
ALTER TABLE cell_day ADD COLUMN IF NOT EXISTS cell_id BIGINT NULL;
INSERT IGNORE INTO cell (name) SELECT DISTINCT place FROM cell_day WHERE place <> '' ORDER BY place;
UPDATE cell_day d JOIN cell c ON c.name = d.place SET d.cell_id = c.id WHERE d.cell_id IS NULL;
ALTER TABLE cell_day ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS day_in_cell (cell_id) REFERENCES cell (id);
CREATE INDEX IF NOT EXISTS day_of_cell ON cell_day (cell_id, on_date);

ALTER TABLE audit MODIFY kind VARCHAR(10) NOT NULL CHECK (kind IN ('vehicle', 'day', 'set', 'pull', 'map', 'fuel', 'build', 'cell'));

-- The set that runs now, as JSON: its id once it is stored, and its configuration until then. Cleared with blank.
ALTER TABLE cell_day ADD COLUMN IF NOT EXISTS running TEXT CHARACTER SET utf8mb4 NOT NULL DEFAULT '';
-- Pulls that went to a set which was there already know the import they came with, as new sets do.
ALTER TABLE pull ADD COLUMN IF NOT EXISTS run_id BIGINT NULL;
CREATE INDEX IF NOT EXISTS pull_run ON pull (run_id);

-- A revision may serve vehicles beside the one it was made for.
CREATE TABLE IF NOT EXISTS map_use (
  map_id BIGINT NOT NULL,
  vehicle_id BIGINT NOT NULL,
  PRIMARY KEY (map_id, vehicle_id),
  FOREIGN KEY (map_id) REFERENCES map_revision (id) ON DELETE CASCADE,
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id) ON DELETE CASCADE
);
CREATE OR REPLACE TRIGGER stamp_map_use_in AFTER INSERT ON map_use FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_map_use_out AFTER DELETE ON map_use FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', OLD.vehicle_id);

-- Pictures, prints and papers beside what they belong to; their bytes are in custody like recordings.
CREATE TABLE IF NOT EXISTS attachment (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kind VARCHAR(10) CHARACTER SET ascii NOT NULL CHECK (kind IN ('vehicle', 'day', 'set', 'pull', 'note')),
  thing BIGINT NOT NULL,
  file_id BIGINT NOT NULL,
  name VARCHAR(300) NOT NULL,
  media VARCHAR(60) CHARACTER SET ascii NOT NULL,
  written_by VARCHAR(120) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  archived_at DATETIME(3) NULL,
  KEY attached_to (kind, thing),
  FOREIGN KEY (file_id) REFERENCES raw_file (id)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;
