DROP TABLE installation;
