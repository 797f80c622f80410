-- What was tried of a map on a fuel before it goes home, and who signed it.
CREATE TABLE IF NOT EXISTS sign_off (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  vehicle_id BIGINT NOT NULL,
  map_id BIGINT NOT NULL,
  fuel_id BIGINT NOT NULL,
  on_date DATE NOT NULL,
  answers TEXT NOT NULL,
  written_by VARCHAR(120) NOT NULL,
  written_at DATETIME(3) NOT NULL,
  signed_by VARCHAR(120) NULL,
  signed_at DATETIME(3) NULL,
  KEY (vehicle_id, map_id, fuel_id),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id) ON DELETE CASCADE,
  FOREIGN KEY (map_id) REFERENCES map_revision (id) ON DELETE CASCADE,
  FOREIGN KEY (fuel_id) REFERENCES fuel (id)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;
CREATE OR REPLACE TRIGGER sign_off_stays BEFORE UPDATE ON sign_off FOR EACH ROW
  IF OLD.signed_at IS NOT NULL AND NOT (NEW.answers <=> OLD.answers AND NEW.signed_by <=> OLD.signed_by AND NEW.signed_at <=> OLD.signed_at) THEN SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'what was signed is not changed'; END IF;
CREATE OR REPLACE TRIGGER stamp_sign_off_in AFTER INSERT ON sign_off FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_sign_off_up AFTER UPDATE ON sign_off FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);

-- Work at a distance on one vehicle: revisions out, recordings back, remarks on them.
CREATE TABLE IF NOT EXISTS thread (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  uid CHAR(32) CHARACTER SET ascii NOT NULL DEFAULT (REPLACE(UUID(), '-', '')),
  vehicle_id BIGINT NOT NULL,
  title VARCHAR(200) NOT NULL,
  opened_by VARCHAR(120) NOT NULL,
  opened_at DATETIME(3) NOT NULL,
  closed_at DATETIME(3) NULL,
  UNIQUE KEY thread_uid (uid),
  KEY (vehicle_id),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;

-- Map files and recordings are named by what they hold, so that a step says the same in two shops.
CREATE TABLE IF NOT EXISTS thread_step (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  uid CHAR(32) CHARACTER SET ascii NOT NULL DEFAULT (REPLACE(UUID(), '-', '')),
  thread_id BIGINT NOT NULL,
  kind VARCHAR(16) NOT NULL,
  written_by VARCHAR(120) NOT NULL,
  written_at DATETIME(3) NOT NULL,
  words TEXT NOT NULL,
  map_id BIGINT NULL,
  files TEXT NOT NULL,
  channel VARCHAR(64) NULL,
  at_s DOUBLE NULL,
  UNIQUE KEY thread_step_uid (uid),
  KEY (thread_id),
  FOREIGN KEY (thread_id) REFERENCES thread (id) ON DELETE CASCADE,
  FOREIGN KEY (map_id) REFERENCES map_revision (id) ON DELETE SET NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;
CREATE OR REPLACE TRIGGER stamp_thread_in AFTER INSERT ON thread FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_thread_up AFTER UPDATE ON thread FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_thread_step_in AFTER INSERT ON thread_step FOR EACH ROW INSERT INTO change_log (kind, thing) SELECT 'v', t.vehicle_id FROM thread t WHERE t.id = NEW.thread_id;

-- Whose vehicle it is, and how they are reached: stays in the shop, in no report and no thread.
CREATE TABLE IF NOT EXISTS contact (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  vehicle_id BIGINT NOT NULL,
  name VARCHAR(120) NOT NULL,
  reached VARCHAR(300) NOT NULL,
  note VARCHAR(1000) NOT NULL,
  UNIQUE KEY contact_of (vehicle_id),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;
CREATE OR REPLACE TRIGGER stamp_contact_in AFTER INSERT ON contact FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_contact_up AFTER UPDATE ON contact FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_contact_off AFTER DELETE ON contact FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', OLD.vehicle_id);
