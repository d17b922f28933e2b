-- What happened, kept for good. Prices are integers of 1e-8, money of 1e-4, moments milliseconds of
-- exchange time. Positions and results are computed from this, never stored.
CREATE TABLE settings (
  name TEXT PRIMARY KEY NOT NULL,
  value TEXT NOT NULL
) STRICT;

CREATE TABLE clock (
  id INTEGER PRIMARY KEY NOT NULL CHECK (id = 1),
  now_ms INTEGER NOT NULL,
  running INTEGER NOT NULL CHECK (running IN (0, 1)),
  speed INTEGER NOT NULL CHECK (speed > 0)
) STRICT;

CREATE TABLE orders (
  id INTEGER PRIMARY KEY NOT NULL,
  client_id TEXT NOT NULL UNIQUE,
  symbol TEXT NOT NULL,
  quantity INTEGER NOT NULL CHECK (quantity > 0),
  limit_price INTEGER, -- null: a market order
  good_till_cancelled INTEGER NOT NULL CHECK (good_till_cancelled IN (0, 1)),
  closes INTEGER,
  placed_ms INTEGER NOT NULL
) STRICT;

CREATE TABLE order_legs (
  order_id INTEGER NOT NULL REFERENCES orders (id),
  position INTEGER NOT NULL,
  contract TEXT NOT NULL CHECK (length(contract) = 21),
  ratio INTEGER NOT NULL CHECK (ratio <> 0),
  PRIMARY KEY (order_id, position)
) STRICT;

CREATE TABLE order_events (
  id INTEGER PRIMARY KEY NOT NULL,
  order_id INTEGER NOT NULL REFERENCES orders (id),
  at_ms INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('accepted', 'repriced', 'filled', 'cancelled', 'expired')),
  price INTEGER,
  packages INTEGER,
  fees INTEGER,
  reason TEXT
) STRICT;
CREATE INDEX order_events_by_order ON order_events (order_id);

CREATE TABLE fill_legs (
  event_id INTEGER NOT NULL REFERENCES order_events (id),
  position INTEGER NOT NULL,
  contract TEXT NOT NULL CHECK (length(contract) = 21),
  quantity INTEGER NOT NULL CHECK (quantity <> 0),
  price INTEGER NOT NULL,
  PRIMARY KEY (event_id, position)
) STRICT;

CREATE TABLE journal (
  id INTEGER PRIMARY KEY NOT NULL,
  at_ms INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('deposit', 'trade', 'settlement')),
  memo TEXT NOT NULL,
  order_id INTEGER REFERENCES orders (id),
  fill_event INTEGER REFERENCES order_events (id),
  settled_contract TEXT,
  settled_value INTEGER
) STRICT;

CREATE TABLE postings (
  entry_id INTEGER NOT NULL REFERENCES journal (id),
  position INTEGER NOT NULL,
  book TEXT NOT NULL CHECK (book IN ('cash', 'positions', 'realised', 'fees', 'capital')),
  amount INTEGER NOT NULL,
  PRIMARY KEY (entry_id, position)
) STRICT;

CREATE TABLE drafts (
  slot TEXT PRIMARY KEY NOT NULL,
  body TEXT NOT NULL,
  updated_ms INTEGER NOT NULL
) STRICT;

CREATE TABLE day_marks (
  day TEXT PRIMARY KEY NOT NULL,
  account_value INTEGER NOT NULL
) STRICT;
