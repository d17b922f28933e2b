-- Legs, fills and lots may be in shares or a future, written by symbol; positions are exercised, assigned, paid dividends and settled daily.
CREATE TABLE order_legs_new (
  order_id INTEGER NOT NULL REFERENCES orders (id),
  position INTEGER NOT NULL,
  instrument TEXT NOT NULL CHECK (length(instrument) = 21 OR length(instrument) < 16),
  ratio INTEGER NOT NULL CHECK (ratio <> 0),
  PRIMARY KEY (order_id, position)
) STRICT;
INSERT INTO order_legs_new SELECT order_id, position, contract, ratio FROM order_legs;
DROP TABLE order_legs;
ALTER TABLE order_legs_new RENAME TO order_legs;

CREATE TABLE fill_legs_new (
  event_id INTEGER NOT NULL REFERENCES order_events (id),
  position INTEGER NOT NULL,
  instrument TEXT NOT NULL CHECK (length(instrument) = 21 OR length(instrument) < 16),
  quantity INTEGER NOT NULL CHECK (quantity <> 0),
  price INTEGER NOT NULL,
  PRIMARY KEY (event_id, position)
) STRICT;
INSERT INTO fill_legs_new SELECT event_id, position, contract, quantity, price FROM fill_legs;
DROP TABLE fill_legs;
ALTER TABLE fill_legs_new RENAME TO fill_legs;

CREATE TABLE journal_new (
  id INTEGER PRIMARY KEY NOT NULL,
  at_ms INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('deposit', 'trade', 'settlement', 'exercise', 'assignment', 'dividend', 'variation')),
  memo TEXT NOT NULL,
  order_id INTEGER REFERENCES orders (id),
  fill_event INTEGER REFERENCES order_events (id),
  instrument TEXT, -- what an entry without an order is about
  value INTEGER,
  quantity INTEGER
) STRICT;
INSERT INTO journal_new SELECT id, at_ms, kind, memo, order_id, fill_event, settled_contract, settled_value,
  CASE WHEN settled_contract IS NULL THEN NULL ELSE 0 END FROM journal;
DROP TABLE journal;
ALTER TABLE journal_new RENAME TO journal;

-- Series whose holder does not want them exercised when they end in the money.
CREATE TABLE declined (
  contract TEXT PRIMARY KEY NOT NULL,
  at_ms INTEGER NOT NULL
) STRICT;

-- With `closes`: other legs are opened in the same campaign.
ALTER TABLE orders ADD COLUMN rolls INTEGER NOT NULL DEFAULT 0 CHECK (rolls IN (0, 1));
