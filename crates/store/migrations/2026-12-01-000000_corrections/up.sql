-- What was settled by another print than the day's bar says is corrected.
CREATE TABLE journal_new (
  id INTEGER PRIMARY KEY NOT NULL,
  at_ms INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN
    ('deposit', 'trade', 'settlement', 'exercise', 'assignment', 'dividend', 'variation', 'offset', 'transfer', 'merge',
     'correction')),
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
INSERT INTO journal_new SELECT id, at_ms, kind, memo, order_id, fill_event, instrument, value, quantity, only_campaigns,
  from_campaign, to_campaign, parts FROM journal;
DROP TABLE journal;
ALTER TABLE journal_new RENAME TO journal;
