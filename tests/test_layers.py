"""Imports run one way and in no circle, and the core brings in no web and no database."""

import ast
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[1]
MAY = {
    "core": {"core"},
    "drawing": {"core", "drawing"},
    "store": {"core", "store"},
    "demo": {"core", "store", "exchange", "demo"},
    "exchange": {"core", "drawing", "store", "exchange"},
    "web": {"core", "drawing", "store", "exchange", "demo", "workers", "web"},
}
# within core, from the ground up: a room may use those before it, and itself. spec: what a service is (services/*.py
# and each stations.py);
# service: what each adds above the layout (the rest of its folder)
ROOMS = (
    "errors",
    "lazy",
    "reading",
    "memory",
    "tables",
    "quantity",
    "working",
    "matter",
    "pipe_loss",
    "catalogue",
    "fields",
    "spec",
    "job",
    "practice",
    "supply",
    "context",
    "pipework",
    "joints",
    "network",
    "making",
    "labels",
    "rules",
    "rooms",
    "layout",
    "work",
    "bench",
    "service",
    "design",
    "admission",
)
UPWARD = {("job", "practice"), ("job", "pipework")}  # job.commands sits on top of trace and the topics it may choose


def room_of(parts):
    """The room of a module of core, from its path below core; None for core itself."""
    if not parts:
        return None
    if parts[0] != "services":
        return parts[0]
    if len(parts) == 2 and parts[1] == "rooms":
        return "rooms"
    owner = len(parts) > 1 and (ROOT / "oikotherm" / "core" / "services" / parts[1]).is_dir()
    return "service" if owner and len(parts) > 2 and parts[2] != "stations" else "spec"


def module_of(path):
    parts = list(path.relative_to(ROOT).with_suffix("").parts)
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


def imports(path):
    """Modules of this package that a file imports, as dotted names, wherever in it."""
    package = path.relative_to(ROOT).with_suffix("").parts
    base = package[:-1]
    tree = ast.parse(path.read_text("utf-8"))
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom):
            head = base[: len(base) - node.level + 1] if node.level else ()
            name = ".".join([*head, *(node.module.split(".") if node.module else [])])
            if name.startswith("oikotherm"):
                for alias in node.names:
                    inner = f"{name}.{alias.name}"
                    place = ROOT.joinpath(*inner.split("."))
                    yield inner if place.is_dir() or place.with_suffix(".py").is_file() else name


def hidden(path):
    """Names imported for the type checker alone."""
    found = set()
    base = path.relative_to(ROOT).with_suffix("").parts[:-1]
    for node in ast.parse(path.read_text("utf-8")).body:
        if isinstance(node, ast.If) and "TYPE_CHECKING" in ast.unparse(node.test):
            for inner in ast.walk(node):
                if isinstance(inner, ast.ImportFrom) and inner.level:
                    head = base[: len(base) - inner.level + 1]
                    found.add(".".join([*head, *(inner.module.split(".") if inner.module else [])]))
    return found


FILES = sorted((ROOT / "oikotherm").rglob("*.py"))


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
        for path in FILES:
            parts = path.relative_to(ROOT / "oikotherm").parts
            only_typed = hidden(path)
            for name in imports(path):
                target = name.split(".")
                if len(parts) > 1 and len(target) > 1 and target[1] not in MAY[parts[0]]:
                    wrong.append(f"{path.relative_to(ROOT)} imports {name}")
                if parts[0] == "core" and len(target) > 2 and target[1] == "core" and name not in only_typed:
                    a, b = room_of(module_of(path).split(".")[2:]), room_of(target[2:])
                    if a and b and ROOMS.index(b) > ROOMS.index(a) and (a, b) not in UPWARD:
                        wrong.append(f"{path.relative_to(ROOT)} ({a}) imports {name} ({b})")
        self.assertEqual(wrong, [])

    def test_no_service_imports_another(self):
        """What two services share is in network, joints, work or the spec; a service's own folder is its own."""
        wrong = []
        for path in FILES:
            own = module_of(path).split(".")
            if own[1:3] != ["core", "services"] or len(own) < 4:
                continue
            for name in imports(path):
                target = name.split(".")
                folder = ROOT.joinpath(*target[:4])
                if target[1:3] == ["core", "services"] and len(target) > 3 and folder.is_dir() and target[3] != own[3]:
                    wrong.append(f"{'.'.join(own)} imports {name}")
        self.assertEqual(wrong, [])

    def test_modules_need_each_other_in_no_circle(self):
        """Not when they are loaded, nor within functions, nor for the types of what they take."""
        graph = {module_of(path): {*imports(path)} - {module_of(path)} for path in FILES}
        done, on_way = set(), []

        def visit(name):
            if name in on_way:
                self.fail(" -> ".join([*on_way[on_way.index(name) :], name]))
            if name in done or name not in graph:
                return
            on_way.append(name)
            for other in sorted(graph[name]):
                visit(other)
            on_way.pop()
            done.add(name)

        for name in graph:
            visit(name)
