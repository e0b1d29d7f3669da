-- What kind of instrument reads a test, thermometers among them; a reading is known by its test, its source and its seq.
CREATE TABLE instrument_new (
    name           TEXT PRIMARY KEY CHECK (length(name) BETWEEN 1 AND 60),
    kind           TEXT NOT NULL CHECK (kind IN ('mechanical', 'electronic', 'water', 'differential', 'thermometer')),
    resolution_bar REAL CHECK (resolution_bar > 0),
    range_bar      REAL CHECK (range_bar > 0),
    resolution_k   REAL CHECK (resolution_k > 0),
    calibrated_on  TEXT CHECK (calibrated_on IS NULL OR calibrated_on GLOB '????-??-??'),
    due_on         TEXT CHECK (due_on IS NULL OR due_on GLOB '????-??-??'),
    CHECK ((kind = 'thermometer') = (resolution_k IS NOT NULL) AND (kind = 'thermometer') = (resolution_bar IS NULL))
) STRICT;
INSERT INTO instrument_new (name, kind, resolution_bar, range_bar, calibrated_on, due_on)
    SELECT name,
           CASE WHEN name LIKE '%differential%' THEN 'differential'
                WHEN name LIKE '%water%' THEN 'water'
                WHEN range_bar <= 0.5 AND resolution_bar <= 0.0002 THEN 'electronic'
                ELSE 'mechanical' END,
           resolution_bar, range_bar, calibrated_on, due_on
    FROM instrument ORDER BY rowid;
DROP TABLE instrument;
ALTER TABLE instrument_new RENAME TO instrument;
INSERT OR IGNORE INTO instrument (name, kind, resolution_bar, range_bar) VALUES
    ('test gauge 0-30 psi, 0.5', 'mechanical', 0.03447, 2.0684),
    ('test gauge 0-200 psi, 1', 'mechanical', 0.06895, 13.7895);
INSERT OR IGNORE INTO instrument (name, kind, resolution_k) VALUES ('clamp thermometer, 0.1 K', 'thermometer', 0.1);

CREATE TABLE reading_new (
    test         TEXT NOT NULL REFERENCES live_test (id) ON DELETE CASCADE,
    source       TEXT NOT NULL,
    seq          INTEGER NOT NULL CHECK (seq >= 0),
    second       REAL NOT NULL,
    pressure_pa  REAL NOT NULL,
    temp_c       REAL,
    temp_step_k  REAL,
    baro_pa      REAL,
    PRIMARY KEY (test, source, seq)
) STRICT, WITHOUT ROWID;
INSERT INTO reading_new (test, source, seq, second, pressure_pa, temp_c, baro_pa)
    SELECT test, source, seq, second, pressure_pa, temp_c, baro_pa FROM reading;
DROP TABLE reading;
ALTER TABLE reading_new RENAME TO reading;
CREATE TRIGGER reading_stays BEFORE UPDATE ON reading
BEGIN SELECT RAISE (ABORT, 'a reading is never changed'); END;
ALTER TABLE live_test ADD COLUMN readings INTEGER NOT NULL DEFAULT 0 CHECK (readings >= 0);
ALTER TABLE live_test ADD COLUMN most_pa REAL NOT NULL DEFAULT 0;
ALTER TABLE live_test ADD COLUMN temp_step_k REAL;
UPDATE live_test SET most_pa = (SELECT coalesce(max(pressure_pa), 0) FROM reading WHERE test = live_test.id);
UPDATE live_test SET readings = (SELECT count(*) FROM reading WHERE test = live_test.id);
