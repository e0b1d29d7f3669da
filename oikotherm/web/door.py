"""The door of a server that others on the network may reach: one passphrase, and who has come in.

A session holds the passphrase's mark and when it was last used: another passphrase or twelve idle hours shut it. Wrong
guesses are counted by address and refused at once for a while, so that no thread waits on them.
"""

from __future__ import annotations

import hashlib
import hmac
import ipaddress
import math
import secrets
import threading
import time
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlsplit

from flask import Flask, Response, current_app, jsonify, redirect, render_template, request, session, url_for

from ..store.database import writing
from . import db
from .incoming import wants_json

IDLE_S = 12 * 3600.0
FREE_GUESSES = 5
FIRST_WAIT_S, LONGEST_WAIT_S = 2.0, 900.0
MOST_ADDRESSES = 10_000
LOCAL_HOSTS = {"127.0.0.1", "localhost", "[::1]"}


@dataclass(slots=True)
class Guesses:
    """Wrong guesses by address: after FREE_GUESSES each costs twice the wait of the one before."""

    wrong: dict[str, tuple[int, float]] = field(default_factory=dict)
    """Address -> (how many in a row, until when it is refused, by the monotonic clock)."""
    lock: threading.Lock = field(default_factory=threading.Lock)

    def wait_s(self, address: str, now_s: float) -> float:
        """How long an address still waits [s]."""
        with self.lock:
            return max(self.wrong.get(address, (0, 0.0))[1] - now_s, 0.0)

    def note(self, address: str, now_s: float) -> float:
        """Count a wrong guess; how long the address waits now [s]."""
        with self.lock:
            count = self.wrong.pop(address, (0, 0.0))[0] + 1
            more = count - FREE_GUESSES
            wait = min(FIRST_WAIT_S * 2.0 ** min(more, 30), LONGEST_WAIT_S) if more >= 0 else 0.0
            if len(self.wrong) >= MOST_ADDRESSES:
                self.wrong.pop(next(iter(self.wrong)))  # the one that was wrong longest ago
            self.wrong[address] = count, now_s + wait
            return wait

    def forget(self, address: str) -> None:
        with self.lock:
            self.wrong.pop(address, None)


def put_up(app: Flask) -> None:
    """The door, where a passphrase is set."""
    app.before_request(_check_host)
    if app.config.get("PASSPHRASE"):
        app.extensions["guesses"] = Guesses()
        app.before_request(_check_entered)
        app.add_url_rule("/enter", "enter", _enter, methods=["GET", "POST"])
        app.add_url_rule("/leave", "leave", _leave, methods=["POST"])


def _check_host() -> Response | None:
    """A page of another site must not reach this server under another name."""
    host = request.host.rsplit(":", 1)[0] if not request.host.endswith("]") else request.host
    if current_app.config.get("PASSPHRASE") and (_is_address(host) or host == current_app.config.get("BASE_HOST")):
        return None
    if host not in LOCAL_HOSTS:
        return Response("This server answers to 127.0.0.1 and localhost.\n", 421, mimetype="text/plain")
    return None


def _is_address(host: str) -> bool:
    """Whether a host is a plain IP address: a name could be made to point here by another site."""
    try:
        ipaddress.ip_address(host.strip("[]"))
    except ValueError:
        return False
    return True


def _mark() -> str:
    """What a session says of the passphrase it came in by; changes with it."""
    key, words = (str(current_app.config[name]).encode() for name in ("SECRET_KEY", "PASSPHRASE"))
    return hmac.new(key, words, hashlib.sha256).hexdigest()


def _is_open(ident: str) -> bool:
    """Whether a session was not left."""
    sql = "SELECT 1 FROM setting WHERE name = ?"
    return bool(ident) and db.get().execute(sql, (f"left:{ident}",)).fetchone() is None


def _inside() -> bool:
    """Whether this session came in by the present passphrase and was used lately."""
    mark, used_at = session.get("door"), session.get("used_at")
    if not _is_open(str(session.get("id", ""))):
        return False
    if not isinstance(mark, str) or not isinstance(used_at, int | float):
        return False
    return secrets.compare_digest(mark.encode(), _mark().encode()) and 0 <= time.time() - used_at + 60 < IDLE_S


def _check_entered() -> Any:
    """Served to others, every page but the door wants the passphrase first."""
    if request.endpoint in ("enter", "static_file", "live.readings"):  # a gauge has its token
        return None
    if _inside():
        if time.time() - session["used_at"] > 60:  # once a minute is enough
            session["used_at"] = time.time()
        return None
    session.clear()
    if wants_json():
        error = {
            "field": "passphrase",
            "said": "nothing",
            "expected": "to come in by the door first",
            "example": "/enter",
        }
        return jsonify(error=error), 401
    return redirect(url_for("enter", next=request.full_path if request.method == "GET" else "/"), 303)


def own_path(target: str) -> str:
    """A path of this server to go on to; the start page for anything that leads elsewhere.

    >>> own_path("//evil.example"), own_path("/jobs/a/pace?run=F1")
    ('/', '/jobs/a/pace?run=F1')
    """
    plain = target.isascii() and target.isprintable() and "\\" not in target and " " not in target
    try:
        parts = urlsplit(target)
    except ValueError:
        return "/"
    own = plain and not parts.scheme and not parts.netloc and parts.path.startswith("/") and target[:2] != "//"
    return target if own else "/"


def _enter() -> Any:
    """The door."""
    wait_s, wrong = 0.0, False
    if request.method == "POST":
        guesses: Guesses = current_app.extensions["guesses"]
        address, now_s = request.remote_addr or "", time.monotonic()
        wait_s = guesses.wait_s(address, now_s)
        if not wait_s:
            said = request.form.get("passphrase", "")
            if secrets.compare_digest(said.encode(), str(current_app.config["PASSPHRASE"]).encode()):
                guesses.forget(address)
                session.clear()
                session["door"], session["used_at"] = _mark(), time.time()
                session["id"] = secrets.token_urlsafe(12)
                session.permanent = True
                return redirect(own_path(request.args.get("next", "/")), 303)
            wrong, wait_s = True, guesses.note(address, now_s)
    status = 429 if wait_s and not wrong else 403 if wrong else 200
    response = Response(render_template("enter.html", wrong=wrong, wait_s=math.ceil(wait_s)), status)
    if wait_s:
        response.headers["Retry-After"] = str(math.ceil(wait_s))
    return response


def _leave() -> Any:
    """Shut the door behind this browser: its session ends on the server too, whoever else holds its cookie."""
    ident = str(session.get("id", ""))
    if ident and _inside():
        with writing(db.get()) as conn:
            now_s = str(int(time.time()))
            conn.execute(
                "DELETE FROM setting WHERE name LIKE 'left:%' AND CAST(value AS INTEGER) < ?", (int(now_s) - IDLE_S,)
            )
            conn.execute("INSERT OR REPLACE INTO setting (name, value) VALUES (?, ?)", (f"left:{ident}", now_s))
    session.clear()
    return redirect(url_for("enter"), 303)
