"""A merchant that is asked for prices over HTTP, and the stand-in that ships with the program.

Asked with POST /quote and {"items": [{"item", "title"}]}, it answers {"merchant", "quotes": [{"item", "price",
"in_stock", "days", "instead"}]}; what it does not know it leaves out.
"""

from __future__ import annotations

import contextlib
import hashlib
import http.client
import json
import re
import socket
import threading
import urllib.parse
from collections.abc import Callable, Iterable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from ..core.catalogue import Catalogue, standard
from ..core.errors import Refused, shorten
from ..core.making.order import Line, alternatives
from ..core.reading import read_json
from ..core.supply import Price

TIMEOUT_S = 10
MOST_BYTES = 2_000_000
MOST_QUOTES = 20_000
ITEMS = '{"items": [{"item": "cap-elbow-22"}]}'
EXAMPLE = '{"quotes": [{"item": "cap-elbow-22", "price": 1.15}]}'
USUAL = "http://127.0.0.1:8430"
HERE = ("127.0.0.1", "localhost", "::1")
PER_METRE = {"copper": 7.5, "steel": 6.0, "plastic": 2.6, "multilayer": 2.9}
BY_WORD = (
    (r"elbow", 1.3),
    (r"tee", 2.1),
    (r"coupling|reducer", 1.1),
    (r"union", 6.5),
    (r"valve|iso|check|drain", 9.0),
    (r"clip|hook|strap", 0.45),
    (r"solder|tape|paste|flux", 8.5),
    (r"screw", 4.5),
    (r"boiler|heater|cylinder", 1150.0),
    (r"appliance|oven|softener", 640.0),
    (r"radiator|emitter", 140.0),
)


def ask(url: str, lines: Iterable[Line]) -> tuple[str, list[Price]]:
    """The prices of lines of an order: (the merchant's name, what it quoted of them). Raises Refused: an address that
    is not on this machine, no answer within the time for all of it, an answer that is none or too long. It is led to no
    other address, and nothing that was not asked for is kept."""
    host, port = _address(url)
    items = {line.item: line.title for line in lines}
    asked = json.dumps({"items": [{"item": item, "title": title} for item, title in items.items()]}).encode()
    said = read_json(_answer(url, host, port, asked), "merchant", EXAMPLE)
    quotes = said.get("quotes") if isinstance(said, dict) else None
    if not isinstance(quotes, list):
        raise Refused("merchant", url, f"an answer with quotes: {EXAMPLE}", USUAL)
    found: dict[str, Price] = {}
    for one in quotes[:MOST_QUOTES]:
        try:
            price = _quote(one)
        except (ValueError, KeyError, TypeError, AttributeError, OverflowError):
            raise Refused("merchant", shorten(one), f"quotes such as {EXAMPLE}", USUAL) from None
        if price.item in items:
            found[price.item] = price
    return str(said.get("merchant", "merchant"))[:60], list(found.values())


def _address(url: str) -> tuple[str, int]:
    """Host and port of an address on this machine. Raises Refused."""
    try:
        parts = urllib.parse.urlsplit(url.strip())
        port = parts.port or 80
    except ValueError:
        parts, port = urllib.parse.SplitResult("", "", "", "", ""), 0
    if parts.scheme != "http" or parts.hostname not in HERE or not url.strip().isprintable():
        raise Refused("merchant", url, "the address of the stand-in on this machine", USUAL)
    return str(parts.hostname), port


def _answer(url: str, host: str, port: int, asked: bytes) -> bytes:
    """What a merchant answers, whole, within the time for all of it. Raises Refused."""
    connection = http.client.HTTPConnection(host, port, timeout=TIMEOUT_S)
    expected = "a merchant that answers; start the stand-in with oikotherm sim merchant"
    late: threading.Timer | None = None
    try:
        connection.connect()
        late = threading.Timer(TIMEOUT_S, _cut, (connection.sock,))
        late.daemon = True
        late.start()
        connection.request("POST", "/quote", asked, {"Content-Type": "application/json", "Connection": "close"})
        answer = connection.getresponse()
        if answer.status != 200:
            raise Refused("merchant", f"{url}: {answer.status}", expected, USUAL)
        data = answer.read(MOST_BYTES + 1)
    except (OSError, http.client.HTTPException, ValueError):
        raise Refused("merchant", url, f"{expected}, within {TIMEOUT_S} seconds", USUAL) from None
    finally:
        if late is not None:
            late.cancel()
        connection.close()
    if len(data) > MOST_BYTES:
        raise Refused("merchant", f"more than {MOST_BYTES} bytes", f"an answer of at most {MOST_BYTES} bytes", USUAL)
    return data


