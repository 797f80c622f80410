-- What the shop has chosen once for everybody.
CREATE TABLE IF NOT EXISTS shop_setting (
  name VARCHAR(40) NOT NULL PRIMARY KEY,
  value VARCHAR(200) NOT NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;

-- Any page may show it.
CREATE OR REPLACE TRIGGER stamp_shop_in AFTER INSERT ON shop_setting FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('a', 0);
CREATE OR REPLACE TRIGGER stamp_shop_up AFTER UPDATE ON shop_setting FOR EACH ROW INSERT INTO change_log (kind, thing) VALUES ('a', 0);
