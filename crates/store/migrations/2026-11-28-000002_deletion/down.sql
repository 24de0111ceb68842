DROP TABLE audit;
ALTER TABLE pictures DROP COLUMN deleted_at;
ALTER TABLE projects DROP COLUMN deleted_at;
