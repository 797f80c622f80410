-- What a fuel is made from, blank where nobody said it, and what is known of it in place of what is typical of its kind.
ALTER TABLE fuel ADD COLUMN IF NOT EXISTS kind VARCHAR(12) NOT NULL DEFAULT '';
ALTER TABLE fuel ADD COLUMN IF NOT EXISTS density_kg_l DOUBLE NULL;
ALTER TABLE fuel ADD COLUMN IF NOT EXISTS stoich_afr DOUBLE NULL;
ALTER TABLE fuel ADD COLUMN IF NOT EXISTS lhv_mj_kg DOUBLE NULL;

-- The least and the most of channels of no known kind, by name, for searching: those that a vehicle computes are among them.
ALTER TABLE pull_summary ADD COLUMN IF NOT EXISTS own TEXT NULL;
