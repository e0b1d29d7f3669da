-- Jobs as immutable revisions; labels frozen at print; records that are evidence; settings; find.
CREATE TABLE job (
    uid        TEXT PRIMARY KEY,
    head       INTEGER NOT NULL,
    made_at    TEXT NOT NULL,
    opened_at  TEXT NOT NULL
) STRICT;

CREATE TABLE design_revision (
    job       TEXT NOT NULL REFERENCES job (uid) ON DELETE CASCADE,
    rev       INTEGER NOT NULL CHECK (rev > 0),
    parent    INTEGER,
    made_at   TEXT NOT NULL,
    by_role   TEXT NOT NULL,
    summary   TEXT NOT NULL,
    commands  TEXT NOT NULL CHECK (json_valid(commands)),
    reason    TEXT NOT NULL DEFAULT '',
    document  BLOB NOT NULL,
    PRIMARY KEY (job, rev),
    FOREIGN KEY (job, parent) REFERENCES design_revision (job, rev)
) STRICT;

CREATE TRIGGER design_revision_stays BEFORE UPDATE ON design_revision
BEGIN SELECT RAISE (ABORT, 'a revision is never changed'); END;

CREATE TABLE label (
    job        TEXT NOT NULL REFERENCES job (uid) ON DELETE CASCADE,
    key        TEXT NOT NULL,
    label      TEXT NOT NULL,
    frozen_at  TEXT NOT NULL,
    rev        INTEGER NOT NULL,
    PRIMARY KEY (job, key),
    UNIQUE (job, label)
) STRICT;

-- The client makes the uuid, so that a phone without network can queue a record and send it twice.
CREATE TABLE record (
    uuid         TEXT PRIMARY KEY CHECK (length(uuid) = 36),
    job          TEXT NOT NULL REFERENCES job (uid) ON DELETE CASCADE,
    kind         TEXT NOT NULL,
    key          TEXT NOT NULL,
    label        TEXT NOT NULL,
    rev          INTEGER NOT NULL,
    made_at      TEXT NOT NULL,
    received_at  TEXT NOT NULL,
    by_role      TEXT NOT NULL,
    body         TEXT NOT NULL CHECK (json_valid(body)),
    corrects     TEXT REFERENCES record (uuid)
) STRICT;
CREATE INDEX record_by_job ON record (job, kind, key);

CREATE TRIGGER record_stays BEFORE UPDATE ON record
BEGIN SELECT RAISE (ABORT, 'a record is corrected by a new one, never changed'); END;

CREATE TABLE setting (
    name   TEXT PRIMARY KEY,
    value  TEXT NOT NULL
) STRICT;

CREATE VIRTUAL TABLE job_text USING fts5 (uid UNINDEXED, title, place, body, tokenize = 'unicode61 remove_diacritics 2');
