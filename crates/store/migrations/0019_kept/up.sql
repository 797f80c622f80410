-- A day's plan as it was kept, and the file a sign-off was signed for.
ALTER TABLE cell_day ADD COLUMN IF NOT EXISTS plan TEXT NOT NULL DEFAULT '';
ALTER TABLE sign_off ADD COLUMN IF NOT EXISTS file_sha CHAR(64) NULL;
CREATE OR REPLACE TRIGGER sign_off_stays BEFORE UPDATE ON sign_off FOR EACH ROW
  IF OLD.signed_at IS NOT NULL AND NOT (NEW.answers <=> OLD.answers AND NEW.signed_by <=> OLD.signed_by AND NEW.signed_at <=> OLD.signed_at AND NEW.file_sha <=> OLD.file_sha) THEN SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'what was signed is not changed'; END IF;

-- A day that comes, goes or moves is a change of its vehicle: pages over all of its days may then be kept.
CREATE OR REPLACE TRIGGER stamp_vehicle_of_day_in AFTER INSERT ON cell_day FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_vehicle_of_day_out AFTER DELETE ON cell_day FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', OLD.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_vehicle_of_day_up AFTER UPDATE ON cell_day FOR EACH ROW
  IF NOT (OLD.archived_at <=> NEW.archived_at AND OLD.vehicle_id = NEW.vehicle_id AND OLD.on_date = NEW.on_date) THEN INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id), ('v', OLD.vehicle_id); END IF;
