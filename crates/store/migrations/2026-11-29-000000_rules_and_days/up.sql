-- The trader's rules, what they have found, what was decided, and a row of figures for each close.
CREATE TABLE rules (
  id INTEGER PRIMARY KEY NOT NULL,
  scope TEXT NOT NULL CHECK (scope IN ('all', 'structure', 'symbol', 'campaign')),
  scope_of TEXT,
  measure TEXT NOT NULL,
  side TEXT NOT NULL CHECK (side IN ('above', 'below')),
  limit_value INTEGER NOT NULL, -- in 1e-8
  again INTEGER, -- in 1e-8; null: rings only once
  is_on INTEGER NOT NULL CHECK (is_on IN (0, 1))
) STRICT;

-- Rules that have rung and may not ring again yet. Of the account the campaign is 0.
CREATE TABLE standing (
  rule INTEGER NOT NULL,
  campaign INTEGER NOT NULL,
  since_ms INTEGER NOT NULL,
  seen TEXT NOT NULL,
  holds INTEGER NOT NULL CHECK (holds IN (0, 1)),
  PRIMARY KEY (rule, campaign)
) STRICT;

CREATE TABLE decisions (
  id INTEGER PRIMARY KEY NOT NULL,
  at_ms INTEGER NOT NULL,
  campaign INTEGER,
  reason TEXT NOT NULL,
  says TEXT NOT NULL,
  answer TEXT NOT NULL CHECK (answer IN ('close', 'exercise', 'do not exercise', 'until date', 'until price', 'until change', 'noted')),
  until_date TEXT,
  until_side TEXT CHECK (until_side IN ('above', 'below')),
  until_level INTEGER,
  order_id INTEGER,
  note TEXT NOT NULL
) STRICT;

CREATE TABLE own_dates (
  id INTEGER PRIMARY KEY NOT NULL,
  date TEXT NOT NULL,
  what TEXT NOT NULL,
  campaign INTEGER
) STRICT;

CREATE TABLE day_notes (
  day TEXT PRIMARY KEY NOT NULL,
  note TEXT NOT NULL
) STRICT;

CREATE TABLE entry_notes (
  entry INTEGER PRIMARY KEY NOT NULL, -- from 0, in the order of the journal
  note TEXT NOT NULL
) STRICT;

-- Of version 1 the value alone is known. Lists of figures are texts with semicolons between: exact
-- numbers as decimals, model numbers as the shortest text that reads back the same.
CREATE TABLE days (
  day TEXT PRIMARY KEY NOT NULL,
  version INTEGER NOT NULL,
  account_value INTEGER NOT NULL,
  deposits INTEGER,
  cash INTEGER,
  buying_power INTEGER,
  margin INTEGER,
  parts TEXT,
  greeks TEXT,
  at_moves TEXT,
  at_risk TEXT,
  largest TEXT, -- one "amount name" a line: trade, symbol, sector, expiration; an empty line where there is none
  missing TEXT -- one a line
) STRICT;
INSERT INTO days (day, version, account_value) SELECT day, 1, account_value FROM day_marks;
DROP TABLE day_marks;

-- What one trade may lose at most was a setting, and is a rule like the others.
INSERT INTO rules (id, scope, measure, side, limit_value, is_on)
  SELECT 1, 'all', 'trade_risk', 'above', CAST(ROUND(CAST(value AS REAL) * 100000000) AS INTEGER), 1
  FROM settings WHERE name = 'risk_percent' AND value <> '';
DELETE FROM settings WHERE name = 'risk_percent';

-- Bells listen to figures, ring again, until a date, and are snoozed; rules ring them.
CREATE TABLE bells_new (
  id INTEGER PRIMARY KEY NOT NULL,
  set_ms INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('price', 'figure', 'fill', 'refusal', 'end', 'deficit', 'rule')),
  symbol TEXT,
  side TEXT CHECK (side IN ('above', 'below')),
  level INTEGER,
  legs TEXT, -- of a contract or package: one "ratio instrument" a line
  rung_ms INTEGER,
  says TEXT,
  answered INTEGER NOT NULL CHECK (answered IN (0, 1)),
  measure TEXT, -- of a figure; of the account where neither symbol nor campaign is named
  campaign INTEGER,
  rule INTEGER,
  again INTEGER, -- in 1e-8
  spent INTEGER NOT NULL CHECK (spent IN (0, 1)),
  until TEXT,
  snoozed_ms INTEGER,
  note TEXT NOT NULL
) STRICT;
INSERT INTO bells_new (id, set_ms, kind, symbol, side, level, legs, rung_ms, says, answered, spent, note)
  SELECT id, set_ms, kind, symbol, side, level, legs, rung_ms, says, answered, rung_ms IS NOT NULL, '' FROM bells;
DROP TABLE bells;
ALTER TABLE bells_new RENAME TO bells;
