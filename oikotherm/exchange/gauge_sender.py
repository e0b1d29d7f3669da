"""The stand-in gauge sends what it reads to a running test, as a real logger would."""

from __future__ import annotations

import json
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime

from ..core.errors import Refused
from ..core.work.gauge_sim import GaugeSim
from ..core.work.readings_in import time_of

BATCH = 200
POST_S = 0.4  # real time between posts
PATIENCE_S = 60.0  # how long it tries again where the server is away


@dataclass(frozen=True, slots=True)
class Sent:
    """How it ended. readings: how many were taken; why: in words."""

    readings: int
    why: str


def send(
    url: str,
    sim: GaugeSim,
    *,
    minutes: float,
    every_s: float = 1.0,
    speed: float = 1.0,
    begun: float | None = None,
    tell: Callable[[str], None] = lambda _: None,
) -> Sent:
    """Read the stand-in every so many seconds of its time and post what it shows, so many times faster than real time,
    until the minutes are over or the test is. begun: the second its time begins at, now where it is None. What could
    not be sent is sent again: nothing is lost while the server is away. Raises Refused."""
    if not url.startswith(("http://", "https://")):
        raise Refused("url", url, "the address a running test gives", "http://127.0.0.1:8420/readings/TOKEN")
    for name, value, low, high in (
        ("minutes", minutes, 0.01, 20_160),
        ("every", every_s, 0.1, 3600),
        ("speed", speed, 0.1, 100_000),
    ):
        if not low <= value <= high:
            raise Refused(name, f"{value:g}", f"{low:g} to {high:g}", "1")
    start = datetime.now(UTC).timestamp() if begun is None else begun
    count = int(minutes * 60 / every_s) + 1
    began, waiting, taken = time.monotonic(), list[str](), 0
    posted = 0.0
    for n in range(count):
        second = n * every_s
        one = sim.read(second)
        waiting.append(
            json.dumps(
                {
                    "seq": n,
                    "at": time_of(start + second),
                    "pressure_pa": round(one.pressure_pa, 3),
                    "temp_c": one.temp_c,
                    "baro_pa": one.baro_pa,
                    "source": "simulated gauge",
                }
            )
        )
        ahead = second / speed - (time.monotonic() - began)
        due = time.monotonic() - posted >= POST_S or ahead > POST_S
        if due or len(waiting) >= BATCH or n == count - 1:
            kept, why = _post(url, waiting)
            posted = time.monotonic()
            if why:
                return Sent(taken, why)
            taken += kept
            waiting.clear()
            tell(f"{taken} readings, {second / 60:.1f} min")
        if ahead > 0:
            time.sleep(ahead)
    return Sent(taken, "all sent")


def _post(url: str, lines: list[str]) -> tuple[int, str]:
    """Post lines, again and again while the server is away: how many were new, and why no more are sent, "" where
    they are."""
    request = urllib.request.Request(  # noqa: S310 - the address was checked
        url, "\n".join(lines).encode(), {"Content-Type": "application/x-ndjson"}, method="POST"
    )
    until = time.monotonic() + PATIENCE_S
    while True:
        try:
            with urllib.request.urlopen(request, timeout=10) as answer:  # noqa: S310
                return int(json.loads(answer.read())["kept"]), ""
        except urllib.error.HTTPError as error:
            said = error.read().decode("utf-8", "replace")[:300]
            if error.code == 410:
                return 0, "the test is over"
            if error.code != 429 and error.code < 500:
                raise Refused("url", f"{error.code}", f"an address that takes readings; it says {said}", url) from None
        except (urllib.error.URLError, OSError):
            pass
        if time.monotonic() > until:
            raise Refused("url", url, f"a server that answers within {PATIENCE_S:.0f} seconds", url) from None
        time.sleep(0.5)
