DROP TABLE pictures;
