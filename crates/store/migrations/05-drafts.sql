-- A draft knows when each of its fields changed, so that two pages merge; what two typed at once stays until
-- somebody chooses.
ALTER TABLE draft ADD COLUMN revision INTEGER NOT NULL DEFAULT 1;
ALTER TABLE draft ADD COLUMN fields TEXT NOT NULL DEFAULT '{}';
ALTER TABLE draft ADD COLUMN conflicts TEXT NOT NULL DEFAULT '[]';
