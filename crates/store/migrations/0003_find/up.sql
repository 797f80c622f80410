ALTER TABLE pull_summary
  ADD COLUMN IF NOT EXISTS air_temperature_c DOUBLE NULL,
  ADD COLUMN IF NOT EXISTS air_humidity DOUBLE NULL,
  ADD COLUMN IF NOT EXISTS air_pressure_hpa DOUBLE NULL,
  ADD COLUMN IF NOT EXISTS limit_used DOUBLE NULL,
  ADD COLUMN IF NOT EXISTS flags VARCHAR(400) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS spark VARBINARY(80) NULL;

-- What has changed and when, for what instances keep in memory: kind d is a day, v a vehicle, a (with id 0) everything.
-- What is gone stays here.
CREATE TABLE IF NOT EXISTS change_stamp (
  kind CHAR(1) NOT NULL,
  id BIGINT NOT NULL,
  at DATETIME(6) NOT NULL,
  PRIMARY KEY (kind, id),
  KEY (at)
);

CREATE OR REPLACE TRIGGER stamp_day_up AFTER UPDATE ON cell_day FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) VALUES ('d', NEW.id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_day_out AFTER DELETE ON cell_day FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) VALUES ('d', OLD.id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_set_in AFTER INSERT ON pull_set FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) SELECT 'd', NEW.day_id, UTC_TIMESTAMP(6) FROM DUAL WHERE @jamjar_bulk IS NULL ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_set_up AFTER UPDATE ON pull_set FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) VALUES ('d', NEW.day_id, UTC_TIMESTAMP(6)), ('d', OLD.day_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_set_out AFTER DELETE ON pull_set FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) VALUES ('d', OLD.day_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_pull_in AFTER INSERT ON pull FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) SELECT 'd', s.day_id, UTC_TIMESTAMP(6) FROM pull_set s WHERE s.id = NEW.set_id AND @jamjar_bulk IS NULL ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_pull_up AFTER UPDATE ON pull FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) SELECT 'd', s.day_id, UTC_TIMESTAMP(6) FROM pull_set s WHERE s.id IN (NEW.set_id, OLD.set_id) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_pull_out AFTER DELETE ON pull FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) SELECT 'd', s.day_id, UTC_TIMESTAMP(6) FROM pull_set s WHERE s.id = OLD.set_id ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_summary_in AFTER INSERT ON pull_summary FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) SELECT 'd', s.day_id, UTC_TIMESTAMP(6) FROM pull p JOIN pull_set s ON s.id = p.set_id WHERE p.id = NEW.pull_id AND @jamjar_bulk IS NULL ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_summary_up AFTER UPDATE ON pull_summary FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) SELECT 'd', s.day_id, UTC_TIMESTAMP(6) FROM pull p JOIN pull_set s ON s.id = p.set_id WHERE p.id = NEW.pull_id ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_note_in AFTER INSERT ON day_note FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) SELECT 'd', NEW.day_id, UTC_TIMESTAMP(6) FROM DUAL WHERE @jamjar_bulk IS NULL ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_note_up AFTER UPDATE ON day_note FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) VALUES ('d', NEW.day_id, UTC_TIMESTAMP(6)), ('d', OLD.day_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_note_out AFTER DELETE ON day_note FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) VALUES ('d', OLD.day_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_air_in AFTER INSERT ON day_air FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) SELECT 'd', NEW.day_id, UTC_TIMESTAMP(6) FROM DUAL WHERE @jamjar_bulk IS NULL ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_air_up AFTER UPDATE ON day_air FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) VALUES ('d', NEW.day_id, UTC_TIMESTAMP(6)), ('d', OLD.day_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_air_out AFTER DELETE ON day_air FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) VALUES ('d', OLD.day_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);

CREATE OR REPLACE TRIGGER stamp_limit_in AFTER INSERT ON vehicle_limit FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) VALUES ('v', NEW.vehicle_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_limit_up AFTER UPDATE ON vehicle_limit FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) VALUES ('v', NEW.vehicle_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_limit_out AFTER DELETE ON vehicle_limit FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) VALUES ('v', OLD.vehicle_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_vehicle_up AFTER UPDATE ON vehicle FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) SELECT 'v', NEW.id, UTC_TIMESTAMP(6) UNION ALL SELECT 'a', 0, UTC_TIMESTAMP(6) FROM DUAL WHERE NEW.name <> OLD.name ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_build_up AFTER UPDATE ON build_state FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) SELECT 'v', NEW.vehicle_id, UTC_TIMESTAMP(6) UNION ALL SELECT 'a', 0, UTC_TIMESTAMP(6) FROM DUAL WHERE NEW.name <> OLD.name ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_map_up AFTER UPDATE ON map_revision FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) SELECT 'v', NEW.vehicle_id, UTC_TIMESTAMP(6) UNION ALL SELECT 'a', 0, UTC_TIMESTAMP(6) FROM DUAL WHERE NEW.name <> OLD.name ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE OR REPLACE TRIGGER stamp_fuel_up AFTER UPDATE ON fuel FOR EACH ROW
  INSERT INTO change_stamp (kind, id, at) SELECT 'a', 0, UTC_TIMESTAMP(6) FROM DUAL WHERE NEW.name <> OLD.name OR NOT (NEW.ethanol <=> OLD.ethanol) ON DUPLICATE KEY UPDATE at = VALUES(at);

CREATE TABLE IF NOT EXISTS line_up (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  vehicle_id BIGINT NOT NULL,
  name VARCHAR(120) NOT NULL,
  query VARCHAR(1000) NOT NULL,
  kept_by VARCHAR(120) NOT NULL,
  kept_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  UNIQUE (vehicle_id, name),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id)
);

CREATE TABLE IF NOT EXISTS plan_item (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  vehicle_id BIGINT NOT NULL,
  factors JSON NOT NULL,
  pulls INT NOT NULL,
  why VARCHAR(500) NOT NULL,
  planned_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  KEY (vehicle_id),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id)
);
