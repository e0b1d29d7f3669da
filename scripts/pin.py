"""Write the pinned requirements with the hashes of their files, as the package index gives them.

For maintainers, after a version was changed: `python -m scripts.pin requirements.txt requirements-check.txt`. It asks
the index; installing and running never need it.
"""

from __future__ import annotations

import json
import re
import sys
import urllib.request
from pathlib import Path

INDEX = "https://pypi.org/simple/{}/"
PINNED = re.compile(r"^([A-Za-z0-9_.-]+)==([A-Za-z0-9.]+)", re.MULTILINE)


def version_of(filename: str, name: str) -> str:
    """The version in the name of a wheel or source archive of a package; empty for other files."""
    plain = re.sub(r"[-_.]+", "[-_.]", re.escape(name).replace(r"\-", "-").replace(r"\.", "-"))
    found = re.match(rf"(?i){plain}-([0-9][A-Za-z0-9.]*?)(?:-.*\.whl|\.tar\.gz|\.zip)$", filename)
    return found[1] if found else ""


def hashes_of(name: str, version: str) -> list[str]:
    """SHA-256 of every file of a version, sorted. Raises OSError where the index does not answer."""
    kind = {"Accept": "application/vnd.pypi.simple.v1+json"}
    asked = urllib.request.Request(INDEX.format(name.lower()), headers=kind)
    with urllib.request.urlopen(asked, timeout=60) as response:
        files = json.load(response)["files"]
    return sorted(one["hashes"]["sha256"] for one in files if version_of(one["filename"], name) == version)


def main() -> int:
    for path in map(Path, sys.argv[1:]):
        lines = []
        for name, version in PINNED.findall(path.read_text("utf-8")):
            found = hashes_of(name, version)
            if not found:
                print(f"{path}: read {name}=={version}, expected a version that the index has", file=sys.stderr)
                return 2
            lines.append(" \\\n".join([f"{name}=={version}", *(f"    --hash=sha256:{one}" for one in found)]))
        path.write_text("\n".join(lines) + "\n", "utf-8")
        print(f"{path}: {len(lines)} packages")
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
