DELETE FROM sessions WHERE person_id IS NULL;
DROP TABLE notes, look_links;
