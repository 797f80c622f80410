-- What was put right: what stood there before, what stands there now, who, when and why. It stays when the thing is gone.
CREATE TABLE IF NOT EXISTS audit (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kind VARCHAR(10) NOT NULL CHECK (kind IN ('vehicle', 'day', 'set', 'pull', 'map', 'fuel', 'build')),
  thing BIGINT NOT NULL,
  field VARCHAR(60) NOT NULL,
  old_value TEXT NOT NULL,
  new_value TEXT NOT NULL,
  who VARCHAR(120) NOT NULL,
  why VARCHAR(500) NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  KEY (kind, thing, id)
) CHARACTER SET utf8mb4;

-- What is archived leaves lists, figures and search, and comes back when it is restored.
ALTER TABLE vehicle ADD COLUMN IF NOT EXISTS archived_at DATETIME(3) NULL;
ALTER TABLE map_revision ADD COLUMN IF NOT EXISTS archived_at DATETIME(3) NULL;
ALTER TABLE cell_day
  ADD COLUMN IF NOT EXISTS archived_at DATETIME(3) NULL,
  ADD COLUMN IF NOT EXISTS zone VARCHAR(60) NOT NULL DEFAULT '';
ALTER TABLE pull_set
  ADD COLUMN IF NOT EXISTS archived_at DATETIME(3) NULL,
  ADD COLUMN IF NOT EXISTS run_id BIGINT NULL,
  ADD INDEX IF NOT EXISTS set_of_run (run_id);
ALTER TABLE pull ADD COLUMN IF NOT EXISTS archived_at DATETIME(3) NULL;

CREATE OR REPLACE TRIGGER stamp_day_up AFTER UPDATE ON cell_day FOR EACH ROW
  INSERT INTO change_log (kind, thing) VALUES (IF(
    (NEW.measured, NEW.vehicle_id, NEW.on_date, NEW.temperature_c, NEW.humidity, NEW.pressure_hpa, NEW.archived_at)
    <=> (OLD.measured, OLD.vehicle_id, OLD.on_date, OLD.temperature_c, OLD.humidity, OLD.pressure_hpa, OLD.archived_at), 'd', 'f'), NEW.id);
CREATE OR REPLACE TRIGGER stamp_set_up AFTER UPDATE ON pull_set FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT IF(
    (NEW.day_id, NEW.build_id, NEW.map_id, NEW.fuel_id, NEW.position, NEW.boost, NEW.gear, NEW.extras, NEW.invalid_reason, NEW.archived_at)
    <=> (OLD.day_id, OLD.build_id, OLD.map_id, OLD.fuel_id, OLD.position, OLD.boost, OLD.gear, OLD.extras, OLD.invalid_reason, OLD.archived_at),
    'd', 'f'), NEW.day_id
  UNION SELECT 'f', OLD.day_id FROM DUAL WHERE OLD.day_id <> NEW.day_id;
CREATE OR REPLACE TRIGGER stamp_pull_up AFTER UPDATE ON pull FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT DISTINCT IF(
    (NEW.set_id, NEW.position, NEW.lag_s, NEW.excluded_reason, NEW.excluded_by, NEW.started_at, NEW.temperature_c, NEW.humidity, NEW.pressure_hpa,
      NEW.shares_pull_id, NEW.archived_at)
    <=> (OLD.set_id, OLD.position, OLD.lag_s, OLD.excluded_reason, OLD.excluded_by, OLD.started_at, OLD.temperature_c, OLD.humidity, OLD.pressure_hpa,
      OLD.shares_pull_id, OLD.archived_at), 'd', 'f'), s.day_id FROM pull_set s WHERE s.id IN (NEW.set_id, OLD.set_id);
CREATE OR REPLACE TRIGGER stamp_vehicle_up AFTER UPDATE ON vehicle FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'v', NEW.id
  UNION ALL SELECT 'a', 0 FROM DUAL WHERE NEW.name <> OLD.name OR NOT (NEW.archived_at <=> OLD.archived_at);
CREATE OR REPLACE TRIGGER stamp_map_up AFTER UPDATE ON map_revision FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'v', NEW.vehicle_id UNION ALL SELECT 'a', 0 FROM DUAL WHERE NEW.name <> OLD.name;
