ALTER TABLE pull_summary
  ADD COLUMN air_temperature_c DOUBLE NULL,
  ADD COLUMN air_humidity DOUBLE NULL,
  ADD COLUMN air_pressure_hpa DOUBLE NULL,
  ADD COLUMN limit_used DOUBLE NULL,
  ADD COLUMN flags VARCHAR(400) NOT NULL DEFAULT '',
  ADD COLUMN spark VARBINARY(80) NULL;

-- Days changed since, for the indexes that instances keep in memory. A day that is gone stays here; day 0 means everything.
CREATE TABLE find_change (
  day_id BIGINT NOT NULL PRIMARY KEY,
  at DATETIME(6) NOT NULL,
  KEY (at)
);

CREATE TRIGGER find_day_up AFTER UPDATE ON cell_day FOR EACH ROW
  INSERT INTO find_change (day_id, at) VALUES (NEW.id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE TRIGGER find_day_out AFTER DELETE ON cell_day FOR EACH ROW
  INSERT INTO find_change (day_id, at) VALUES (OLD.id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);

CREATE TRIGGER find_set_in AFTER INSERT ON pull_set FOR EACH ROW
  INSERT INTO find_change (day_id, at) SELECT NEW.day_id, UTC_TIMESTAMP(6) FROM DUAL WHERE @jamjar_bulk IS NULL ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE TRIGGER find_set_up AFTER UPDATE ON pull_set FOR EACH ROW
  INSERT INTO find_change (day_id, at) VALUES (NEW.day_id, UTC_TIMESTAMP(6)), (OLD.day_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE TRIGGER find_set_out AFTER DELETE ON pull_set FOR EACH ROW
  INSERT INTO find_change (day_id, at) VALUES (OLD.day_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);

CREATE TRIGGER find_pull_in AFTER INSERT ON pull FOR EACH ROW
  INSERT INTO find_change (day_id, at) SELECT s.day_id, UTC_TIMESTAMP(6) FROM pull_set s WHERE s.id = NEW.set_id AND @jamjar_bulk IS NULL ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE TRIGGER find_pull_up AFTER UPDATE ON pull FOR EACH ROW
  INSERT INTO find_change (day_id, at) SELECT s.day_id, UTC_TIMESTAMP(6) FROM pull_set s WHERE s.id IN (NEW.set_id, OLD.set_id) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE TRIGGER find_pull_out AFTER DELETE ON pull FOR EACH ROW
  INSERT INTO find_change (day_id, at) SELECT s.day_id, UTC_TIMESTAMP(6) FROM pull_set s WHERE s.id = OLD.set_id ON DUPLICATE KEY UPDATE at = VALUES(at);

CREATE TRIGGER find_summary_in AFTER INSERT ON pull_summary FOR EACH ROW
  INSERT INTO find_change (day_id, at) SELECT s.day_id, UTC_TIMESTAMP(6) FROM pull p JOIN pull_set s ON s.id = p.set_id WHERE p.id = NEW.pull_id AND @jamjar_bulk IS NULL ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE TRIGGER find_summary_up AFTER UPDATE ON pull_summary FOR EACH ROW
  INSERT INTO find_change (day_id, at) SELECT s.day_id, UTC_TIMESTAMP(6) FROM pull p JOIN pull_set s ON s.id = p.set_id WHERE p.id = NEW.pull_id ON DUPLICATE KEY UPDATE at = VALUES(at);

CREATE TRIGGER find_note_in AFTER INSERT ON day_note FOR EACH ROW
  INSERT INTO find_change (day_id, at) VALUES (NEW.day_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE TRIGGER find_note_up AFTER UPDATE ON day_note FOR EACH ROW
  INSERT INTO find_change (day_id, at) VALUES (NEW.day_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE TRIGGER find_note_out AFTER DELETE ON day_note FOR EACH ROW
  INSERT INTO find_change (day_id, at) VALUES (OLD.day_id, UTC_TIMESTAMP(6)) ON DUPLICATE KEY UPDATE at = VALUES(at);

CREATE TRIGGER find_vehicle_up AFTER UPDATE ON vehicle FOR EACH ROW
  INSERT INTO find_change (day_id, at) SELECT 0, UTC_TIMESTAMP(6) FROM DUAL WHERE NEW.name <> OLD.name ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE TRIGGER find_build_up AFTER UPDATE ON build_state FOR EACH ROW
  INSERT INTO find_change (day_id, at) SELECT 0, UTC_TIMESTAMP(6) FROM DUAL WHERE NEW.name <> OLD.name ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE TRIGGER find_map_up AFTER UPDATE ON map_revision FOR EACH ROW
  INSERT INTO find_change (day_id, at) SELECT 0, UTC_TIMESTAMP(6) FROM DUAL WHERE NEW.name <> OLD.name ON DUPLICATE KEY UPDATE at = VALUES(at);
CREATE TRIGGER find_fuel_up AFTER UPDATE ON fuel FOR EACH ROW
  INSERT INTO find_change (day_id, at) SELECT 0, UTC_TIMESTAMP(6) FROM DUAL WHERE NEW.name <> OLD.name OR NOT (NEW.ethanol <=> OLD.ethanol) ON DUPLICATE KEY UPDATE at = VALUES(at);
