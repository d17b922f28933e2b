-- What the trader says: why of an order, and a word after the end of a campaign.
CREATE TABLE said (
  kind TEXT NOT NULL CHECK (kind IN ('order', 'after')),
  id INTEGER NOT NULL,
  words TEXT NOT NULL,
  tags TEXT NOT NULL, -- one a line
  PRIMARY KEY (kind, id)
) STRICT;
