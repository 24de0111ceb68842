DROP TABLE changes;
