-- What was changed on a vehicle at a time: software of a unit, a belt, a sensor. A factor of every comparison that crosses it.
CREATE TABLE IF NOT EXISTS intervention (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  day_id BIGINT NOT NULL,
  at_time TIME NULL,
  what VARCHAR(60) NOT NULL,
  from_state VARCHAR(120) NOT NULL,
  to_state VARCHAR(120) NOT NULL,
  written_by VARCHAR(120) NOT NULL,
  archived_at DATETIME(3) NULL,
  KEY (day_id),
  FOREIGN KEY (day_id) REFERENCES cell_day (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;

-- It stands between any two days of its vehicle.
CREATE OR REPLACE TRIGGER stamp_intervention_in AFTER INSERT ON intervention FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'f', d.id FROM cell_day d JOIN cell_day own ON own.vehicle_id = d.vehicle_id WHERE own.id = NEW.day_id;
CREATE OR REPLACE TRIGGER stamp_intervention_up AFTER UPDATE ON intervention FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'f', d.id FROM cell_day d JOIN cell_day own ON own.vehicle_id = d.vehicle_id WHERE own.id = NEW.day_id;
