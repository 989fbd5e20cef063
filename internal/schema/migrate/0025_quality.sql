-- +goose Up
-- What sessions say of their device, system and browser, by kind: 1 device.type, 2 os.name, 3 browser.name.
CREATE TABLE IF NOT EXISTS session_value (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, name VARCHAR(255) NOT NULL, first_seen BIGINT NOT NULL,
  UNIQUE (project, hash)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
ALTER TABLE app_session ADD COLUMN IF NOT EXISTS device INT UNSIGNED NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS os INT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS browser INT UNSIGNED NOT NULL DEFAULT 0;
-- How many sessions began in an hour (UTC, hours since 1970), by how they ended.
CREATE TABLE IF NOT EXISTS session_hour (
  project INT UNSIGNED NOT NULL, hour INT UNSIGNED NOT NULL, app_release INT UNSIGNED NOT NULL, environment INT UNSIGNED NOT NULL, outcome TINYINT UNSIGNED NOT NULL,
  sessions BIGINT NOT NULL,
  PRIMARY KEY (project, hour, app_release, environment, outcome)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- How long the sessions of a day lasted, in the buckets of core/quality.
CREATE TABLE IF NOT EXISTS session_took (
  project INT UNSIGNED NOT NULL, day SMALLINT UNSIGNED NOT NULL, app_release INT UNSIGNED NOT NULL, environment INT UNSIGNED NOT NULL, outcome TINYINT UNSIGNED NOT NULL,
  bucket SMALLINT UNSIGNED NOT NULL, sessions BIGINT NOT NULL,
  PRIMARY KEY (project, day, app_release, environment, outcome, bucket)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Who used a release on a day, with how many sessions that ended, and how.
CREATE TABLE IF NOT EXISTS session_user (
  project INT UNSIGNED NOT NULL, day SMALLINT UNSIGNED NOT NULL, app_release INT UNSIGNED NOT NULL, environment INT UNSIGNED NOT NULL, user BIGINT NOT NULL,
  sessions INT NOT NULL, crashed INT NOT NULL, cut_off INT NOT NULL,
  PRIMARY KEY (project, day, app_release, environment, user), KEY of_user (project, user)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- How the sessions of a day ended, by what they say of device, system and browser.
CREATE TABLE IF NOT EXISTS session_trait (
  project INT UNSIGNED NOT NULL, day SMALLINT UNSIGNED NOT NULL, app_release INT UNSIGNED NOT NULL, environment INT UNSIGNED NOT NULL,
  kind TINYINT UNSIGNED NOT NULL, value INT UNSIGNED NOT NULL, outcome TINYINT UNSIGNED NOT NULL, sessions BIGINT NOT NULL,
  PRIMARY KEY (project, day, app_release, environment, kind, value, outcome)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- The sessions that are kept are counted once; what they did not say stays unsaid.
INSERT IGNORE INTO session_hour SELECT project, hour, app_release, environment, outcome, SUM(n) FROM (
  SELECT project, started DIV 3600000000 AS hour, COALESCE(app_release,0) AS app_release, environment, outcome, COUNT(*) AS n FROM app_session GROUP BY 1,2,3,4,5
  UNION ALL SELECT project, minute DIV 3600000000, COALESCE(app_release,0), environment, 1, SUM(clean) FROM session_minute GROUP BY 1,2,3,4
  UNION ALL SELECT project, minute DIV 3600000000, COALESCE(app_release,0), environment, 2, SUM(faulty) FROM session_minute GROUP BY 1,2,3,4
  UNION ALL SELECT project, minute DIV 3600000000, COALESCE(app_release,0), environment, 3, SUM(crashed) FROM session_minute GROUP BY 1,2,3,4
) x WHERE n>0 GROUP BY 1,2,3,4,5;
INSERT IGNORE INTO session_took SELECT project, started DIV 86400000000, COALESCE(app_release,0), environment, outcome,
  IF(duration<32, duration, (LENGTH(BIN(duration))-5)*16 + (duration >> (LENGTH(BIN(duration))-5))), COUNT(*) FROM app_session WHERE outcome<>0 GROUP BY 1,2,3,4,5,6;
INSERT IGNORE INTO session_user SELECT project, started DIV 86400000000, COALESCE(app_release,0), environment, user, COUNT(*), SUM(outcome=3), SUM(outcome=4)
  FROM app_session WHERE user IS NOT NULL AND outcome<>0 GROUP BY 1,2,3,4,5;
