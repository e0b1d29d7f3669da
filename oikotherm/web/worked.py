"""What takes long is worked out by a worker, by its name: a page waits for it half a second, then shows that it is at
work, with a way to end it. Where there are no workers (a test, a worker itself) it is worked out at once."""

from __future__ import annotations

import hashlib
import json
import re
import uuid as uuids
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from typing import Any
from urllib.parse import urlencode

from flask import Blueprint, Flask, Response, current_app, g, jsonify, redirect, render_template, request, url_for
from flask_wtf.csrf import generate_csrf
from markupsafe import Markup

from ..core.errors import Refused
from ..core.work.standing import under_pressure
from ..store import jobs as jobs_store
from ..store import live as live_store
from ..workers import CANCELLED, Made, Pool, Question, Task
from . import db
from .frame import Frame
from .incoming import wants_json

WAIT_S = 0.5
STAGES = ("handover", "assembly")  # of the pages that wait; all others are of Make
OF_THE_FIRM = ("person", "instrument", "van_tool", "van_stock", "van_offcut", "price", "fitting_book")
SETTINGS = "setting WHERE name LIKE 'firm:%' OR name LIKE 'rate:%' OR name LIKE 'cut:%'"
MEANWHILE = "The job or what it is worked out with was changed meanwhile: ask again."
Maker = Callable[..., Made]
bp = Blueprint("worked", __name__, url_prefix="/working")


@dataclass(frozen=True, slots=True)
class Kind:
    """What workers make. title: as the page that waits says it; most_s: how long it may take [s]; hint: what to do if
    that is not enough."""

    name: str
    title: str
    make: Maker
    most_s: float
    hint: str


KINDS: dict[str, Kind] = {}


class StillWorking(Exception):
    """It is not ready yet."""

    def __init__(self, task: Task) -> None:
        super().__init__(task.question.name)
        self.task = task


class NotMade(Exception):
    """It ended without a result; the words say why."""


def by_worker(name: str, title: str, most_s: float = 120.0, hint: str = "") -> Callable[[Maker], Maker]:
    """Keep a function as the maker of what is called so. It is called with the uid and the further words, in the
    request's context, and gives what it Made; it may say by `saying` what it is at."""

    def keep(make: Maker) -> Maker:
        KINDS[name] = Kind(name, title, make, most_s, hint)
        return make

    return keep


def saying(words: str) -> None:
    """Say what is being done to whoever waits for it."""
    if "tell" in g:
        g.tell(words)


def worked(name: str, uid: str = "", **asked: str) -> Made:
    """What is called so, made by a worker or lying there. Raises StillWorking, NotMade, Refused, NoJob."""
    pool: Pool | None = current_app.extensions.get("workers")
    if pool is None:
        return KINDS[name].make(uid, **asked)
    kind = KINDS[name]
    rev, mark = _stand(uid)
    query = urlencode([(name, value) for name, value in request.args.items(multi=True) if name != "done"])
    path = f"{request.path}?{query}" if query else request.path
    words = tuple(sorted(asked.items()))
    data = str(current_app.config["DATA"])
    question = Question(name, data, uid, rev, mark, path, words, kind.most_s, kind.hint)
    made = pool.folder.get(question.key)
    if made is not None:
        return made
    task = pool.ask(question, WAIT_S)
    made = pool.folder.get(question.key) if task.state == "made" else None
    if made is not None:
        return made
    if task.state == "refused":
        said = task.refused
        raise Refused(said["field"], said["said"], said["expected"], said["example"])
    if task.ended.is_set():
        raise NotMade(task.says or "What was made is gone already; ask again.")
    raise StillWorking(task)


def answer(question: Question, tell: Callable[[str], None]) -> Made:
    """What a worker makes of a question, in the context of its address. Raises Refused, also where the job is not what
    it was when it was asked."""
    g.tell = tell
    made = KINDS[question.name].make(question.uid, **dict(question.asked))
    if _stand(question.uid) != (question.rev, question.mark):
        raise Refused("revision", question.rev, MEANWHILE, "")
    return made


