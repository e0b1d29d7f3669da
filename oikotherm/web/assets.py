"""Static files under a name that carries the hash of them all, so that a browser may keep them for good."""

from __future__ import annotations

import gzip
import hashlib
from pathlib import Path

from flask import Response, abort, request

from ..drawing.palette import stylesheet

STATIC = Path(__file__).with_name("static")
DRAWING_CSS = Path(__file__).parents[1] / "drawing" / "drawing.css"
TYPES = {
    ".css": "text/css",
    ".js": "text/javascript",
    ".woff2": "font/woff2",
    ".svg": "image/svg+xml",
    ".json": "application/json",
    ".webmanifest": "application/manifest+json",
}


class Assets:
    """All static files, read once; text is kept gzipped."""

    def __init__(self) -> None:
        paths = {
            path.relative_to(STATIC).as_posix(): path for path in sorted(STATIC.rglob("*")) if path.suffix in TYPES
        }
        paths["drawing.css"] = DRAWING_CSS
        self.files = {name: path.read_bytes() for name, path in paths.items()}
        self.files["roles.css"] = stylesheet().encode()
        digest = hashlib.sha256()
        for name, data in sorted(self.files.items()):
            digest.update(name.encode() + b"\0" + data)
        self.mark = digest.hexdigest()[:12]
        self.zipped = {
            name: gzip.compress(data, 9, mtime=0) for name, data in self.files.items() if not name.endswith("woff2")
        }

    def url(self, name: str) -> str:
        """The address of a file. KeyError if it is not shipped."""
        if name not in self.files:
            raise KeyError(name)
        return f"/static/{self.mark}/{name}"

    def serve(self, mark: str, name: str) -> Response:
        """A file for good when asked for under the present hash; 404 otherwise."""
        if mark != self.mark or name not in self.files:
            abort(404)
        zipped = name in self.zipped and "gzip" in request.headers.get("Accept-Encoding", "")
        response = Response(self.zipped[name] if zipped else self.files[name], mimetype=TYPES[Path(name).suffix])
        if zipped:
            response.headers["Content-Encoding"] = "gzip"
            response.headers["Vary"] = "Accept-Encoding"
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response
