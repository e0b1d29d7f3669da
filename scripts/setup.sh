# Shared by ./start and ./check: a virtual environment with pinned packages, and a browser for the tests.

# ready FILE...: make .venv and install the pinned files, unless that was done already for these very files.
ready() {
  python=${PYTHON:-python3}
  if ! "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
    echo "Python 3.11 or newer is needed; found: $("$python" --version 2>&1 || echo none). Set PYTHON to another one." >&2
    exit 2
  fi
  for file in "$@"; do
    mark=.venv/installed-$(basename "$file")
    if [ -x .venv/bin/python ] && [ -f "$mark" ] && cmp -s "$file" "$mark"; then continue; fi
    if [ ! -x .venv/bin/python ]; then
      echo "making .venv"
      "$python" -m venv .venv
    fi
    echo "installing $file ($(grep -c == "$file") packages)"
    .venv/bin/python -m pip install --disable-pip-version-check --no-warn-conflicts --require-hashes -r "$file" 2>&1 |
      grep --line-buffered -E '^(Collecting|Downloading|Installing|Successfully|ERROR)' || true
    .venv/bin/python - "$file" <<'PY' || { echo "installing $file failed; run it again with the package index reachable" >&2; exit 1; }
import importlib.metadata as have, sys
for line in open(sys.argv[1]):
    name, _, version = line.strip().removesuffix("\\").strip().partition("==")
    if version and have.version(name) != version:
        sys.exit(f"{name}: expected {version}, found {have.version(name)}")
PY
    cp "$file" "$mark"
  done
  # Bytecode is made here, because where Python is told not to write it each start would compile the whole app again.
  .venv/bin/python -m compileall -q oikotherm || true
}

# browser: Debian's Chromium for the browser tests, installed where it is missing and we may.
browser() {
  [ -x /usr/bin/chromium ] && return 0
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    echo "installing chromium for the browser tests"
    apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends chromium fonts-liberation >/dev/null
  else
    echo "No /usr/bin/chromium: the browser tests will count as failed. Cure, as root: apt-get install chromium fonts-liberation" >&2
  fi
}
