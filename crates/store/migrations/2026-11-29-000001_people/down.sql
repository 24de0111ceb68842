DROP TABLE sign_in_tries, one_time_links, sessions;
ALTER TABLE installation DROP COLUMN cookie_key;
UPDATE audit SET person_id = '00000000-0000-0000-0000-000000000001' WHERE person_id IS NULL;
ALTER TABLE audit ALTER COLUMN person_id SET NOT NULL;
ALTER TABLE audit RENAME COLUMN person_id TO owner_id;
ALTER TABLE projects ADD COLUMN owner_id uuid REFERENCES people;
UPDATE projects SET owner_id = coalesce(
    (SELECT person_id FROM members WHERE project_id = projects.id AND role = 'owner' ORDER BY person_id LIMIT 1),
    '00000000-0000-0000-0000-000000000001');
ALTER TABLE projects ALTER COLUMN owner_id SET NOT NULL;
DROP TABLE members;
DROP INDEX people_name;
ALTER TABLE people DROP COLUMN passphrase, DROP COLUMN administrator, DROP COLUMN made_at, DROP COLUMN left_at;
ALTER TABLE people RENAME TO owners;
