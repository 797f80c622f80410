-- A timing slip of a standing start: times without the reaction, from the moment the vehicle has rolled out.
CREATE TABLE IF NOT EXISTS slip (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  vehicle_id BIGINT NOT NULL,
  on_date DATE NOT NULL,
  at_time TIME NULL,
  place VARCHAR(120) NOT NULL,
  map VARCHAR(120) NOT NULL,
  fuel VARCHAR(120) NOT NULL,
  t18_s DOUBLE NULL,
  t201_s DOUBLE NULL,
  v201_kmh DOUBLE NULL,
  t402_s DOUBLE NULL,
  v402_kmh DOUBLE NULL,
  rollout_m DOUBLE NOT NULL,
  launch_rpm DOUBLE NULL,
  temperature_c DOUBLE NULL,
  pressure_hpa DOUBLE NULL,
  note VARCHAR(500) NOT NULL,
  written_by VARCHAR(120) NOT NULL,
  created_at DATETIME(3) NOT NULL,
  archived_at DATETIME(3) NULL,
  KEY (vehicle_id),
  FOREIGN KEY (vehicle_id) REFERENCES vehicle (id) ON DELETE CASCADE,
  CONSTRAINT slip_says_something CHECK (t18_s IS NOT NULL OR t201_s IS NOT NULL OR v201_kmh IS NOT NULL OR t402_s IS NOT NULL OR v402_kmh IS NOT NULL)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;

CREATE OR REPLACE TRIGGER stamp_slip_in AFTER INSERT ON slip FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
CREATE OR REPLACE TRIGGER stamp_slip_up AFTER UPDATE ON slip FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('v', NEW.vehicle_id);
