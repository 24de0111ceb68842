ALTER TABLE projects DROP COLUMN arriving_at;
ALTER TABLE projects DROP COLUMN arriving;
