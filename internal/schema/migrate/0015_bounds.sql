-- +goose Up
-- Events that others stand for have an allowance of their own.
ALTER TABLE allowance MODIFY span VARCHAR(16) NOT NULL;
-- What a token may do. Tokens of before keep what they had.
ALTER TABLE token ADD COLUMN IF NOT EXISTS permissions VARCHAR(300) NOT NULL DEFAULT '';
UPDATE token SET permissions=CASE scope
  WHEN 'build' THEN 'symbols:push releases:announce rules:check rules:push'
  WHEN 'read' THEN 'rules:check issues:read events:read'
  WHEN 'person' THEN 'symbols:push releases:announce rules:check rules:push issues:read issues:triage events:read'
  WHEN 'admin' THEN 'symbols:push releases:announce rules:check rules:push issues:read issues:triage events:read admin'
  ELSE '' END WHERE permissions='';
ALTER TABLE sign_in_link ADD KEY IF NOT EXISTS of_person (person), ADD KEY IF NOT EXISTS ending (expires);
ALTER TABLE web_session ADD KEY IF NOT EXISTS of_person (person);
-- Who wrote something is a kind and a number: labels of tokens repeat.
ALTER TABLE comment ADD COLUMN IF NOT EXISTS actor_id INT UNSIGNED NOT NULL DEFAULT 0;
ALTER TABLE history ADD COLUMN IF NOT EXISTS actor_id INT UNSIGNED NOT NULL DEFAULT 0;
UPDATE comment c JOIN person p ON p.name=c.actor SET c.actor_id=p.id WHERE c.actor_kind='person' AND c.actor_id=0;
UPDATE comment c JOIN (SELECT label, MIN(id) AS id FROM token GROUP BY label HAVING COUNT(*)=1) t ON t.label=c.actor SET c.actor_id=t.id WHERE c.actor_kind='token' AND c.actor_id=0;
-- Every upsert used up an id: a busy service would have run out of them.
ALTER TABLE trace_file MODIFY id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT;
ALTER TABLE variant_file MODIFY file BIGINT UNSIGNED NOT NULL;
-- Which events of a claim were filed one by one, a bit for each.
ALTER TABLE claim ADD COLUMN IF NOT EXISTS done VARBINARY(1000) NULL;
-- The ids of events whose partition was dropped, as 64 bits of their SHA-256,
-- sorted: a bucket holds those whose hash lies in its part of the range.
CREATE TABLE IF NOT EXISTS dropped_id (
  project INT UNSIGNED NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL, bucket INT UNSIGNED NOT NULL, buckets INT UNSIGNED NOT NULL, hashes MEDIUMBLOB NOT NULL,
  PRIMARY KEY (project, keep_day, bucket), KEY dropping (keep_day)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
