-- +goose Up
-- Contents are kept as they were sent, in parts of at most 4 MiB; one whose
-- parts are not all there yet stands in symbol_upload.
CREATE TABLE IF NOT EXISTS symbol_part (
  project INT UNSIGNED NOT NULL, hash BINARY(32) NOT NULL, part SMALLINT UNSIGNED NOT NULL, body MEDIUMBLOB NOT NULL,
  PRIMARY KEY (project, hash, part)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS symbol_upload (
  project INT UNSIGNED NOT NULL, hash BINARY(32) NOT NULL, bytes BIGINT UNSIGNED NOT NULL, started BIGINT NOT NULL,
  PRIMARY KEY (project, hash), KEY (started)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
INSERT IGNORE INTO symbol_part (project, hash, part, body) SELECT project, hash, 0, body FROM symbol_content;
ALTER TABLE symbol_content DROP COLUMN IF EXISTS body, MODIFY COLUMN bytes BIGINT UNSIGNED NOT NULL, ADD COLUMN IF NOT EXISTS stored BIGINT UNSIGNED NOT NULL DEFAULT 0;
UPDATE symbol_content c SET stored=(SELECT SUM(LENGTH(p.body)) FROM symbol_part p WHERE p.project=c.project AND p.hash=c.hash) WHERE stored=0;
-- What a bundle and its map compile to, in pages: a cache that is made anew
-- when the format changes. state is waiting, ready or broken; note says why.
CREATE TABLE IF NOT EXISTS symbol_unit (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, bundle BINARY(32) NOT NULL, map BINARY(32) NOT NULL, state VARCHAR(8) NOT NULL, format SMALLINT UNSIGNED NOT NULL DEFAULT 0,
  bytes BIGINT UNSIGNED NOT NULL DEFAULT 0, note VARCHAR(500) NOT NULL DEFAULT '', created BIGINT NOT NULL,
  UNIQUE (project, bundle, map), KEY (state, id), KEY of_map (project, map)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS symbol_page (
  unit INT UNSIGNED NOT NULL, page INT UNSIGNED NOT NULL, body BLOB NOT NULL,
  PRIMARY KEY (unit, page)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Files are looked for by the last part of their address.
ALTER TABLE symbol_file ADD COLUMN IF NOT EXISTS name_hash BINARY(16) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS unit INT UNSIGNED NOT NULL DEFAULT 0;
UPDATE symbol_file SET name_hash=UNHEX(LEFT(SHA2(SUBSTRING_INDEX(SUBSTRING_INDEX(SUBSTRING_INDEX(address,'?',1),'#',1),'/',-1),256),32)) WHERE unit=0;
INSERT IGNORE INTO symbol_unit (project, bundle, map, state, created) SELECT project, bundle, map, 'waiting', MIN(created) FROM symbol_file GROUP BY project, bundle, map;
UPDATE symbol_file f JOIN symbol_unit u ON u.project=f.project AND u.bundle=f.bundle AND u.map=f.map SET f.unit=u.id WHERE f.unit=0;
ALTER TABLE symbol_file ADD KEY IF NOT EXISTS by_name (project, app_release, name_hash), ADD KEY IF NOT EXISTS by_unit (unit);
-- How long symbols are kept: since a release's were pushed or used last.
CREATE TABLE IF NOT EXISTS symbol_release (
  project INT UNSIGNED NOT NULL, app_release INT UNSIGNED NOT NULL, pushed BIGINT NOT NULL, used BIGINT NOT NULL,
  PRIMARY KEY (project, app_release), KEY (used)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
INSERT IGNORE INTO symbol_release (project, app_release, pushed, used) SELECT project, app_release, MAX(created), MAX(created) FROM symbol_file GROUP BY project, app_release;
ALTER TABLE project ADD COLUMN IF NOT EXISTS keep_symbols SMALLINT UNSIGNED NOT NULL DEFAULT 180;
-- Generated files that traces name, by release, and the variants whose frames
-- in them could not be read when they were filed.
CREATE TABLE IF NOT EXISTS trace_file (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, app_release INT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, address VARCHAR(1000) NOT NULL, debug_id BINARY(16) NULL,
  events BIGINT UNSIGNED NOT NULL, first_seen BIGINT NOT NULL, last_seen BIGINT NOT NULL,
  UNIQUE (project, app_release, hash), KEY (project, debug_id), KEY (last_seen)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS variant_file (
  file INT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL,
  PRIMARY KEY (file, variant), KEY (variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Variants to look at again, for symbols came.
ALTER TABLE variant ADD COLUMN IF NOT EXISTS again TINYINT NOT NULL DEFAULT 0, ADD KEY IF NOT EXISTS again (again, project, id);
-- Variants that came to an issue readable, to be looked through for its splits.
CREATE TABLE IF NOT EXISTS split_late (
  split INT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL,
  PRIMARY KEY (split, variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
