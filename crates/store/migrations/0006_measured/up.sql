-- Counts the changes of what the measurements of a day rest on: its pulls, their air, their lags. Leaving a pull out or writing a note is
-- none of these, and neither meets a change of the air.
ALTER TABLE cell_day ADD COLUMN IF NOT EXISTS measured BIGINT NOT NULL DEFAULT 0;

-- A further kind in the log of changes: f is a day with its figures, d only its words; n is a name that a list of names shows.
CREATE OR REPLACE TRIGGER stamp_day_up AFTER UPDATE ON cell_day FOR EACH ROW
  INSERT INTO change_log (kind, thing) VALUES (IF(
    (NEW.measured, NEW.vehicle_id, NEW.on_date, NEW.temperature_c, NEW.humidity, NEW.pressure_hpa)
    <=> (OLD.measured, OLD.vehicle_id, OLD.on_date, OLD.temperature_c, OLD.humidity, OLD.pressure_hpa), 'd', 'f'), NEW.id);
CREATE OR REPLACE TRIGGER stamp_day_out AFTER DELETE ON cell_day FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('f', OLD.id);
CREATE OR REPLACE TRIGGER stamp_set_in AFTER INSERT ON pull_set FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'f', NEW.day_id FROM DUAL WHERE @jamjar_bulk IS NULL;
CREATE OR REPLACE TRIGGER stamp_set_up AFTER UPDATE ON pull_set FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT IF(
    (NEW.day_id, NEW.build_id, NEW.map_id, NEW.fuel_id, NEW.position, NEW.boost, NEW.gear, NEW.extras, NEW.invalid_reason)
    <=> (OLD.day_id, OLD.build_id, OLD.map_id, OLD.fuel_id, OLD.position, OLD.boost, OLD.gear, OLD.extras, OLD.invalid_reason), 'd', 'f'), NEW.day_id
  UNION SELECT 'f', OLD.day_id FROM DUAL WHERE OLD.day_id <> NEW.day_id;
CREATE OR REPLACE TRIGGER stamp_set_out AFTER DELETE ON pull_set FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('f', OLD.day_id);
CREATE OR REPLACE TRIGGER stamp_pull_in AFTER INSERT ON pull FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'f', s.day_id FROM pull_set s WHERE s.id = NEW.set_id AND @jamjar_bulk IS NULL;
CREATE OR REPLACE TRIGGER stamp_pull_up AFTER UPDATE ON pull FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT DISTINCT IF(
    (NEW.set_id, NEW.position, NEW.lag_s, NEW.excluded_reason, NEW.excluded_by, NEW.started_at, NEW.temperature_c, NEW.humidity, NEW.pressure_hpa,
      NEW.shares_pull_id)
    <=> (OLD.set_id, OLD.position, OLD.lag_s, OLD.excluded_reason, OLD.excluded_by, OLD.started_at, OLD.temperature_c, OLD.humidity, OLD.pressure_hpa,
      OLD.shares_pull_id), 'd', 'f'), s.day_id FROM pull_set s WHERE s.id IN (NEW.set_id, OLD.set_id);
CREATE OR REPLACE TRIGGER stamp_pull_out AFTER DELETE ON pull FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'f', s.day_id FROM pull_set s WHERE s.id = OLD.set_id;
CREATE OR REPLACE TRIGGER stamp_summary_in AFTER INSERT ON pull_summary FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'f', s.day_id FROM pull p JOIN pull_set s ON s.id = p.set_id WHERE p.id = NEW.pull_id AND @jamjar_bulk IS NULL;
CREATE OR REPLACE TRIGGER stamp_summary_up AFTER UPDATE ON pull_summary FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'f', s.day_id FROM pull p JOIN pull_set s ON s.id = p.set_id WHERE p.id = NEW.pull_id;
CREATE OR REPLACE TRIGGER stamp_air_in AFTER INSERT ON day_air FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('f', NEW.day_id);
CREATE OR REPLACE TRIGGER stamp_air_up AFTER UPDATE ON day_air FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'f', NEW.day_id UNION SELECT 'f', OLD.day_id;
CREATE OR REPLACE TRIGGER stamp_air_out AFTER DELETE ON day_air FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('f', OLD.day_id);

-- What a day sheet shows beside these: fuel on hand, files waiting, storing under way, plans and names to choose from.
CREATE OR REPLACE TRIGGER stamp_hand_in AFTER INSERT ON day_fuel FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', NEW.day_id);
CREATE OR REPLACE TRIGGER stamp_hand_up AFTER UPDATE ON day_fuel FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', NEW.day_id);
CREATE OR REPLACE TRIGGER stamp_hand_out AFTER DELETE ON day_fuel FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', OLD.day_id);
CREATE OR REPLACE TRIGGER stamp_inbox_in AFTER INSERT ON inbox FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', NEW.day_id);
CREATE OR REPLACE TRIGGER stamp_inbox_up AFTER UPDATE ON inbox FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', NEW.day_id);
CREATE OR REPLACE TRIGGER stamp_inbox_out AFTER DELETE ON inbox FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', OLD.day_id);
CREATE OR REPLACE TRIGGER stamp_run_in AFTER INSERT ON import_run FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'd', NEW.day_id FROM DUAL WHERE NEW.day_id IS NOT NULL;
CREATE OR REPLACE TRIGGER stamp_run_up AFTER UPDATE ON import_run FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'd', NEW.day_id FROM DUAL WHERE NEW.day_id IS NOT NULL AND NEW.state <> OLD.state;
CREATE OR REPLACE TRIGGER stamp_plan_in AFTER INSERT ON plan_item FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_plan_up AFTER UPDATE ON plan_item FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_plan_out AFTER DELETE ON plan_item FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', OLD.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_map_in AFTER INSERT ON map_revision FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_build_in AFTER INSERT ON build_state FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_fuel_in AFTER INSERT ON fuel FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('n', 0);