def _stand(uid: str) -> tuple[int, str]:
    """The revision of a job, and the mark of all else that can be seen in what is made of it: its records, what is
    measured now, the firm's figures, the day. Raises NoJob."""
    conn = db.get()
    rev, digest = jobs_store.head_mark(conn, uid) if uid else (0, "")
    seen: list[Any] = [date.today().isoformat(), digest]
    for table in (*OF_THE_FIRM, SETTINGS):
        seen.append(sorted(repr(tuple(row)) for row in conn.execute(f"SELECT * FROM {table}")))  # noqa: S608 - names of ours
    if uid:
        for sql in ("SELECT count(*), max(rowid) FROM record WHERE job = ?", "SELECT * FROM label WHERE job = ?"):
            seen.append(sorted(repr(tuple(row)) for row in conn.execute(sql, (uid,))))
        running = live_store.running(conn, uid)  # not its readings: a gauge that sends each second changes no pack
        seen.append([(one.id, under_pressure(one.most_pa, one.body)) for one in running])
    return rev, hashlib.sha256(repr(seen).encode("utf-8", "replace")).hexdigest()[:24]


def part(name: str, uid: str, **asked: str) -> Markup:
    """A page or a part of one, made by a worker: its forms get the key of whom it is shown to. Raises as `worked`
    does."""
    text = worked(name, uid, **asked).data.decode()
    text = text.replace(_stands_for("form key"), generate_csrf())
    return Markup(re.sub(_stands_for("uuid"), lambda _: str(uuids.uuid4()), text))  # noqa: S704 - our own page


def _stands_for(what: str) -> str:
    """What a worker writes in place of what is of whom the page is shown to: nobody could have typed it."""
    return hashlib.sha256(f"{what} {current_app.config['SECRET_KEY']}".encode()).hexdigest()


def made_html(template: str, **facts: Any) -> Made:
    """A rendered template as what was made."""
    return Made(render_template(template, **facts).encode(), "text/html")


def made_json(facts: Any) -> Made:
    """Plain facts as what was made."""
    return Made(json.dumps(facts).encode())


def attached(made: Made, *, inline: bool = False) -> Response:
    """What was made as a file."""
    response = Response(made.data, mimetype=made.mimetype)
    way = "inline" if inline else "attachment"
    response.headers["Content-Disposition"] = f'{way}; filename="{made.filename}"'
    return response


def facts_of(made: Made) -> Any:
    """What was made as JSON."""
    return json.loads(made.data)


def put_up(app: Flask) -> None:
    """Workers for a server that has them, and the page that waits for them."""
    if app.config.get("WORKERS"):
        app.extensions["workers"] = Pool(app.config["DATA"], int(app.config["WORKERS"]))
    if app.config.get("WORKER"):
        app.jinja_env.globals["fresh_uuid"] = lambda: _stands_for("uuid")
        app.context_processor(lambda: {"csrf_token": lambda: _stands_for("form key")})
    app.register_blueprint(bp)
    app.register_error_handler(StillWorking, _wait)
    app.register_error_handler(NotMade, _not_made)


def _wait(still: StillWorking) -> Any:
    """The page that waits: it comes again by itself when the work is done."""
    key, kind = still.task.question.key, KINDS[still.task.question.name]
    if wants_json():
        return jsonify(working=key, says=still.task.says, seconds=still.task.seconds), 202
    again = {**request.form, **dict(still.task.question.asked)} if request.method == "POST" else {}
    uid, stage = still.task.question.uid, request.blueprint if request.blueprint in STAGES else "make"
    frame = Frame(uid, stage) if uid else None
    return render_template("working.html", frame=frame, key=key, kind=kind, task=still.task, again=again), 202


def _not_made(error: NotMade) -> Any:
    if wants_json():
        return jsonify(error={"field": "made", "said": request.path, "expected": str(error), "example": ""}), 503
    return render_template("error.html", title="Not made", words=str(error)), 503


def _task(key: str) -> Task | None:
    pool: Pool | None = current_app.extensions.get("workers")
    return pool.look(key) if pool is not None and re.fullmatch("[0-9a-f]{32}", key) else None


@bp.get("/<key>")
def look(key: str) -> Any:
    """How the work of a key stands: {state, says, seconds}. "made" too where it is not known any more: asking again
    tells."""
    task = _task(key)
    if task is None:
        return jsonify(state="made", says="", seconds=0)
    return jsonify(state=task.state, says=task.says, seconds=task.seconds)


@bp.post("/<key>/cancel")
def cancel(key: str) -> Any:
    """End the work of a key, and go back to where it was asked for."""
    task = _task(key)
    if task is not None:
        current_app.extensions["workers"].cancel(key)
    if wants_json():
        return jsonify(state="cancelled", says=CANCELLED, seconds=0)
    if task is None or not task.question.uid:
        return redirect(url_for("home.index"), 303)
    stage = "handover" if "/handover" in task.question.path else "make"
    return redirect(url_for(f"{stage}.index", uid=task.question.uid), 303)
