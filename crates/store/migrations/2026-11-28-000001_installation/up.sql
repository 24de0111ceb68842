-- Which database it is: a media folder says to which one it belongs, so that no other takes its files for left over.
CREATE TABLE installation (
    id uuid PRIMARY KEY DEFAULT gen_random_uuid()
);
INSERT INTO installation DEFAULT VALUES;
