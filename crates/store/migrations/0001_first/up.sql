CREATE TABLE IF NOT EXISTS vehicle (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(120) NOT NULL UNIQUE,
  engine JSON NOT NULL,
  dyno JSON NOT NULL,
  demo BOOLEAN NOT NULL DEFAULT FALSE,
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3)
);

CREATE TABLE IF NOT EXISTS vehicle_limit (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  vehicle_id BIGINT NOT NULL,
  position INT NOT NULL,
  name VARCHAR(60) NOT NULL,
  channel VARCHAR(64) NOT NULL,
  severity VARCHAR(10) NOT NULL CHECK (severity IN ('caution', 'stop')),
  definition JSON NOT NULL,
  UNIQUE (vehicle_id, name),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id)
);

CREATE TABLE IF NOT EXISTS build_state (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  vehicle_id BIGINT NOT NULL,
  name VARCHAR(120) NOT NULL,
  note TEXT NOT NULL,
  UNIQUE (vehicle_id, name),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id)
);

CREATE TABLE IF NOT EXISTS map_revision (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  vehicle_id BIGINT NOT NULL,
  name VARCHAR(120) NOT NULL,
  kind VARCHAR(20) NOT NULL CHECK (kind IN ('stock', 'off_the_shelf', 'custom', 'unknown')),
  UNIQUE (vehicle_id, name),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id)
);

CREATE TABLE IF NOT EXISTS fuel (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(120) NOT NULL UNIQUE,
  ethanol DOUBLE NULL CHECK (ethanol IS NULL OR (ethanol >= 0 AND ethanol <= 1))
);

CREATE TABLE IF NOT EXISTS cell_day (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  vehicle_id BIGINT NOT NULL,
  on_date DATE NOT NULL,
  place VARCHAR(120) NOT NULL,
  temperature_c DOUBLE NULL,
  humidity DOUBLE NULL CHECK (humidity IS NULL OR (humidity >= 0 AND humidity <= 1)),
  pressure_hpa DOUBLE NULL CHECK (pressure_hpa IS NULL OR (pressure_hpa >= 500 AND pressure_hpa <= 1085)),
  note TEXT NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  KEY (on_date),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id)
);

CREATE TABLE IF NOT EXISTS pull_set (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  day_id BIGINT NOT NULL,
  build_id BIGINT NOT NULL,
  map_id BIGINT NOT NULL,
  fuel_id BIGINT NOT NULL,
  position INT NOT NULL,
  boost VARCHAR(60) NOT NULL,
  gear VARCHAR(20) NOT NULL,
  extras JSON NOT NULL,
  note TEXT NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  UNIQUE (day_id, position),
  FOREIGN KEY (day_id) REFERENCES cell_day (id),
  FOREIGN KEY (build_id) REFERENCES build_state (id),
  FOREIGN KEY (map_id) REFERENCES map_revision (id),
  FOREIGN KEY (fuel_id) REFERENCES fuel (id)
);

CREATE TABLE IF NOT EXISTS raw_file (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  sha256 BINARY(32) NOT NULL UNIQUE,
  name VARCHAR(255) NOT NULL,
  bytes BIGINT NOT NULL,
  received_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3)
);

CREATE TABLE IF NOT EXISTS raw_chunk (
  file_id BIGINT NOT NULL,
  seq INT NOT NULL,
  data MEDIUMBLOB NOT NULL,
  PRIMARY KEY (file_id, seq),
  FOREIGN KEY (file_id) REFERENCES raw_file (id)
);

CREATE TABLE IF NOT EXISTS inbox (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  day_id BIGINT NOT NULL,
  file_id BIGINT NOT NULL,
  name VARCHAR(255) NOT NULL,
  role VARCHAR(10) NOT NULL CHECK (role IN ('dyno', 'ecu', 'unknown')),
  source CHAR(16) NOT NULL,
  report JSON NOT NULL,
  UNIQUE (day_id, file_id),
  FOREIGN KEY (day_id) REFERENCES cell_day (id),
  FOREIGN KEY (file_id) REFERENCES raw_file (id)
);

CREATE TABLE IF NOT EXISTS source_mapping (
  source CHAR(16) NOT NULL PRIMARY KEY,
  mapping JSON NOT NULL
);

CREATE TABLE IF NOT EXISTS pull (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  set_id BIGINT NOT NULL,
  position INT NOT NULL,
  dyno_file_id BIGINT NOT NULL,
  ecu_file_id BIGINT NULL,
  dyno_mapping JSON NOT NULL,
  ecu_mapping JSON NULL,
  number_in_file INT NULL,
  lag_s DOUBLE NULL,
  excluded_reason VARCHAR(500) NULL,
  excluded_by VARCHAR(120) NULL,
  note TEXT NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  UNIQUE (set_id, position),
  FOREIGN KEY (set_id) REFERENCES pull_set (id),
  FOREIGN KEY (dyno_file_id) REFERENCES raw_file (id),
  FOREIGN KEY (ecu_file_id) REFERENCES raw_file (id)
);

CREATE TABLE IF NOT EXISTS sample_block (
  pull_id BIGINT NOT NULL PRIMARY KEY,
  version SMALLINT NOT NULL,
  data LONGBLOB NOT NULL,
  FOREIGN KEY (pull_id) REFERENCES pull (id)
);

CREATE TABLE IF NOT EXISTS pull_summary (
  pull_id BIGINT NOT NULL PRIMARY KEY,
  algorithm INT NOT NULL,
  settings CHAR(16) NOT NULL,
  peak_power_kw DOUBLE NULL,
  peak_power_rpm DOUBLE NULL,
  peak_torque_nm DOUBLE NULL,
  ended_by VARCHAR(20) NULL,
  alignment VARCHAR(20) NOT NULL,
  worst_limit VARCHAR(20) NULL,
  measured MEDIUMBLOB NOT NULL,
  FOREIGN KEY (pull_id) REFERENCES pull (id)
);

CREATE TABLE IF NOT EXISTS import_run (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  day_id BIGINT NULL,
  what VARCHAR(120) NOT NULL,
  state VARCHAR(10) NOT NULL CHECK (state IN ('running', 'done', 'failed', 'cancelled')),
  done INT NOT NULL,
  total INT NOT NULL,
  message TEXT NOT NULL,
  cancel_asked BOOLEAN NOT NULL DEFAULT FALSE,
  started_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3)
);
