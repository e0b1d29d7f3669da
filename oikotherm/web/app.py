"""The application factory: settings, security headers, compression, errors in one place."""

from __future__ import annotations

import gzip
import ipaddress
import secrets
import time
from pathlib import Path
from typing import Any

from flask import Flask, Response, current_app, jsonify, redirect, render_template, request, session, url_for
from flask_wtf.csrf import CSRFError, CSRFProtect

from ..core.errors import Refused
from ..store import jobs as jobs_store
from ..store.database import open_database
from . import db, filters
from .assets import Assets

CSRF = CSRFProtect()
LOCAL_HOSTS = {"127.0.0.1", "localhost", "[::1]"}
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; connect-src "
    "'self'; "
    "form-action 'self'; base-uri 'none'; frame-ancestors 'none'; manifest-src 'self'"
)


def create_app(data_dir: Path | str, **config: Any) -> Flask:
    """The application on a data folder, which holds the database and the key for its forms."""
    data = Path(data_dir)
    data.mkdir(parents=True, exist_ok=True)
    app = Flask(__name__, static_folder=None)
    app.config.update(
        SECRET_KEY=_secret(data),
        DATABASE=data / "oikotherm.sqlite",
        MAX_CONTENT_LENGTH=8_000_000,
        WTF_CSRF_TIME_LIMIT=None,
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
    )
    app.config.update(config)
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
    app.before_request(_check_host)
    if app.config.get("PASSPHRASE"):
        app.before_request(_check_entered)
        app.add_url_rule("/enter", "enter", _enter, methods=["GET", "POST"])
    app.after_request(_finish)
    return app


def _secret(data: Path) -> str:
    path = data / "form-key"
    if not path.exists():
        path.write_text(secrets.token_hex(32), "ascii")
        path.chmod(0o600)
    return path.read_text("ascii")


def _blueprints(app: Flask) -> None:
    from . import bench, handover, home, job, make, pace, people, practice, prove, site, sizes, survey, van
    from .heating import flow
    from .heating import sizes as heating_sizes  # noqa: F401 - its routes

    for module in (home, job, survey, flow, pace, sizes, make, handover, bench, people, practice, van):
        app.register_blueprint(module.bp)
    for blueprint in (site.joints_bp, site.order_bp, prove.bp, site.records_bp):
        app.register_blueprint(blueprint)
    app.jinja_env.globals["STAGE_PAGES"] = job.STAGE_PAGES
    CSRF.exempt(bench.api_calc)  # reads only, takes JSON only


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


def _check_entered() -> Any:
    """Served to others, every page but the door wants the passphrase first."""
    if session.get("entered") or request.endpoint in ("enter", "static_file"):
        return None
    if wants_json():
        return jsonify(
            error={
                "field": "passphrase",
                "said": "nothing",
                "expected": "to come in by the door first",
                "example": "/enter",
            }
        ), 401
    return redirect(url_for("enter", next=request.full_path), 303)


def _enter() -> Any:
    """The door. A wrong passphrase costs a second."""
    wrong = False
    if request.method == "POST":
        said = request.form.get("passphrase", "")
        if secrets.compare_digest(said.encode(), str(current_app.config["PASSPHRASE"]).encode()):
            session["entered"] = True
            session.permanent = True
            target = request.args.get("next", "/")
            return redirect(target if target.startswith("/") and not target.startswith(("//", "/\\")) else "/", 303)
        wrong = True
        time.sleep(current_app.config.get("WRONG_PASSPHRASE_S", 1.0))
    return render_template("enter.html", wrong=wrong), 403 if wrong else 200


def wants_json() -> bool:
    return request.is_json or request.accept_mimetypes.best == "application/json"


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

    @app.errorhandler(500)
    def broken(_: Exception) -> Any:
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
