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
