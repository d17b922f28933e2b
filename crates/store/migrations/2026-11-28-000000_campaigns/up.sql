-- Campaigns are named, rearranged and settled against each other; orders lose what still waited apart
-- from what could have filled; rolls know which of their legs close.
CREATE TABLE order_events_new (
  id INTEGER PRIMARY KEY NOT NULL,
  order_id INTEGER NOT NULL REFERENCES orders (id),
  at_ms INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN
    ('accepted', 'repriced', 'filled', 'cancelled', 'expired', 'activated', 'reduced', 'forgone', 'trailed', 'triggered', 'resized',
     'eased', 'tied')),
  price INTEGER,
  packages INTEGER,
  fees INTEGER,
  reason TEXT,
  step INTEGER, -- of easing; without it easing stops
  every_s INTEGER,
  after_order INTEGER REFERENCES orders (id), -- of a tie
  cancel_group INTEGER
) STRICT;
INSERT INTO order_events_new SELECT id, order_id, at_ms, kind, price, packages, fees, reason, step, every_s, after_order, cancel_group
  FROM order_events;
-- What fell away in the very moment in which the order that it waited for ended had still waited.
UPDATE order_events_new SET kind = 'forgone' WHERE kind = 'reduced' AND EXISTS (
  SELECT 1 FROM orders o JOIN order_events e ON e.order_id = o.after_order
  WHERE o.id = order_events_new.order_id AND e.at_ms = order_events_new.at_ms AND e.kind IN ('cancelled', 'expired'));
DROP TABLE order_events;
ALTER TABLE order_events_new RENAME TO order_events;
CREATE INDEX order_events_by_order ON order_events (order_id);

-- Of a roll: whether the leg closes what its campaign holds.
ALTER TABLE order_legs ADD COLUMN closes INTEGER NOT NULL DEFAULT 0 CHECK (closes IN (0, 1));

CREATE TABLE journal_new (
  id INTEGER PRIMARY KEY NOT NULL,
  at_ms INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN
    ('deposit', 'trade', 'settlement', 'exercise', 'assignment', 'dividend', 'variation', 'offset', 'transfer', 'merge')),
  memo TEXT NOT NULL,
  order_id INTEGER REFERENCES orders (id),
  fill_event INTEGER REFERENCES order_events (id),
  instrument TEXT, -- what an entry without an order is about
  value INTEGER,
  quantity INTEGER,
  only_campaigns TEXT, -- the campaigns it is about, parted by spaces; null: all
  from_campaign INTEGER, -- of a transfer and a merge
  to_campaign INTEGER,
  parts TEXT -- of a transfer: one "quantity instrument" a line
) STRICT;
INSERT INTO journal_new (id, at_ms, kind, memo, order_id, fill_event, instrument, value, quantity)
  SELECT id, at_ms, kind, memo, order_id, fill_event, instrument, value, quantity FROM journal;
DROP TABLE journal;
ALTER TABLE journal_new RENAME TO journal;

-- What the trader says of a campaign.
CREATE TABLE campaigns (
  id INTEGER PRIMARY KEY NOT NULL,
  name TEXT NOT NULL,
  note TEXT NOT NULL,
  tags TEXT NOT NULL -- one a line
) STRICT;
