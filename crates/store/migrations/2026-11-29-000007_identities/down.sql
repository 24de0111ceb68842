DROP TABLE identities;
