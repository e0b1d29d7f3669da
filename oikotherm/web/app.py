"""The application factory: settings, security headers, compression, errors in one place."""

from __future__ import annotations

import gzip
import os
import secrets
import sqlite3
from pathlib import Path
from typing import Any

from flask import Flask, Response, current_app, jsonify, render_template, request
from flask_wtf.csrf import CSRFError, CSRFProtect
from werkzeug.exceptions import HTTPException

from ..core.errors import Refused
from ..store import jobs as jobs_store
from ..store.database import open_database
from ..store.files import alone_in, private_file, private_folder
from . import backed_up, broken, db, door, filters, worked
from .assets import Assets
from .incoming import check_request, wants_json

CSRF = CSRFProtect()
KEY_SIGNS = 64
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; connect-src "
    "'self'; "
    "form-action 'self'; base-uri 'none'; frame-ancestors 'none'; manifest-src 'self'"
)


def create_app(data_dir: Path | str, **config: Any) -> Flask:
    """The application on a data folder, which holds the database and the key for its forms."""
    data = private_folder(Path(data_dir))
    app = Flask(__name__, static_folder=None)
    app.config.update(
        SECRET_KEY=_secret(data),
        DATA=data.resolve(),
        DATABASE=data / "oikotherm.sqlite",
        MAX_CONTENT_LENGTH=8_000_000,
        WTF_CSRF_TIME_LIMIT=None,
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
    )
    app.config.update(config)
    if not app.config.get("WORKER"):
        open_database(app.config["DATABASE"]).close()
    CSRF.init_app(app)
    app.teardown_appcontext(db.close)
    app.extensions["opened"] = db.Opened()
    assets = Assets()
    app.extensions["assets"] = assets
    app.jinja_env.globals["asset"] = assets.url
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    filters.register(app)
    app.add_url_rule("/static/<mark>/<path:name>", "static_file", assets.serve)
    _blueprints(app)
    _errors(app)
    worked.put_up(app)
    door.put_up(app)
    app.before_request(check_request)
    app.before_request(backed_up.once_a_day)
    app.after_request(_finish)
    return app


def _secret(data: Path) -> str:
    """The key of forms and sessions, made once; made anew where what is there is no key, as after a power cut."""
    path = data / "form-key"
    with alone_in(data):
        found = path.read_text("ascii", "replace").strip() if path.exists() else ""
        if len(found) != KEY_SIGNS or not set(found) <= set("0123456789abcdef"):
            found = secrets.token_hex(KEY_SIGNS // 2)
            fresh = private_file(data / "form-key.new")
            with fresh.open("w", encoding="ascii") as file:
                file.write(found)
                file.flush()
                os.fsync(file.fileno())
            fresh.replace(path)
    return found


def _blueprints(app: Flask) -> None:
    from . import (
        assembly,
        bench,
        handover,
        home,
        house,
        job,
        live,
        make,
        pace,
        people,
        practice,
        prove,
        site,
        sizes,
        small,
        survey,
        van,
        workshop,
    )
    from .gas import sizes as gas_sizes  # noqa: F401 - its part of a page
    from .heating import flow
    from .heating import sizes as heating_sizes  # noqa: F401 - its routes
    from .help import help_for
    from .water import assemblies
    from .water import sizes as water_sizes  # noqa: F401 - its part of a page

    for module in (home, job, house, small, survey, flow, pace, sizes, make, handover, bench, people, practice, van):
        app.register_blueprint(module.bp)
    app.context_processor(lambda: {"page_help": help_for(request.endpoint)})
    app.register_blueprint(backed_up.bp)
    app.register_blueprint(assemblies.bp)
    app.register_blueprint(assembly.bp)
    app.register_blueprint(workshop.bp)
    app.extensions["pace"] = live.Pace()
    for blueprint in (site.joints_bp, site.order_bp, prove.bp, site.records_bp, live.bp):
        app.register_blueprint(blueprint)
    app.jinja_env.globals["STAGE_PAGES"] = job.STAGE_PAGES
    CSRF.exempt(bench.api_calc)  # reads only, takes JSON only
    CSRF.exempt(live.readings)  # a gauge has no form: its token is its key


def _errors(app: Flask) -> None:
    @app.errorhandler(Refused)
    def refused(error: Refused) -> Any:
        if wants_json():
            return jsonify(error=error.as_dict()), 422
        return render_template("error.html", title="Not taken", error=error), 422

    @app.errorhandler(jobs_store.NoJob)
    def no_job(_: jobs_store.NoJob) -> Any:
        return _say("No such job", "There is no job at this address. The list of jobs is at the start page.", 404)

    @app.errorhandler(404)
    def not_found(_: Exception) -> Any:
        return _say("Nothing here", "There is no page at this address.", 404)

    @app.errorhandler(413)
    def too_large(_: Exception) -> Any:
        return _say("Too large", "Read a file above 8 MB, expected a job document of at most 8 MB.", 413)

    @app.errorhandler(HTTPException)
    def other(error: HTTPException) -> Any:
        if error.code is None or error.code < 400:
            return error
        answer = current_app.make_response(_say(str(error.name), str(error.description or ""), error.code))
        for name, value in error.get_headers():
            if name == "Allow":
                answer.headers[name] = value
        return answer

    @app.errorhandler(broken.BrokenJob)
    def job_broken(error: broken.BrokenJob) -> Any:
        return broken.page(error.uid, str(error.reason), 422)

    @app.errorhandler(sqlite3.Error)
    def not_stored(error: sqlite3.Error) -> Any:
        app.logger.error("the database: %s", error)
        words = (
            f"The database says: {error}. Nothing of this was stored; what was stored before is untouched. See that "
            "the disk has room and the data folder can be written, then send it again."
        )
        return _say("Not stored", words, 503)

    @app.errorhandler(500)
    def mistake(error: Exception) -> Any:
        uid = (request.view_args or {}).get("uid")
        if uid and not wants_json() and request.method == "GET":
            return broken.page(uid, f"{type(getattr(error, 'original_exception', error)).__name__}", 500)
        words = (
            "The program made a mistake here; what was stored is untouched. Go back, and if it happens again "
            "export the job and report it."
        )
        return _say("Something is wrong", words, 500)

    @app.errorhandler(CSRFError)
    def form_expired(_: CSRFError) -> Any:
        return _say(
            "Form expired", "This page was open across a restart. Go back, load it again and send once more.", 400
        )


def _say(title: str, words: str, status: int) -> Any:
    if wants_json():
        return jsonify(error={"field": "address", "said": request.path, "expected": words, "example": "/"}), status
    return render_template("error.html", title=title, words=words), status


def _finish(response: Response) -> Response:
    """Headers that close the page to others, and gzip for text."""
    response.headers.setdefault("Content-Security-Policy", POLICY)
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers.setdefault("Cache-Control", "no-store")
    kind = response.mimetype or ""
    text = kind.startswith("text/") or kind in ("application/json", "image/svg+xml")
    if (
        text
        and not response.direct_passthrough
        and "Content-Encoding" not in response.headers
        and "gzip" in request.headers.get("Accept-Encoding", "")
        and response.content_length
        and response.content_length > 600
    ):
        response.set_data(gzip.compress(response.get_data(), 5, mtime=0))
        response.headers["Content-Encoding"] = "gzip"
        response.headers["Vary"] = "Accept-Encoding"
    return response


__all__ = ["create_app"]
