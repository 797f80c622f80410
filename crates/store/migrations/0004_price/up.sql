-- What a map costs its owner, in the shop's currency.
ALTER TABLE map_revision
  ADD COLUMN IF NOT EXISTS price DOUBLE NULL CHECK (price IS NULL OR price >= 0);
