-- Names are told apart by their bytes: 🚗 is not 🏍, Café is not Cafe.
ALTER TABLE vehicle MODIFY name VARCHAR(120) CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin NOT NULL;
ALTER TABLE vehicle_limit MODIFY name VARCHAR(60) CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin NOT NULL;
ALTER TABLE build_state MODIFY name VARCHAR(120) CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin NOT NULL;
ALTER TABLE map_revision MODIFY name VARCHAR(120) CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin NOT NULL;
ALTER TABLE fuel MODIFY name VARCHAR(120) CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin NOT NULL;
ALTER TABLE line_up MODIFY name VARCHAR(120) CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin NOT NULL;

-- Counts the changes of what belongs to a day or a vehicle: who writes must have seen the newest.
ALTER TABLE cell_day ADD COLUMN IF NOT EXISTS version BIGINT NOT NULL DEFAULT 0;
ALTER TABLE vehicle ADD COLUMN IF NOT EXISTS version BIGINT NOT NULL DEFAULT 0;

-- Long work has an owner that says it is alive. A claim is what the work takes: nobody takes it twice.
ALTER TABLE import_run
  ADD COLUMN IF NOT EXISTS owner VARCHAR(120) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS beat DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  ADD COLUMN IF NOT EXISTS claim CHAR(32) NULL,
  MODIFY state VARCHAR(12) NOT NULL CHECK (state IN ('running', 'done', 'failed', 'cancelled', 'interrupted'));
CREATE UNIQUE INDEX IF NOT EXISTS one_claim ON import_run (claim);
CREATE INDEX IF NOT EXISTS by_state ON import_run (state, beat);

-- What has changed, row after row, for what instances keep in memory: kind d is a day, v a vehicle, a (thing 0) everything.
-- Rows are only ever inserted: no two writers meet here. Numbers may come to be seen out of order; readers ask for gaps again.
CREATE TABLE IF NOT EXISTS change_log (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kind CHAR(1) NOT NULL,
  thing BIGINT NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3)
);

CREATE OR REPLACE TRIGGER stamp_day_up AFTER UPDATE ON cell_day FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', NEW.id);
CREATE OR REPLACE TRIGGER stamp_day_out AFTER DELETE ON cell_day FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', OLD.id);
CREATE OR REPLACE TRIGGER stamp_set_in AFTER INSERT ON pull_set FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'd', NEW.day_id FROM DUAL WHERE @jamjar_bulk IS NULL;
CREATE OR REPLACE TRIGGER stamp_set_up AFTER UPDATE ON pull_set FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'd', NEW.day_id UNION SELECT 'd', OLD.day_id;
CREATE OR REPLACE TRIGGER stamp_set_out AFTER DELETE ON pull_set FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', OLD.day_id);
CREATE OR REPLACE TRIGGER stamp_pull_in AFTER INSERT ON pull FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'd', s.day_id FROM pull_set s WHERE s.id = NEW.set_id AND @jamjar_bulk IS NULL;
CREATE OR REPLACE TRIGGER stamp_pull_up AFTER UPDATE ON pull FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT DISTINCT 'd', s.day_id FROM pull_set s WHERE s.id IN (NEW.set_id, OLD.set_id);
CREATE OR REPLACE TRIGGER stamp_pull_out AFTER DELETE ON pull FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'd', s.day_id FROM pull_set s WHERE s.id = OLD.set_id;
CREATE OR REPLACE TRIGGER stamp_summary_in AFTER INSERT ON pull_summary FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'd', s.day_id FROM pull p JOIN pull_set s ON s.id = p.set_id WHERE p.id = NEW.pull_id AND @jamjar_bulk IS NULL;
CREATE OR REPLACE TRIGGER stamp_summary_up AFTER UPDATE ON pull_summary FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'd', s.day_id FROM pull p JOIN pull_set s ON s.id = p.set_id WHERE p.id = NEW.pull_id;
CREATE OR REPLACE TRIGGER stamp_note_in AFTER INSERT ON day_note FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', NEW.day_id);
CREATE OR REPLACE TRIGGER stamp_note_up AFTER UPDATE ON day_note FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'd', NEW.day_id UNION SELECT 'd', OLD.day_id;
CREATE OR REPLACE TRIGGER stamp_note_out AFTER DELETE ON day_note FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', OLD.day_id);
CREATE OR REPLACE TRIGGER stamp_air_in AFTER INSERT ON day_air FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', NEW.day_id);
CREATE OR REPLACE TRIGGER stamp_air_up AFTER UPDATE ON day_air FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'd', NEW.day_id UNION SELECT 'd', OLD.day_id;
CREATE OR REPLACE TRIGGER stamp_air_out AFTER DELETE ON day_air FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('d', OLD.day_id);
CREATE OR REPLACE TRIGGER stamp_limit_in AFTER INSERT ON vehicle_limit FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_limit_up AFTER UPDATE ON vehicle_limit FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_limit_out AFTER DELETE ON vehicle_limit FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', OLD.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_vehicle_up AFTER UPDATE ON vehicle FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'v', NEW.id UNION ALL SELECT 'a', 0 FROM DUAL WHERE NEW.name <> OLD.name;
CREATE OR REPLACE TRIGGER stamp_build_up AFTER UPDATE ON build_state FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'v', NEW.vehicle_id UNION ALL SELECT 'a', 0 FROM DUAL WHERE NEW.name <> OLD.name;
CREATE OR REPLACE TRIGGER stamp_map_up AFTER UPDATE ON map_revision FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'v', NEW.vehicle_id UNION ALL SELECT 'a', 0 FROM DUAL WHERE NEW.name <> OLD.name;
CREATE OR REPLACE TRIGGER stamp_fuel_up AFTER UPDATE ON fuel FOR EACH ROW
  INSERT INTO change_log (kind, thing) SELECT 'a', 0 FROM DUAL WHERE NEW.name <> OLD.name OR NOT (NEW.ethanol <=> OLD.ethanol);

DROP TABLE IF EXISTS change_stamp;
