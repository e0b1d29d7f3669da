-- Revisions as differences against a base, known by the digest of their text; numbers that are never given twice;
-- corrections that may come before what they correct.
PRAGMA application_id = 1330203471;

DROP TRIGGER design_revision_stays;
ALTER TABLE design_revision ADD COLUMN base INTEGER;
ALTER TABLE design_revision ADD COLUMN digest TEXT NOT NULL DEFAULT '';
UPDATE design_revision SET digest = stored_digest(document);
CREATE TRIGGER design_revision_stays BEFORE UPDATE ON design_revision
BEGIN SELECT RAISE (ABORT, 'a revision is never changed'); END;

ALTER TABLE job ADD COLUMN floor INTEGER NOT NULL DEFAULT 0;

DROP TRIGGER record_stays;
CREATE TABLE record_new (
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
    corrects     TEXT,
    clock_off_s  REAL NOT NULL DEFAULT 0
) STRICT;
INSERT INTO record_new (rowid, uuid, job, kind, key, label, rev, made_at, received_at, by_role, body, corrects)
    SELECT rowid, uuid, job, kind, key, label, rev, made_at, received_at, by_role, body, corrects FROM record
    ORDER BY rowid;
DROP TABLE record;
ALTER TABLE record_new RENAME TO record;
CREATE INDEX record_by_job ON record (job, kind, key);
CREATE TRIGGER record_stays BEFORE UPDATE ON record
BEGIN SELECT RAISE (ABORT, 'a record is corrected by a new one, never changed'); END;
