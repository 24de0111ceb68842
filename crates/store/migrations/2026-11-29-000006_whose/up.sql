-- Who made an edit: known from now on.
ALTER TABLE log ADD COLUMN person_id UUID REFERENCES people ON DELETE SET NULL;
