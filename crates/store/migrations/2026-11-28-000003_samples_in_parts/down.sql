UPDATE log SET edit = '{"edit":"all","edits":[]}' WHERE edit IS NULL;
ALTER TABLE log ALTER COLUMN edit SET NOT NULL;
DROP TABLE log_parts;
ALTER TABLE shots DROP COLUMN samples_version;
