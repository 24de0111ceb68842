DROP TABLE recipes;
ALTER TABLE clips DROP COLUMN speeds;
