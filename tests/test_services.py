"""A service registered from outside is seen everywhere with no other change, and gone when it is taken back.

The service is made up: compressed air for the tools of a workshop, in copper as for heating.
"""

import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path

from oikotherm.cli import main
from oikotherm.core.catalogue import parse_end, standard
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.document import json_schema, read, write
from oikotherm.core.joints.law import Question, law, mouth
from oikotherm.core.layout import all_rules
from oikotherm.core.network.friction import Drop
from oikotherm.core.network.section import PipeSection
from oikotherm.core.network.sized import Sized, Supply, Terminal, demands
from oikotherm.core.rules.registry import RuleBook, Said
from oikotherm.core.services import rooms, spec
from oikotherm.core.services.kinds import KindSpec, PortRow, Variant, data_model
from oikotherm.core.work.plan import plan
from oikotherm.core.work.steps import Need, PackSection, TestKind, TestRule, WorkStep
from oikotherm.store import jobs
from oikotherm.store.database import connect, writing
from oikotherm.web import create_app
from tests.jobs import job

CATALOGUE = standard()
EVERY = ("british", "continental", "north-american")


def kind(ident, title, letters, port, **more):
    """A kind with one port, the same in every practice."""
    row = PortRow(*port, "typ")
    body = Variant("", title, 300.0, 300.0, 300.0, 500.0)
    ports = {("", practice): (row,) for practice in EVERY}
    known = {"loads": {}, "sources": (), **more}
    fields = ("width_mm", "height_mm", "depth_mm", "flow_kg_s", "supply_pa")
    return KindSpec(
        ident,
        data_model(ident, fields),
        {"": title},
        letters,
        (body,),
        ports,
        known["loads"],
        known["sources"],
        frozenset(),
        "Set up",
        "typ",
    )


KINDS = {
    "compressor": kind(
        "compressor",
        "air compressor",
        "CMP",
        ("out", "air", "out", 0, 0, 150, 1, 0, "up", "comp-cu 15 socket", "", ""),
        sources=("air",),
    ),
    "air-point": kind(
        "air-point",
        "air point",
        "AIR",
        ("in", "air", "in", 0, 0, 50, 1, 0, "up", "comp-cu 15 socket", "", ""),
        loads={"air": "flow_kg_s"},
    ),
}
AIR = spec.ServiceSpec(
    "air",
    "Compressed air",
    (spec.Role("air", "A", "air", 40.0, 8e5, ("#446688", "#aaccee"), (4.0, 2.0), "A", phase="gas"),),
    KINDS,
    like="heating",
)
rule = RuleBook("air")


@rule(
    "air-drain",
    "mind",
    "no drain on compressed air",
    "Water gathers in cold pipe and runs into the tools.",
    "typ",
    stage="sizes",
)
def air_drain(view):
    for run in view.job.runs:
        if run.service == "air" and not any(item.kind == "device" and item.part == "drain" for item in run.items):
            yield Said((run.id, run.id), f"{run.id} has no drain at its low end.", cures=("[drain] in it",))


def size(design):
    """Sections one for a run, with the flow its points take: enough to be shown."""
    sections = []
    for run in design.job.runs:
        if run.service != "air":
            continue
        straights = [one for one in design.pipework.straights.values() if one.run == run.id]
        keys = tuple(one.key for one in straights)
        length_m = sum(one.length_mm for one in straights) / 1000
        sections.append(
            PipeSection(
                f"{run.id}/1",
                run.id,
                "air",
                run.pipe,
                None,
                keys,
                length_m,
                0.01,
                Drop(5.4, 21000.0, 0.026, 40.0, 18.0),
                (),
                40.0 * length_m,
                None,
                (),
                False,
                None,
                _AIR,
                13.6,
                0.0015,
            )
        )
    terminals = tuple(
        Terminal(one.station, one.role, one.wanted or 0.0, "kg/s", 7.5e5, 6e5) for one in demands(design.job, "air")
    )
    supplies = tuple(Supply(one.id, "air", 8e5) for one in design.job.stations if "air" in spec.kind(one.kind).sources)
    return Sized("air", supplies, tuple(sections), terminals)


class _Air:
    density_kg_m3, viscosity_pa_s, source = 9.4, 1.8e-5, "typ"


_AIR = _Air()


def steps(design):
    if any(run.service == "air" for run in design.job.runs):
        pipes = tuple(Need(f"pipe:{run.id}", "it must hold") for run in design.job.runs if run.service == "air")
        yield WorkStep(
            "air-blow",
            "air",
            "Blow the air pipe through",
            "every point open",
            pipes,
            10.0,
            (4.5,),
            closes="chips in it ruin the tools",
        )


def section(design):
    rows = tuple((one.station, f"{one.wanted:g} kg/s") for one in demands(design.job, "air"))
    return PackSection("Air points", (("Point", "Takes"), *rows)) if rows else None


TEST = TestKind(
    "air-hold",
    "air",
    "Air at 10 bar overnight",
    "air",
    lambda design, section: TestRule(1e6, hold_min=600.0),
    ("Pump up, shut off, read in the morning.",),
)
ROOM = rooms.ServiceRoom(
    spec=AIR,
    demand=lambda design: demands(design.job, "air"),
    size=size,
    rules=tuple(rule.rules.values()),
    steps=(steps,),
    tests=(TEST,),
    pack=(section,),
)
WORK = (
    {"do": "add_station", "kind": "compressor", "level": "L0", "at": (0, 3000, 0)},
    {"do": "add_station", "kind": "air-point", "level": "L0", "at": (3000, 3000, 500), "data": {"flow_kg_s": 0.01}},
    {"do": "put_run", "text": "from CMP.out cu-m 15: U1200 E3000 N? D? -> AIR.in"},
)


