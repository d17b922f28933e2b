-- What a program of the first schema had written: two orders, one of them filled, and its settlement.
CREATE TABLE __diesel_schema_migrations (
    version VARCHAR(50) PRIMARY KEY NOT NULL,
    run_on TIMESTAMP NOT NULL DEFAULT CURRENT_TIMESTAMP
);
INSERT INTO __diesel_schema_migrations (version) VALUES ('20261124000000');
INSERT INTO orders VALUES
    (1, 'a', 'NMOU', 2, -215000000, 1, NULL, 5),
    (2, 'b', 'NMOU', 1, NULL, 0, NULL, 6);
INSERT INTO order_legs VALUES
    (1, 0, 'NMOU  310418P00175000', -1),
    (2, 0, 'NMOU  310418P00175000', 1);
INSERT INTO order_events VALUES
    (1, 1, 5, 'accepted', NULL, NULL, NULL, NULL),
    (2, 1, 7, 'filled', -215000000, 2, 26000, NULL),
    (3, 2, 6, 'accepted', NULL, NULL, NULL, NULL);
INSERT INTO fill_legs VALUES (2, 0, 'NMOU  310418P00175000', -2, 215000000);
INSERT INTO journal VALUES
    (1, 7, 'trade', 'sold', 1, 2, NULL, NULL),
    (2, 9, 'settlement', 'ended', NULL, NULL, 'NMOU  310418P00175000', 125000000);
INSERT INTO postings VALUES
    (1, 0, 'cash', 4300000),
    (1, 1, 'positions', -4300000),
    (2, 0, 'cash', -2500000);
