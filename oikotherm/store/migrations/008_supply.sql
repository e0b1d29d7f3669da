-- What a job is made from: offcuts on the van, and what things cost.
CREATE TABLE van_offcut (
    pipe      TEXT NOT NULL CHECK (length(pipe) BETWEEN 3 AND 40),
    length_mm REAL NOT NULL CHECK (length_mm > 0 AND length_mm <= 100000),
    count     INTEGER NOT NULL CHECK (count BETWEEN 1 AND 1000),
    PRIMARY KEY (pipe, length_mm)
) STRICT;

CREATE TABLE price (
    item     TEXT PRIMARY KEY CHECK (length(item) BETWEEN 1 AND 120),
    price    REAL NOT NULL CHECK (price BETWEEN 0 AND 1000000),
    in_stock INTEGER CHECK (in_stock IN (0, 1)),
    days     INTEGER CHECK (days BETWEEN 0 AND 1000),
    instead  TEXT NOT NULL DEFAULT '' CHECK (length(instead) <= 120),
    source   TEXT NOT NULL CHECK (length(source) <= 60),
    on_day   TEXT NOT NULL CHECK (on_day GLOB '????-??-??')
) STRICT;
