-- Films that are being made for the project elsewhere: [{"name", "share"}], and when that was last said.
ALTER TABLE projects ADD COLUMN arriving jsonb;
ALTER TABLE projects ADD COLUMN arriving_at timestamptz;
