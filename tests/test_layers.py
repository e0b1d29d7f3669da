"""Imports run one way, and the core brings in no web and no database."""

import ast
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[1]
MAY = {
    "core": {"core"}, "drawing": {"core", "drawing"}, "store": {"core", "store"}, "demo": {"core", "demo"}, "exchange": {"core", "drawing", "store", "exchange"},
    "web": {"core", "drawing", "store", "exchange", "web"},
}  # fmt: skip
# within core, from the ground up: a room may use those before it, and itself
ROOMS = (
    "errors", "memo", "quantity", "working", "matter", "catalogue", "fields", "services", "job", "practice", "context", "pipework", "joints", "making", "heating", "labels", "rules", "design", "work", "bench",
)  # fmt: skip
UPWARD = {("job", "practice"), ("job", "pipework")}  # job.commands sits on top of trace and the topics it may choose


def imports(path):
    """Modules of this package that a file imports, as dotted names."""
    package = path.relative_to(ROOT).with_suffix("").parts
    base = package[:-1]
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom):
            if node.level:
                head = base[: len(base) - node.level + 1]
                yield ".".join([*head, *(node.module.split(".") if node.module else [])])
            elif node.module and node.module.startswith("oikotherm"):
                yield node.module


class LayersTest(unittest.TestCase):
    def test_importing_the_core_brings_in_no_web_and_no_database(self):
        code = (
            "import pkgutil, importlib, sys, oikotherm.core as core\n"
            "for one in pkgutil.walk_packages(core.__path__, 'oikotherm.core.'): importlib.import_module(one.name)\n"
            "print(sorted({'flask', 'jinja2', 'sqlite3', 'werkzeug', 'pint', 'numpy'} & set(sys.modules)))"
        )
        out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, cwd=ROOT, check=True).stdout
        self.assertEqual(out.strip(), "[]")

    def test_rooms_import_one_way(self):
        wrong = []
        for path in (ROOT / "oikotherm").rglob("*.py"):
            parts = path.relative_to(ROOT / "oikotherm").parts
            for name in imports(path):
                target = name.split(".")
                if len(parts) > 1 and len(target) > 1 and target[1] not in MAY[parts[0]]:
                    wrong.append(f"{path.relative_to(ROOT)} imports {name}")
                if len(parts) > 2 and parts[0] == "core" and len(target) > 2 and target[1] == "core":
                    a, b = parts[1].removesuffix(".py"), target[2]
                    if ROOMS.index(b) > ROOMS.index(a) and (a, b) not in UPWARD:
                        wrong.append(f"{path.relative_to(ROOT)} imports {name}")
        self.assertEqual(wrong, [])
