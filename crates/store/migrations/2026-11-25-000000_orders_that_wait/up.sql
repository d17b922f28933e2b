-- Orders may wait for a trigger or for each other, and stand until a date or not at all.
ALTER TABLE orders ADD COLUMN time_in_force TEXT NOT NULL DEFAULT 'day'
  CHECK (time_in_force IN ('day', 'good_till_cancelled', 'good_till_date', 'immediate_or_cancel', 'fill_or_kill'));
UPDATE orders SET time_in_force = 'good_till_cancelled' WHERE good_till_cancelled = 1;
ALTER TABLE orders DROP COLUMN good_till_cancelled;
ALTER TABLE orders ADD COLUMN good_till TEXT; -- ISO date, with good_till_date
ALTER TABLE orders ADD COLUMN trigger_side TEXT CHECK (trigger_side IN ('mark', 'cross', 'rest')); -- null: no trigger
ALTER TABLE orders ADD COLUMN trigger_level INTEGER; -- a price, or
ALTER TABLE orders ADD COLUMN trigger_trail INTEGER; -- a distance from the lowest price seen
ALTER TABLE orders ADD COLUMN after_order INTEGER REFERENCES orders (id);
ALTER TABLE orders ADD COLUMN cancel_group INTEGER;

CREATE TABLE order_events_new (
  id INTEGER PRIMARY KEY NOT NULL,
  order_id INTEGER NOT NULL REFERENCES orders (id),
  at_ms INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN
    ('accepted', 'repriced', 'filled', 'cancelled', 'expired', 'activated', 'reduced', 'trailed', 'triggered')),
  price INTEGER,
  packages INTEGER,
  fees INTEGER,
  reason TEXT
) STRICT;
INSERT INTO order_events_new SELECT id, order_id, at_ms, kind, price, packages, fees, reason FROM order_events;
DROP TABLE order_events;
ALTER TABLE order_events_new RENAME TO order_events;
CREATE INDEX order_events_by_order ON order_events (order_id);
