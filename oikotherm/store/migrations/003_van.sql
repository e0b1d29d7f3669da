-- The van: tools with their jaws, stock with prices, and the fitting book.
CREATE TABLE van_tool (
    id          INTEGER PRIMARY KEY,
    kind        TEXT NOT NULL CHECK (length(kind) BETWEEN 1 AND 40),
    contour     TEXT NOT NULL DEFAULT '' CHECK (length(contour) <= 4),
    size        TEXT NOT NULL DEFAULT '' CHECK (length(size) <= 10),
    serviced_on TEXT CHECK (serviced_on IS NULL OR serviced_on GLOB '????-??-??'),
    UNIQUE (kind, contour, size)
) STRICT;

CREATE TABLE van_stock (
    part   TEXT PRIMARY KEY CHECK (length(part) BETWEEN 1 AND 80),
    count  INTEGER NOT NULL CHECK (count BETWEEN 0 AND 100000),
    price  REAL CHECK (price IS NULL OR price >= 0)
) STRICT;

CREATE TABLE fitting_book (
    part   TEXT NOT NULL CHECK (length(part) BETWEEN 1 AND 80),
    field  TEXT NOT NULL,
    value  REAL NOT NULL CHECK (value >= 0),
    on_day TEXT NOT NULL,
    PRIMARY KEY (part, field)
) STRICT;