def _cut(connected: socket.socket) -> None:
    """End a connection that takes too long, whatever it waits for."""
    with contextlib.suppress(OSError):
        connected.shutdown(socket.SHUT_RDWR)


def _quote(said: Any) -> Price:
    each = float(said["price"])
    if not 0 <= each <= 1e6 or not 1 <= len(str(said["item"])) <= 120:
        raise ValueError
    stocked, days = said.get("in_stock"), said.get("days")
    return Price(
        str(said["item"]),
        each,
        None if stocked is None else bool(stocked),
        None if days is None else max(0, min(1000, int(days))),
        str(said.get("instead") or "")[:120],
    )


def quote(catalogue: Catalogue, item: str, title: str, missing: float = 0.06) -> dict[str, Any] | None:
    """What the stand-in says of an item: the same every time. About so large a share is not in stock, and has another
    part offered in its place where there is one; a few it does not know. Prices are made up."""
    luck = int.from_bytes(hashlib.sha256(item.encode()).digest()[:4], "big") / 2**32
    if luck > 0.985:
        return None
    each = _made_up(catalogue, item, f"{item} {title}".lower()) * (0.85 + 0.3 * ((luck * 7919) % 1))
    stocked = luck >= missing
    others = () if stocked else alternatives(catalogue, item)
    return {
        "item": item,
        "price": round(max(each, 0.05), 2),
        "in_stock": stocked,
        "days": 0 if stocked else 2 + int(luck * 1e4) % 12,
        "instead": others[0] if others else "",
    }


def _made_up(catalogue: Catalogue, item: str, words: str) -> float:
    """About what a thing might cost; a made-up figure."""
    size = _inches(words)
    if found := re.match(r"(stick|coil|length|floor coil|nipple) (\S+) (\S+)(?: ([\d.]+))?", item):
        system = catalogue.systems.get(found[2])
        per_m = PER_METRE.get(system.material if system else "", 5.0) * (0.4 + size)
        metres = float(found[4]) / 1000 if found[4] else 1.0
        return 1.2 + 2.2 * per_m * metres if found[1] == "nipple" else per_m * metres
    if item.startswith("thread "):
        return 2.5
    base = next((price for pattern, price in BY_WORD if re.search(pattern, words)), 3.0)
    return base * (1.0 if base > 100 else 0.5 + size)


def _inches(words: str) -> float:
    """The first size in some words [about inches]."""
    for word in re.findall(r"\d+-\d+/\d+|\d+/\d+|\d+(?:\.\d+)?", words):
        whole, _, rest = word.rpartition("-")
        if "/" in rest:
            top, _, below = rest.partition("/")
            return min(4.0, float(whole or 0) + float(top) / float(below or 1))
        if 4 < float(word) < 110:
            return float(word) / 25.4
        if 0 < float(word) <= 4:
            return float(word)
    return 0.75


def stand_in(port: int, missing: float, tell: Callable[[str], None]) -> ThreadingHTTPServer:
    """The stand-in merchant on the loopback address, ready to serve. Raises Refused: a port that is taken."""
    catalogue = standard()

    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:  # noqa: N802 - the library's name
            try:
                length = int(self.headers.get("Content-Length") or 0)
                said = read_json(self.rfile.read(min(max(length, 0), MOST_BYTES)), "items", ITEMS)
                asked = [(str(one["item"]), str(one.get("title", ""))) for one in said["items"]]
            except (Refused, ValueError, KeyError, TypeError, AttributeError):
                self._answer(400, {"error": f"expected {ITEMS}"})
                return
            quotes = [found for item, title in asked if (found := quote(catalogue, item, title, missing))]
            tell(f"{len(quotes)} of {len(asked)} quoted")
            self._answer(200, {"merchant": "simulated merchant", "quotes": quotes})

        def _answer(self, status: int, body: dict[str, Any]) -> None:
            data = json.dumps(body).encode()
            self.send_response(status)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(data)))
            self.end_headers()
            self.wfile.write(data)

        def log_message(self, format: str, *args: Any) -> None:  # noqa: A002 - the library's name
            """Nothing: what matters is told above."""

    try:
        return ThreadingHTTPServer(("127.0.0.1", port), Handler)
    except (OSError, OverflowError):
        raise Refused("port", port, "a free port", "8430") from None
