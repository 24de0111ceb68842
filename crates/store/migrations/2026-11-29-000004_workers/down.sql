DROP TABLE workers;
