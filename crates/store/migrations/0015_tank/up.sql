-- What a fuel is rated at, with the scale of the rating, and what a litre of it costs.
ALTER TABLE fuel ADD COLUMN IF NOT EXISTS octane DOUBLE NULL;
ALTER TABLE fuel ADD COLUMN IF NOT EXISTS octane_scale VARCHAR(4) NOT NULL DEFAULT '';
ALTER TABLE fuel ADD COLUMN IF NOT EXISTS price DOUBLE NULL;

-- A delivery of a fuel, with what was measured of it.
CREATE TABLE IF NOT EXISTS fuel_batch (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  fuel_id BIGINT NOT NULL,
  name VARCHAR(120) NOT NULL,
  source VARCHAR(200) NOT NULL,
  bought_on DATE NULL,
  ethanol DOUBLE NULL,
  measured_by VARCHAR(20) NOT NULL,
  note VARCHAR(500) NOT NULL,
  written_by VARCHAR(120) NOT NULL,
  created_at DATETIME(3) NOT NULL,
  archived_at DATETIME(3) NULL,
  KEY (fuel_id),
  FOREIGN KEY (fuel_id) REFERENCES fuel (id) ON DELETE CASCADE,
  CONSTRAINT batch_ethanol CHECK (ethanol IS NULL OR (ethanol >= 0 AND ethanol <= 1))
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;

-- What was poured into the tank of a vehicle on a day, onto what was left in it; unknown where nobody said.
CREATE TABLE IF NOT EXISTS tank_event (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  day_id BIGINT NOT NULL,
  at_time TIME NOT NULL,
  fuel_id BIGINT NOT NULL,
  batch_id BIGINT NULL,
  litres DOUBLE NOT NULL,
  left_l DOUBLE NULL,
  written_by VARCHAR(120) NOT NULL,
  archived_at DATETIME(3) NULL,
  KEY (day_id),
  KEY (fuel_id),
  KEY (batch_id),
  FOREIGN KEY (day_id) REFERENCES cell_day (id) ON DELETE CASCADE,
  FOREIGN KEY (fuel_id) REFERENCES fuel (id) ON DELETE CASCADE,
  FOREIGN KEY (batch_id) REFERENCES fuel_batch (id) ON DELETE SET NULL,
  CONSTRAINT poured_litres CHECK (litres >= 0 AND (left_l IS NULL OR left_l >= 0))
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;

-- Which map revision went into the unit of a vehicle, when.
CREATE TABLE IF NOT EXISTS flash (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  vehicle_id BIGINT NOT NULL,
  map_id BIGINT NOT NULL,
  on_date DATE NOT NULL,
  at_time TIME NULL,
  note VARCHAR(500) NOT NULL,
  written_by VARCHAR(120) NOT NULL,
  archived_at DATETIME(3) NULL,
  KEY (vehicle_id),
  KEY (map_id),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id) ON DELETE CASCADE,
  FOREIGN KEY (map_id) REFERENCES map_revision (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;

-- A ladder that was stopped on purpose, or gone on with although a forecast said not to: where, and why.
CREATE TABLE IF NOT EXISTS ladder_word (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  vehicle_id BIGINT NOT NULL,
  kind VARCHAR(10) NOT NULL,
  map VARCHAR(120) NOT NULL,
  fuel VARCHAR(120) NOT NULL,
  build VARCHAR(120) NOT NULL,
  gear VARCHAR(20) NOT NULL,
  rungs VARCHAR(60) NOT NULL,
  at_rung VARCHAR(120) NOT NULL,
  reason VARCHAR(500) NOT NULL,
  forecast VARCHAR(1000) NOT NULL,
  written_by VARCHAR(120) NOT NULL,
  written_at DATETIME(3) NOT NULL,
  archived_at DATETIME(3) NULL,
  KEY (vehicle_id),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;

CREATE OR REPLACE TRIGGER stamp_batch_in AFTER INSERT ON fuel_batch FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('n', 0);
CREATE OR REPLACE TRIGGER stamp_batch_up AFTER UPDATE ON fuel_batch FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('n', 0);
CREATE OR REPLACE TRIGGER stamp_tank_in AFTER INSERT ON tank_event FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'd', NEW.day_id UNION ALL SELECT 'v', d.vehicle_id FROM cell_day d WHERE d.id = NEW.day_id;
CREATE OR REPLACE TRIGGER stamp_tank_up AFTER UPDATE ON tank_event FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'd', NEW.day_id UNION ALL SELECT 'v', d.vehicle_id FROM cell_day d WHERE d.id = NEW.day_id;
CREATE OR REPLACE TRIGGER stamp_flash_in AFTER INSERT ON flash FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_flash_up AFTER UPDATE ON flash FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_ladder_in AFTER INSERT ON ladder_word FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_ladder_up AFTER UPDATE ON ladder_word FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
