-- Orders are eased, change their size and are tied to each other after they were placed.
CREATE TABLE order_events_new (
  id INTEGER PRIMARY KEY NOT NULL,
  order_id INTEGER NOT NULL REFERENCES orders (id),
  at_ms INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN
    ('accepted', 'repriced', 'filled', 'cancelled', 'expired', 'activated', 'reduced', 'trailed', 'triggered', 'resized', 'eased', 'tied')),
  price INTEGER,
  packages INTEGER,
  fees INTEGER,
  reason TEXT,
  step INTEGER, -- of easing; without it easing stops
  every_s INTEGER,
  after_order INTEGER REFERENCES orders (id), -- of a tie
  cancel_group INTEGER
) STRICT;
INSERT INTO order_events_new (id, order_id, at_ms, kind, price, packages, fees, reason)
  SELECT id, order_id, at_ms, kind, price, packages, fees, reason FROM order_events;
DROP TABLE order_events;
ALTER TABLE order_events_new RENAME TO order_events;
CREATE INDEX order_events_by_order ON order_events (order_id);

-- Bells that are set, that ring and that were answered.
CREATE TABLE bells (
  id INTEGER PRIMARY KEY NOT NULL,
  set_ms INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('price', 'fill', 'refusal', 'end', 'deficit')),
  symbol TEXT,
  side TEXT CHECK (side IN ('above', 'below')),
  level INTEGER,
  legs TEXT, -- of a contract or package: one "ratio instrument" a line
  rung_ms INTEGER,
  says TEXT,
  answered INTEGER NOT NULL CHECK (answered IN (0, 1))
) STRICT;
