-- Roles with their licences, instruments with their calibration: what a test is worth.
CREATE TABLE person (
    role        TEXT PRIMARY KEY CHECK (length(role) BETWEEN 1 AND 60),
    licence     TEXT NOT NULL DEFAULT '',
    expires_on  TEXT CHECK (expires_on IS NULL OR expires_on GLOB '????-??-??')
) STRICT;

CREATE TABLE instrument (
    name           TEXT PRIMARY KEY CHECK (length(name) BETWEEN 1 AND 60),
    resolution_bar REAL NOT NULL CHECK (resolution_bar > 0),
    calibrated_on  TEXT CHECK (calibrated_on IS NULL OR calibrated_on GLOB '????-??-??'),
    due_on         TEXT CHECK (due_on IS NULL OR due_on GLOB '????-??-??')
) STRICT;

INSERT INTO person (role) VALUES ('site lead'), ('apprentice'), ('inspector');
INSERT INTO instrument (name, resolution_bar) VALUES ('test gauge 0-6 bar, 0.02', 0.02), ('boiler gauge 0-4 bar, 0.1', 0.1);
