DROP TABLE looks;