def command(*words):
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        status = main(list(words))
    return status, out.getvalue(), err.getvalue()


class RegisteredTest(unittest.TestCase):
    def setUp(self):
        self.take_back = rooms.register(ROOM)
        self.addCleanup(self.forget)
        self.made = apply_all(job(), WORK, CATALOGUE)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        app = create_app(self.folder, WTF_CSRF_ENABLED=False, TESTING=True)
        conn = connect(app.config["DATABASE"])
        self.addCleanup(conn.close)
        with writing(conn):
            jobs.create(conn, self.made, "trial")
        self.client = app.test_client()

    def forget(self):
        if "air" in spec.services():
            self.take_back()

    def page(self, name):
        answer = self.client.get(f"/jobs/test-job/{name}")
        self.assertEqual(answer.status_code, 200, name)
        return answer.text

    def test_its_pipe_takes_its_role_letter_and_joints(self):
        run = self.made.run("A1")
        self.assertEqual((run.service, run.role), ("air", "air"))
        design = derive(self.made)
        self.assertEqual({joint.method for joint in design.fitted.joints.values()}, {"capillary", "compression"})
        self.assertEqual([one.rule for one in design.findings if one.severity == "stop"], [])
        self.assertEqual(design.flow, dict.fromkeys(design.flow, 1))
        self.assertEqual(read(write(self.made)), self.made)
        pipe = Question(parse_end("cu-m 15 pipe"), None, "air", "british", "capillary")
        self.assertEqual(law(CATALOGUE, pipe).verdict, "allowed")
        self.assertEqual(str(mouth(CATALOGUE, "press", parse_end("cu-m 15 pipe"), "air")), "press-cu 15 socket")

    def test_every_page_shows_it(self):
        survey = self.page("survey")
        self.assertIn('<option value="compressor">air compressor</option>', survey)
        self.assertIn('<option value="air">air</option>', survey)
        pace = self.page("pace")
        self.assertIn('class="run role-air', pace)
        self.assertIn('<option value="air"', pace)
        self.assertIn("s pipe role-air", pace)
        sizes = self.page("sizes")
        self.assertIn("A1/1", sizes)
        self.assertIn("From CMP: air at", sizes)
        self.assertIn("0.01 <i>kg/s</i>", sizes)
        joints = self.page("joints")
        self.assertIn("A1-01", joints)
        self.assertIn(
            "Flux, thin and even",
            self.client.get(
                "/jobs/test-job/joints/card",
                query_string={
                    "joint": next(
                        one.key for one in derive(self.made).fitted.joints.values() if one.method == "capillary"
                    )
                },
            ).text,
        )
        self.assertIn("Blow the air pipe through", self.page("order"))
        self.assertIn("Air at 10 bar overnight", self.page("prove"))
        pack = self.page("handover/pack")
        self.assertIn("Air points", pack)
        self.assertIn("0.01 kg/s", pack)
        self.assertIn("A1 has no drain at its low end.", self.page("watch"))
        styles = self.client.get(next(word for word in self.page("pace").split('"') if word.endswith("roles.css"))).text
        self.assertIn(".role-air { --c: var(--role-air, #446688); --dash: 4 2; }", styles)
        finder = self.client.get("/bench/transition").text
        self.assertIn('<option value="air">Compressed air</option>', finder)

    def test_the_command_line_and_the_schema_know_it(self):
        path = self.folder / "air.oikotherm.json"
        path.write_text(write(self.made), "utf-8")
        status, out, _ = command("size", str(path), "--service", "air")
        self.assertEqual(status, 0)
        self.assertEqual(json.loads(out)["terminals"][0]["station"], "AIR")
        self.assertEqual(json.loads(out)["sections"][0]["id"], "A1/1")
        _, out, _ = command("check", str(path))
        self.assertIn("air-drain", [one["rule"] for one in json.loads(out)["findings"]])
        _, out, _ = command("calc", "mate", '{"a": "cu-m 15", "b": "cap-cu 15 socket", "service": "air"}')
        self.assertEqual(json.loads(out)["method"], "capillary")
        self.assertIn("compressor", json_schema()["$defs"]["Station"]["properties"]["kind"]["enum"])

    def test_its_step_is_in_the_plan_before_the_hand_over(self):
        order = [step.key for step in plan(derive(self.made))]
        self.assertLess(order.index("pipe:A1"), order.index("air-blow"))
        self.assertLess(order.index("air-blow"), order.index("handover"))

    def test_taken_back_it_is_gone(self):
        text = write(self.made)
        self.take_back()
        self.assertNotIn("air-drain", {one.id for one in all_rules()})
        for commands in (WORK[:1], ({"do": "add_station", "kind": "air-point", "level": "L0", "at": (0, 0, 0)},)):
            with self.assertRaises(Refused) as caught:
                apply_all(job(), commands, CATALOGUE)
            self.assertIn("a kind of station", caught.exception.expected)
        with self.assertRaises(Refused):
            read(text)
        self.assertNotIn("compressor", json_schema()["$defs"]["Station"]["properties"]["kind"]["enum"])
        self.assertNotIn("air", derive(job()).sized)
        with tempfile.TemporaryDirectory() as folder:
            client = create_app(Path(folder), WTF_CSRF_ENABLED=False, TESTING=True).test_client()
            self.assertNotIn("Compressed air", client.get("/bench/transition").text)

    def test_what_is_taken_cannot_be_registered_again(self):
        for taken in (ROOM, rooms.ServiceRoom(spec=spec.ServiceSpec("steam", "Steam", (spec.role("gas"),)))):
            with self.assertRaises(ValueError):
                rooms.register(taken)
        self.assertNotIn("steam", spec.services())
