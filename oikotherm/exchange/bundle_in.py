"""Takes in a bundle: one zip with a job, its records and its labels. Whatever the file is, it is unpacked in bounded
pieces, and refused with the reason or taken in whole."""

from __future__ import annotations

import io
import sqlite3
import uuid as uuids
import zipfile
import zlib
from typing import Any

from ..core.admission import admit
from ..core.context import Context
from ..core.errors import Refused
from ..core.fields import MOST_KEY
from ..core.job.document import new_uid, read
from ..core.job.model import Job
from ..core.reading import MOST_BYTES, read_json
from ..store import jobs as jobs_store
from ..store import records as records_store
from ..store.database import writing

DOCUMENT, RECORDS, LABELS = "job.oikotherm.json", "records.json", "labels.json"
MOST_ENTRIES = 40
PIECE_BYTES = 65_536
DAMAGED = (
    *(zipfile.BadZipFile, zlib.error, ValueError, OSError, EOFError),
    *(RuntimeError, NotImplementedError, LookupError, OverflowError),
)
EXPECTED, EXAMPLE = "a bundle that this program exported", "lockhouse-bundle.zip"


def import_bundle(conn: sqlite3.Connection, data: bytes, context: Context | None) -> str:
    """Take in a bundle: document, records and labels; gives the uid. Under a new uid when it is taken, records too.

    context: what the firm works with; None where the job was admitted already. Raises Refused, with nothing stored, for
    what is no bundle or no job that can be worked out.
    """
    job, records, labels = read_bundle(data)
    if context is not None:
        admit(job, context)
    old_uid = job.uid
    with writing(conn):
        if jobs_store.exists(conn, job.uid):
            job = job.model_copy(update={"uid": new_uid()})
        jobs_store.create(conn, job, "imported bundle")
        same = job.uid == old_uid

        def ident(found: Any) -> Any:
            return found if same or found is None else str(uuids.uuid5(uuids.NAMESPACE_URL, f"{job.uid}/{found}"))

        for record in records:
            kept = {name: value for name, value in record.items() if name not in ("received_at", "clock_off_s")}
            kept |= {"job": job.uid, "uuid": ident(record.get("uuid")), "corrects": ident(record.get("corrects"))}
            off_s = record.get("clock_off_s", 0.0)
            try:
                records_store.add(conn, kept, float(off_s) if isinstance(off_s, int | float) else 0.0)
            except Refused as refused:
                raise Refused(f"{RECORDS}: {refused.field}", refused.said, refused.expected, refused.example) from None
        jobs_store.freeze_labels(conn, job.uid, 1, [labels])
    return job.uid


def read_bundle(data: bytes) -> tuple[Job, list[dict[str, Any]], dict[str, str]]:
    """The document, the records as sent, and the labels of a bundle. Raises Refused."""
    files = unpacked(data)
    if DOCUMENT not in files:
        raise Refused("bundle", ", ".join(list(files)[:4]) or "nothing", f"a bundle with {DOCUMENT}", EXAMPLE)
    job = read(files[DOCUMENT])
    records = read_json(files.get(RECORDS, b"[]"), RECORDS, "[]")
    labels = read_json(files.get(LABELS, b"{}"), LABELS, "{}")
    if not isinstance(records, list) or not all(isinstance(one, dict) for one in records):
        raise Refused(RECORDS, records, "a list of records", "[]")
    if not isinstance(labels, dict) or not all(
        isinstance(one, str) and 0 < len(one) <= MOST_KEY for pair in labels.items() for one in pair
    ):
        raise Refused(LABELS, labels, "labels by key", '{"i3/pipe": "F1-A"}')
    return job, records, labels


def unpacked(data: bytes) -> dict[str, bytes]:
    """The files of a zip that are read here, by name. Stored and deflated entries only, each and all together at most
    MOST_BYTES, unpacked piece by piece: what an entry says of its own size is not believed. Raises Refused."""
    wanted = (DOCUMENT, RECORDS, LABELS)
    found: dict[str, bytes] = {}
    left = MOST_BYTES
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            entries = archive.infolist()
            if len(entries) > MOST_ENTRIES:
                raise Refused("bundle", f"{len(entries)} files in it", f"at most {MOST_ENTRIES}", EXAMPLE)
            for entry in entries:
                if entry.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED) or entry.flag_bits & 1:
                    raise Refused("bundle", entry.filename, "files stored or deflated, without a password", EXAMPLE)
                if entry.filename not in wanted:
                    continue
                pieces: list[bytes] = []
                with archive.open(entry) as file:
                    while piece := file.read(PIECE_BYTES):
                        left -= len(piece)
                        if left < 0:
                            raise Refused("bundle", entry.filename, f"at most {MOST_BYTES} bytes unpacked", EXAMPLE)
                        pieces.append(piece)
                found[entry.filename] = b"".join(pieces)
    except DAMAGED as error:
        raise Refused("bundle", str(error)[:60] or "damaged bytes", EXPECTED, EXAMPLE) from None
    return found
