-- What an instrument was when it was traded: books are replayed by it. Fills of older programs have
-- none: the market's own terms are theirs.
ALTER TABLE fill_legs ADD COLUMN units INTEGER CHECK (units > 0);
ALTER TABLE fill_legs ADD COLUMN margined INTEGER CHECK (margined IN (0, 1));
