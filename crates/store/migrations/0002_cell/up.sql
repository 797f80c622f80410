ALTER TABLE vehicle ADD COLUMN sheet JSON NOT NULL DEFAULT '{}';
ALTER TABLE build_state ADD COLUMN since DATE NULL;
ALTER TABLE map_revision
  ADD COLUMN parent VARCHAR(120) NULL,
  ADD COLUMN for_fuel VARCHAR(120) NULL,
  ADD COLUMN note VARCHAR(1000) NOT NULL DEFAULT '',
  ADD COLUMN file_id BIGINT NULL,
  ADD FOREIGN KEY (file_id) REFERENCES raw_file (id);
ALTER TABLE cell_day
  ADD COLUMN demo BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN checklist JSON NOT NULL DEFAULT '{}';
ALTER TABLE pull_set
  ADD COLUMN invalid_reason VARCHAR(500) NULL,
  ADD COLUMN invalid_by VARCHAR(120) NULL;
ALTER TABLE pull
  ADD COLUMN started_at TIME NULL,
  ADD COLUMN temperature_c DOUBLE NULL,
  ADD COLUMN humidity DOUBLE NULL CHECK (humidity IS NULL OR (humidity >= 0 AND humidity <= 1)),
  ADD COLUMN pressure_hpa DOUBLE NULL CHECK (pressure_hpa IS NULL OR (pressure_hpa >= 500 AND pressure_hpa <= 1085)),
  ADD COLUMN shares_pull_id BIGINT NULL,
  ADD FOREIGN KEY (shares_pull_id) REFERENCES pull (id);

CREATE TABLE day_note (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  day_id BIGINT NOT NULL,
  at_time TIME NULL,
  tag VARCHAR(40) NOT NULL,
  text TEXT NOT NULL,
  written_by VARCHAR(120) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  KEY (day_id, at_time),
  FOREIGN KEY (day_id) REFERENCES cell_day (id)
);

CREATE TABLE day_air (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  day_id BIGINT NOT NULL,
  at_time TIME NOT NULL,
  temperature_c DOUBLE NOT NULL,
  humidity DOUBLE NOT NULL CHECK (humidity >= 0 AND humidity <= 1),
  pressure_hpa DOUBLE NOT NULL CHECK (pressure_hpa >= 500 AND pressure_hpa <= 1085),
  UNIQUE (day_id, at_time),
  FOREIGN KEY (day_id) REFERENCES cell_day (id)
);

CREATE TABLE day_fuel (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  day_id BIGINT NOT NULL,
  fuel_id BIGINT NOT NULL,
  litres DOUBLE NOT NULL CHECK (litres >= 0),
  note VARCHAR(200) NOT NULL,
  UNIQUE (day_id, fuel_id),
  FOREIGN KEY (day_id) REFERENCES cell_day (id),
  FOREIGN KEY (fuel_id) REFERENCES fuel (id)
);
