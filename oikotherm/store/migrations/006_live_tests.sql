-- Tests that run: what is under test, the token its gauge sends to, and every reading as it came.
CREATE TABLE live_test (
    id          TEXT PRIMARY KEY CHECK (length(id) = 36),
    job         TEXT NOT NULL REFERENCES job (uid) ON DELETE CASCADE,
    section     TEXT NOT NULL,
    spec        TEXT NOT NULL,
    token       TEXT NOT NULL UNIQUE CHECK (length(token) >= 20),
    started_at  TEXT NOT NULL,
    by_role     TEXT NOT NULL,
    body        TEXT NOT NULL CHECK (json_valid(body)),
    ended_at    TEXT NOT NULL DEFAULT '',
    record      TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX live_test_by_job ON live_test (job, started_at);

CREATE TABLE reading (
    test         TEXT NOT NULL REFERENCES live_test (id) ON DELETE CASCADE,
    seq          INTEGER NOT NULL CHECK (seq >= 0),
    second       REAL NOT NULL,
    pressure_pa  REAL NOT NULL,
    temp_c       REAL,
    baro_pa      REAL,
    source       TEXT NOT NULL,
    PRIMARY KEY (test, seq)
) STRICT, WITHOUT ROWID;
CREATE TRIGGER reading_stays BEFORE UPDATE ON reading
BEGIN SELECT RAISE (ABORT, 'a reading is never changed'); END;
