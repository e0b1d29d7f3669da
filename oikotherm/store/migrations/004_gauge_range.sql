-- How far a gauge goes: a low pressure is not read on a gauge made for a high one.
ALTER TABLE instrument ADD COLUMN range_bar REAL CHECK (range_bar IS NULL OR range_bar > 0);
UPDATE instrument SET range_bar = 6 WHERE name = 'test gauge 0-6 bar, 0.02';
UPDATE instrument SET range_bar = 4 WHERE name = 'boiler gauge 0-4 bar, 0.1';
INSERT OR IGNORE INTO instrument (name, resolution_bar, range_bar) VALUES
    ('water gauge 0-30 mbar', 0.00025, 0.03),
    ('manometer 0-200 mbar, 0.1', 0.0001, 0.2),
    ('gas test gauge 0-15 psi, 0.1', 0.00689, 1.0342),
    ('test gauge 0-16 bar, 0.05', 0.05, 16);
