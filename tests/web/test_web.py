"""The pages and their answers, without a browser: forms work without script, edits conflict, errors stay in their
place."""

import csv
import inspect
import io
import json
import re
import tempfile
import unittest
import uuid
from pathlib import Path
from unittest import mock

from markupsafe import escape

from oikotherm.core.bench import tools as calc_tools
from oikotherm.core.design import derive
from oikotherm.core.job.document import read, write
from oikotherm.drawing.palette import stylesheet
from oikotherm.exchange.cutlist import cut_rows
from oikotherm.exchange.heating.sizes import sizes_of
from oikotherm.store import jobs
from oikotherm.store.database import connect, writing
from oikotherm.web import create_app
from tests.jobs import demo, whole

PAGES = ("/", "/bench", "/bench/convert", "/bench/cut_length", "/keys", "/licences", "/people") + tuple(
    f"/jobs/lockhouse/{page}"
    for page in (
        "survey",
        "pace",
        "sizes",
        "make",
        "handover",
        "handover/sheet",
        "history",
        "find?q=R3",
        "drawing",
        "state",
    )
)


class WebCase(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.app = create_app(Path(folder.name), WTF_CSRF_ENABLED=False, TESTING=True)
        self.conn = connect(self.app.config["DATABASE"])
        self.addCleanup(self.conn.close)
        with writing(self.conn):
            jobs.create(self.conn, demo(), "demo")
        self.client = self.app.test_client()

    def edit(self, rev, *commands, page="pace"):
        return self.client.post("/jobs/lockhouse/edit", json={"rev": rev, "page": page, "commands": list(commands)})

    def head(self):
        return jobs.head(self.conn, "lockhouse")


class PagesTest(WebCase):
    def test_every_page_answers_with_the_closed_headers(self):
        for path in PAGES:
            with self.subTest(path=path):
                response = self.client.get(path)
                self.assertEqual(response.status_code, 200)
                self.assertIn("default-src 'none'", response.headers["Content-Security-Policy"])
                self.assertNotIn("unsafe", response.headers["Content-Security-Policy"])
                self.assertNotRegex(response.text, r"<[^>]+\sstyle=|<script>|\son[a-z]+=")

    def test_the_plan_is_built_for_the_pages_that_show_it_alone(self):
        step = {"uuid": str(uuid.uuid4()), "kind": "step", "key": "isolate", "label": "Make it safe", "rev": 1}
        done = {**step, "made_at": "2026-03-01T10:00:00Z", "by_role": "site lead", "body": {"done": True}}
        self.assertTrue(self.client.post("/jobs/lockhouse/records", json={"records": [done]}).json["kept"])
        with mock.patch("oikotherm.core.design.plan", side_effect=AssertionError("the plan was built")):
            for page in ("survey", "pace", "sizes", "joints", "make", "prove", "watch"):
                self.assertEqual(self.client.get(f"/jobs/lockhouse/{page}").status_code, 200)
            with self.assertRaisesRegex(AssertionError, "the plan was built"):
                self.client.get("/jobs/lockhouse/order")

    def test_the_order_says_what_each_step_does_to_the_house(self):
        with writing(self.conn):
            jobs.create(self.conn, whole("lockhouse").model_copy(update={"uid": "whole"}), "demo")
        self.assertNotIn("The house now", self.client.get("/jobs/whole/order").text)
        done = {"uuid": str(uuid.uuid4()), "kind": "step", "key": "isolate", "label": "Make it safe", "rev": 1}
        done |= {"made_at": "2026-03-01T10:00:00Z", "by_role": "site lead", "body": {"done": True}}
        self.client.post("/jobs/whole/records", json={"records": [done]})
        page = self.client.get("/jobs/whole/order").text
        self.assertRegex(page, r"The house now</b> out of use: WC1, OC1; [^<]*C4[^<]* shut")
        self.assertIn("C4 drained", page)

    def test_templates_are_given_their_data_and_work_nothing_out(self):
        for name, found in self.app.jinja_env.globals.items():
            takes = list(inspect.signature(found).parameters) if inspect.isfunction(found) else []
            self.assertNotIn("frame", takes, f"{name} works something out while a page is written")
            self.assertNotIn("design", takes, name)

    def test_pages_that_are_not_there_say_so(self):
        for path in (
            "/nothing",
            "/jobs/nobody/pace",
            "/jobs/nobody/export.oikotherm.json",
            "/bench/dance",
            "/static/0/css/frame.css",
        ):
            with self.subTest(path=path):
                response = self.client.get(path)
                self.assertEqual(response.status_code, 404)
                self.assertNotIn("Traceback", response.text)

    def test_a_mistake_of_ours_is_a_calm_page(self):
        self.app.config.update(PROPAGATE_EXCEPTIONS=False, TESTING=False)
        self.app.logger.disabled = True
        self.app.view_functions["home.keys"] = lambda: 1 / 0
        response = self.client.get("/keys")
        self.assertEqual(response.status_code, 500)
        self.assertIn("what was stored is untouched", response.text)
        self.assertNotIn("ZeroDivision", response.text)

    def test_other_names_for_this_server_are_turned_away(self):
        for host in ("evil.example", "127.0.0.1.evil.example", "10.0.0.1"):
            self.assertEqual(self.client.get("/", headers={"Host": host}).status_code, 421)
        self.assertEqual(self.client.get("/", headers={"Host": "localhost:8420"}).status_code, 200)

    def test_files_carry_the_hash_and_are_kept_for_good(self):
        page = self.client.get("/").text
        links = re.findall(r'(?:href|src)="(/static/[^"]+)"', page)
        self.assertGreater(len(links), 3)
        for link in links:
            response = self.client.get(link, headers={"Accept-Encoding": "gzip"})
            self.assertEqual(response.status_code, 200)
            self.assertIn("immutable", response.headers["Cache-Control"])
            self.assertEqual(response.headers["Content-Encoding"], "gzip")
        self.assertEqual(self.client.get("/", headers={"Accept-Encoding": "gzip"}).headers["Content-Encoding"], "gzip")

    def test_page_takeoff_csv_and_sheet_agree_exactly(self):
        rows = [(row["label"], str(row["cut_mm"])) for row in cut_rows(derive(demo()))]
        made = self.client.get("/jobs/lockhouse/make").text
        self.assertEqual(
            re.findall(r'data-cut-mm="([^"]+)" data-label="([^"]+)"', made), [(cut, label) for label, cut in rows]
        )
        self.assertRegex(made, r"\d+ bends pulled\. Against fittings they save \d+ fittings, \d+ joints")
        sheet = self.client.get("/jobs/lockhouse/handover/sheet").text
        self.assertEqual(re.findall(r'data-label="([^"]+)" data-cut-mm="([^"]+)"', sheet), rows)
        table = list(csv.DictReader(io.StringIO(self.client.get("/jobs/lockhouse/cuts.csv").text)))
        self.assertEqual([(row["label"], row["cut_mm"]) for row in table], rows)

    def test_hand_over_gives_the_network_file_of_the_job(self):
        page = self.client.get("/jobs/lockhouse/handover").text
        (link,) = re.findall(r'href="([^"]+/network\.json)"', page)
        found = self.client.get(link)
        self.assertIn('filename="lockhouse-network.json"', found.headers["Content-Disposition"])
        (network,) = found.json["networks"]
        self.assertEqual((found.json["format"], network["service"]), ("oikotherm-network", "heating"))
        (circuit,) = sizes_of(derive(demo()))
        self.assertGreaterEqual({one["id"] for one in network["branches"]}, {row["id"] for row in circuit["sections"]})
        self.assertLessEqual({"pressure_pa", "flow_kg_s"}, set(network["solution"]))

    def test_the_sizes_page_shows_the_figures_of_the_command_line(self):
        page = self.client.get("/jobs/lockhouse/sizes").text
        (circuit,) = sizes_of(derive(demo()))
        shown = dict(re.findall(r'data-section="([^"]+)" data-drop-pa="([^"]+)"', page))
        self.assertEqual(shown, {row["id"]: str(row["drop_pa"]) for row in circuit["sections"]})
        shown = dict(re.findall(r'data-station="([^"]+)" data-output-w="([^"]+)"', page))
        self.assertEqual(shown, {row["id"]: str(row["output_w"]) for row in circuit["emitters"]})
        values = re.findall(r'data-value="([^"]+)"', page)
        self.assertEqual(
            values,
            [
                str(v)
                for v in (
                    circuit["pump"]["head_pa"],
                    circuit["pump"]["flow_l_h"],
                    circuit["volume_l"],
                    circuit["vessel"]["needed_l"],
                )
            ],
        )
        self.assertIn("pressure left, kPa", page)

    def test_an_empty_job_has_every_stage(self):
        made = (
            self.client.post("/jobs", data={"title": "Empty", "practice": "continental"})
            .headers["Location"]
            .split("/")[2]
        )
        for stage in ("survey", "pace", "sizes", "joints", "make", "order", "prove", "handover", "handover/sheet"):
            self.assertEqual(self.client.get(f"/jobs/{made}/{stage}").status_code, 200, stage)


class ColoursTest(unittest.TestCase):
    def test_every_property_asked_for_is_set_somewhere(self):
        """A colour that is named and nowhere set leaves a pipe undrawn, without an error."""
        static = Path(inspect.getfile(create_app)).parent / "static"
        texts = {path: path.read_text() for kind in ("css", "js") for path in static.glob(f"{kind}/*.{kind}")}
        given = set(re.findall(r"(--[\w-]+)\s*:", " ".join((*texts.values(), stylesheet()))))
        given |= set(re.findall(r'setProperty\("(--[\w-]+)"', " ".join(texts.values())))
        self.assertGreater(len(given), 20)
        for path, text in texts.items():
            self.assertEqual(set(re.findall(r"var\((--[\w-]+)\)", text)) - given, set(), path.name)


class EditsTest(WebCase):
    def test_an_edit_gives_the_changed_parts_and_undo_takes_it_back(self):
        answer = self.edit(1, {"do": "remove_run", "id": "F3"}).json
        self.assertEqual(answer["rev"], 2)
        self.assertEqual(set(answer["fragments"]), {"watch", "stages", "state", "runs", "drawing"})
        self.assertNotIn('data-run="F3"', answer["fragments"]["runs"])
        back = self.client.post("/jobs/lockhouse/undo", json={"rev": 2, "page": "pace"}).json
        self.assertEqual(back["rev"], 1)
        self.assertIn('data-run="F3"', back["fragments"]["runs"])
        self.assertEqual(self.client.post("/jobs/lockhouse/redo", json={"rev": 1, "page": "make"}).json["rev"], 2)
        self.assertEqual(self.client.post("/jobs/lockhouse/redo", json={"rev": 2}).json["message"], "Nothing to redo.")

    def test_a_stale_edit_gets_the_newer_state_and_overwrites_nothing(self):
        self.edit(1, {"do": "set_job", "title": "First"})
        late = self.edit(1, {"do": "set_job", "title": "Second"})
        self.assertEqual((late.status_code, late.json["rev"]), (409, 2))
        self.assertIn("not stored", late.json["message"])
        self.assertEqual(self.head().job.title, "First")
        self.assertEqual(self.client.post("/jobs/lockhouse/undo", json={"rev": 1}).status_code, 409)

    def test_an_edit_that_changes_nothing_makes_no_revision(self):
        self.assertEqual(self.edit(1, {"do": "set_job", "title": demo().title}).json["rev"], 1)

    def test_refusals_carry_field_said_expected_example_and_place(self):
        answer = self.edit(1, {"do": "put_run", "text": "from BLR.flaw cu-m 22: U5"})
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(set(answer.json["error"]), {"field", "said", "expected", "example", "where"})
        for body in (
            b"",
            b"[]",
            b"{",
            json.dumps({"rev": "x", "commands": [{}]}).encode(),
            json.dumps({"rev": 1, "commands": []}).encode(),
            b'{"rev": true, "commands": [1]}',
        ):
            response = self.client.post("/jobs/lockhouse/edit", data=body, content_type="application/json")
            self.assertEqual(response.status_code, 422, body)
        self.assertEqual(self.head().rev, 1)

    def test_the_preview_stores_nothing_and_draws_as_far_as_it_goes(self):
        body = {"text": "from F1.T1 cu-m 15: U350 W900 (wal 220) N300", "caret": 20}
        answer = self.client.post("/jobs/lockhouse/pace/preview", json=body).json
        self.assertEqual(answer["error"]["where"], [30, 39])
        self.assertIn("ghost", answer["drawing"])
        self.assertIn("W 900", answer["says"])
        self.assertEqual(self.head().rev, 1)
        self.assertEqual(self.client.post("/jobs/lockhouse/pace/preview", json={"text": "\x00"}).status_code, 422)
        for text in ("", "x", "from", "from F1.T1", "from F1.T1 cu-m 15: " + "U1 " * 3000):
            self.assertEqual(self.client.post("/jobs/lockhouse/pace/preview", json={"text": text}).status_code, 200)


class FormsTest(WebCase):
    def form(self, form, /, **fields):
        return self.client.post("/jobs/lockhouse/survey", data={"form": form, "rev": str(self.head().rev), **fields})

    def test_a_port_is_renamed_added_and_taken_off_by_plain_forms(self):
        put = {
            "name": "drain",
            "role": "discharge",
            "way": "out",
            "right": "10",
            "out": "20",
            "up": "30",
            "facing": "down",
        }
        put |= {"end": "cu-m 15 pipe", "metal": "copper", "kit": ""}
        self.assertEqual(self.form("portadd-R1", **put).status_code, 303)
        made = self.head().job.station("R1").ports[-1]
        self.assertEqual((made.name, made.offset, made.metal), ("drain", (10, 20, 30), "copper"))
        self.assertEqual(self.form("port-R1-drain", **{**put, "name": "blow-off"}).status_code, 303)
        self.assertEqual(self.head().job.station("R1").ports[-1].name, "blow-off")
        self.assertEqual(self.form("portremove-R1-blow-off").status_code, 303)
        self.assertNotIn("blow-off", [one.name for one in self.head().job.station("R1").ports])
        bad = self.form("portadd-R1", **{**put, "end": "cu-m 15 pype"})
        self.assertEqual(bad.status_code, 422)
        self.assertIn('value="cu-m 15 pype"', bad.text)

    def test_a_change_of_what_is_known_keeps_what_has_no_field(self):
        stub = {
            "id": "STB",
            "kind": "stub",
            "level": "L0",
            "at": (0, 0, 0),
            "faces": "S",
            "ports": [],
            "data": {"behind_pa": 12000, "supply_pa": 1000},
        }
        self.edit(1, {"do": "put_station", "station": stub}, page="survey")
        self.assertEqual(self.form("known-STB", supply_pa="2000").status_code, 303)
        data = self.head().job.station("STB").data
        self.assertEqual((data.behind_pa, data.supply_pa), (12000, 2000))

    def test_the_ways_out_of_a_finding_are_tried_when_it_is_opened(self):
        page = self.client.get("/jobs/lockhouse/pace").text
        self.assertIn("not tried yet", page)
        query = re.search(r'data-later="(tried\?[^"]*rule=closing-error[^"]*)"', page).group(1).replace("&amp;", "&")
        answer = self.client.get(f"/jobs/lockhouse/{query}").json
        ((into, html),) = answer["fragments"].items()
        self.assertIn(f'id="{into}"', page)
        self.assertIn("tried: clears it", html)
        self.assertNotIn("data-later", html)
        self.assertEqual(self.client.get("/jobs/lockhouse/tried?rule=x&where=y&into=watch-1").status_code, 404)
        self.assertEqual(
            self.client.get(f"/jobs/lockhouse/{query.replace('into=watch', 'into=%3Cb')}").status_code, 404
        )

    def test_stations_levels_and_ports_by_plain_forms(self):
        self.assertEqual(
            self.form(
                "station", kind="emitter", level="L1", east="1.2m", north="3 ft", faces="E", output="1.5 kW"
            ).status_code,
            303,
        )
        made = self.head().job.station("R4")
        self.assertEqual((made.at, made.data.output_w), ((1200, 914.4, 150), 1500))
        self.form(
            "station-R4",
            name="Landing",
            level="L0",
            east="0",
            north="0",
            height="200",
            faces="N",
            state="keep",
            serial="S1",
        )
        self.assertEqual((self.head().job.station("R4").name, self.head().job.station("R4").at[2]), ("Landing", 200))
        port = {
            "role": "flow",
            "way": "in",
            "right": "-450",
            "out": "50",
            "up": "40",
            "facing": "down",
            "end": "Rp 1/2 female",
            "kit": "adaptor-15x1/2",
        }
        self.assertEqual(self.form("port-R4-left", **port).status_code, 303)
        self.assertEqual(self.head().job.station("R4").ports[0].kit[0].part, "adaptor-15x1/2")
        self.assertEqual(self.form("level", name="Loft", floor="5200", ceiling="6400").status_code, 303)
        self.assertEqual(self.form("level-remove-L2").status_code, 303)
        self.assertEqual(self.form("station-remove-R4").status_code, 303)
        self.assertEqual([level.id for level in self.head().job.house.levels], ["L0", "L1"])

    def test_a_refused_form_comes_back_as_typed(self):
        for name, fields, kept in (
            ("station", {"kind": "emitter", "level": "L0", "east": "12 psi", "north": "7"}, 'value="12 psi"'),
            (
                "port-R1-left",
                {"right": "1", "out": "1", "up": "1", "end": "comp-cu 99x socket", "kit": ""},
                'value="comp-cu 99x socket"',
            ),
            (
                "port-R1-left",
                {"right": "1", "out": "1", "up": "1", "end": "G 1/2 female", "kit": "glue"},
                'value="glue"',
            ),
            ("level", {"id": "L7", "floor": "9", "ceiling": "3"}, 'value="L7"'),
            ("level-remove-L0", {}, "Survey"),
            ("station-remove-ZZ", {}, "Survey"),
            ("dance", {}, "Survey"),
        ):
            with self.subTest(name=name):
                response = self.form(name, **fields)
                self.assertEqual(response.status_code, 422)
                self.assertIn(kept, response.text)
                self.assertNotIn("Traceback", response.text)
        self.assertEqual(self.head().rev, 1)

    def test_a_form_on_an_old_page_is_not_stored(self):
        self.edit(1, {"do": "set_job", "title": "First"})
        response = self.client.post(
            "/jobs/lockhouse/survey", data={"form": "level", "rev": "1", "name": "Loft", "floor": "1", "ceiling": "2"}
        )
        self.assertEqual(response.status_code, 409)
        self.assertIn('value="Loft"', response.text)

    def test_new_jobs_import_and_export(self):
        self.assertEqual(self.client.post("/jobs", data={"title": " ", "practice": "british"}).status_code, 422)
        made = self.client.post(
            "/jobs", data={"title": "Shop & flat", "practice": "north-american", "place": "", "pace_unit": ""}
        )
        uid = made.headers["Location"].split("/")[2]
        self.assertEqual(jobs.head(self.conn, uid).job.pace_unit, "in")
        text = self.client.get("/jobs/lockhouse/export.oikotherm.json").data
        self.assertEqual(text.decode(), write(demo()))
        again = self.client.post("/import", data={"document": (io.BytesIO(text), "lock.json")})
        twin = again.headers["Location"].split("/")[2]
        self.assertNotEqual(twin, "lockhouse")
        self.assertEqual(jobs.head(self.conn, twin).job.model_copy(update={"uid": "lockhouse"}), read(text))
        for bad in (b"no json", b"{}"):
            self.assertEqual(
                self.client.post("/import", data={"document": (io.BytesIO(bad), "x.json")}).status_code, 422
            )
        self.assertEqual(self.client.post("/import").status_code, 422)

    def test_printing_freezes_labels_for_good(self):
        self.client.post("/jobs/lockhouse/handover/print", data={"rev": "1"})
        before = [row["label"] for row in cut_rows(derive(demo())) if row["run"] == "F1"]
        line = derive(demo()).texts["F1"].replace("W150 [vent] W150", "W150 [vent] W150 [gate] W150")
        self.edit(1, {"do": "put_run", "run": "F1", "text": line})
        table = list(csv.DictReader(io.StringIO(self.client.get("/jobs/lockhouse/cuts.csv").text)))
        labels = [row["label"] for row in table if row["run"] == "F1"]
        # those printed stand, the new piece among them takes the next free letter
        self.assertEqual([label for label in labels if label in before], before)
        self.assertEqual(set(labels) - set(before), {"F1-J"})
        self.assertNotEqual(labels[-1], "F1-J")

    def test_forms_without_their_key_are_turned_away(self):
        self.app.config["WTF_CSRF_ENABLED"] = True
        response = self.client.post(
            "/jobs/lockhouse/edit", json={"rev": 1, "commands": [{"do": "remove_run", "id": "F1"}]}
        )
        self.assertEqual((response.status_code, self.head().rev), (400, 1))
        self.assertEqual(self.client.post("/jobs", data={"title": "x"}).status_code, 400)

    def test_the_bench_page_and_the_api_are_the_same_tools(self):
        said = {"pipe": "cu-m 15", "method": "capillary", "from": "elbow", "to": "elbow", "centre_to_centre": "500"}
        for tool in calc_tools().values():
            shown = self.client.get(
                f"/bench/{tool.name}",
                query_string={
                    key: value if isinstance(value, str) else json.dumps(value) for key, value in tool.example.items()
                },
            )
            self.assertEqual(shown.status_code, 200, tool.name)
            self.assertIn(str(escape(tool.run(tool.example)["text"])), shown.text)
        self.assertIn(">478 mm<", self.client.get("/bench/cut_length", query_string=said).text)
        self.assertEqual(self.client.post("/api/calc/cut_length", json=said).json["cut_mm"], 478)
        self.assertEqual(
            self.client.get("/bench/cut_length", query_string={**said, "pipe": "cu-m 16"}).status_code, 422
        )
        self.assertEqual(self.client.post("/api/calc/cut_length", json=[]).status_code, 422)
        self.assertEqual(self.client.post("/api/calc/dance", json={}).json["error"]["field"], "tool")
