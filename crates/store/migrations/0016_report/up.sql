-- The shop's mark is a picture, longer than any other choice.
ALTER TABLE shop_setting MODIFY value MEDIUMTEXT NOT NULL;

-- A sheet that left the shop: its bytes and its own copy of the figures, never changed afterwards.
CREATE TABLE IF NOT EXISTS report (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  number VARCHAR(20) NOT NULL,
  vehicle_id BIGINT NOT NULL,
  title VARCHAR(400) NOT NULL,
  asked TEXT NOT NULL,
  sheet MEDIUMBLOB NOT NULL,
  sheet_sha CHAR(64) NOT NULL,
  figures MEDIUMBLOB NOT NULL,
  figures_sha CHAR(64) NOT NULL,
  supersedes VARCHAR(20) NULL,
  why VARCHAR(500) NOT NULL,
  issued_by VARCHAR(120) NOT NULL,
  issued_at DATETIME(3) NOT NULL,
  UNIQUE KEY report_number (number, vehicle_id),
  UNIQUE KEY report_follows (supersedes, vehicle_id),
  KEY (vehicle_id),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;

-- The last number given in a year: who issues writes here first, so no number is given twice.
CREATE TABLE IF NOT EXISTS report_year (
  year INT NOT NULL PRIMARY KEY,
  last VARCHAR(20) NOT NULL
);

-- What was issued stays as it was.
CREATE OR REPLACE TRIGGER report_stays BEFORE UPDATE ON report FOR EACH ROW
  IF NOT (NEW.number <=> OLD.number AND NEW.title <=> OLD.title AND NEW.asked <=> OLD.asked AND NEW.sheet <=> OLD.sheet
    AND NEW.sheet_sha <=> OLD.sheet_sha AND NEW.figures <=> OLD.figures AND NEW.figures_sha <=> OLD.figures_sha
    AND NEW.supersedes <=> OLD.supersedes AND NEW.why <=> OLD.why AND NEW.issued_by <=> OLD.issued_by
    AND NEW.issued_at <=> OLD.issued_at) THEN SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'an issued report is not changed'; END IF;
-- It goes only with its vehicle, when that is erased.
CREATE OR REPLACE TRIGGER report_kept BEFORE DELETE ON report FOR EACH ROW
  SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'an issued report is not taken away';

-- The same on paper, as PDF: one for each size.
CREATE TABLE IF NOT EXISTS report_print (
  report_id BIGINT NOT NULL,
  paper VARCHAR(10) NOT NULL,
  data MEDIUMBLOB NOT NULL,
  sha CHAR(64) NOT NULL,
  PRIMARY KEY (report_id, paper),
  FOREIGN KEY (report_id) REFERENCES report (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;
CREATE OR REPLACE TRIGGER report_print_stays BEFORE UPDATE ON report_print FOR EACH ROW
  SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'an issued report is not changed';

-- Other vehicles a sheet speaks of.
CREATE TABLE IF NOT EXISTS report_about (
  report_id BIGINT NOT NULL,
  vehicle_id BIGINT NOT NULL,
  PRIMARY KEY (report_id, vehicle_id),
  KEY (vehicle_id),
  FOREIGN KEY (report_id) REFERENCES report (id) ON DELETE CASCADE,
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;

-- A link that shows exactly one report until its day. Only the hash of what stands in it is kept.
CREATE TABLE IF NOT EXISTS share_link (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  report_id BIGINT NOT NULL,
  token_sha CHAR(64) NOT NULL,
  until_date DATE NOT NULL,
  made_by VARCHAR(120) NOT NULL,
  made_at DATETIME(3) NOT NULL,
  withdrawn_at DATETIME(3) NULL,
  UNIQUE KEY share_token (token_sha),
  KEY (report_id),
  FOREIGN KEY (report_id) REFERENCES report (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;

CREATE OR REPLACE TRIGGER stamp_report_in AFTER INSERT ON report FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
