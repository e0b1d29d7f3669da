"""Circuits, the flow-finder, templates and small jobs over HTTP."""

import json

from oikotherm.core.bench import find_tool
from oikotherm.core.errors import Refused
from oikotherm.core.services.heating.circuit_water import clamp_thermometers
from oikotherm.store import jobs
from oikotherm.store.database import writing
from tests.jobs import whole
from tests.web.test_web import WebCase


class HeatingCase(WebCase):
    def put(self, job):
        with writing(self.conn):
            jobs.create(self.conn, job, "test")

    def job(self, uid="lockhouse"):
        return jobs.head(self.conn, uid).job

    def rev(self, uid="lockhouse"):
        return jobs.head(self.conn, uid).rev


class TermsTest(HeatingCase):
    def set(self, uid="lockhouse", **form):
        return self.client.post(
            f"/jobs/{uid}/sizes/terms",
            data={
                "rev": self.rev(uid),
                "source": "BLR",
                "flow_c": "70",
                "return_c": "50",
                "cold_c": "10",
                "glycol": "",
                **form,
            },
        )

    def test_temperatures_and_glycol_are_set_and_the_sizes_follow(self):
        before = self.client.get("/jobs/lockhouse/sizes").text
        self.assertEqual(self.set(glycol="30 %").status_code, 303)
        (terms,) = [one for one in self.job().circuits if one.source == "BLR"]
        self.assertEqual((terms.flow_c, terms.return_c, terms.medium, terms.mass_fraction), (70, 50, "mpg", 0.3))
        page = self.client.get("/jobs/lockhouse/sizes").text
        self.assertIn("70/50", page)
        self.assertNotEqual(page, before)
        self.set(flow_c="158F", return_c="122F", fill_bar="0.7")
        self.assertIn("filled to 0.7 bar; it needs", self.client.get("/jobs/lockhouse/sizes").text)
        (terms,) = [one for one in self.job().circuits if one.source == "BLR"]
        self.assertAlmostEqual(terms.flow_c, 70.0)
        self.assertEqual(terms.medium, "water")

    def test_rooms_are_judged_by_all_their_emitters(self):
        """The sitting room has two radiators: neither alone gives what it needs, both do; the kitchen's one is
        enough."""
        self.put(whole().model_copy(update={"uid": "house"}))
        page = self.client.get("/jobs/house/sizes").text
        self.assertRegex(page, r'data-room="FLT"[^>]*>\s*<span\s+title="21 °C"\s*>\s*Sitting room')
        self.assertFalse('class="short"' in page)
        answer = self.client.post("/jobs/house/sizes/simulate", json={"flow_c": 65}).get_json()
        given = {room["id"]: room for room in answer["rooms"]}
        watts = {one["id"]: one["output_w"] for one in answer["emitters"]}
        self.assertAlmostEqual(given["FLT"]["given_w"], watts["R3"] + watts["R9"], delta=0.2)
        self.assertEqual((given["FLT"]["need_w"], given["FLT"]["short"], given["HAL"]["short"]), (1750, True, False))
        self.assertNotIn("LND", given)  # it says no need
        self.assertTrue("No room says what it needs" in self.client.get("/jobs/lockhouse/sizes").text)

    def test_what_cannot_be_is_refused_and_stays_as_typed(self):
        for form in (
            {"flow_c": "warm"},
            {"return_c": "80"},
            {"glycol": "70"},
            {"flow_c": ""},
            {"source": "R1"},
            {"flow_c": "130"},
        ):
            with self.subTest(form=form):
                answer = self.set(**form)
                self.assertEqual(answer.status_code, 422)
                self.assertIn('class="refused"', answer.text)
        self.assertIn('value="warm"', self.set(flow_c="warm").text)
        self.assertEqual(self.rev(), 1)
        self.assertEqual(self.set(rev="0").status_code, 409)

    def test_a_manifold_is_given_a_mixing_set(self):
        job = whole("olmo-vecchio")
        self.put(job.model_copy(update={"circuits": tuple(one for one in job.circuits if one.source == "BLR")}))
        page = self.client.get("/jobs/olmo-vecchio/sizes").text
        self.assertIn("MIX has a mixing set?", page)
        self.assertNotIn("Loops of MIX", page)
        self.assertEqual(self.set("olmo-vecchio", source="MIX", flow_c="40", return_c="33").status_code, 303)
        page = self.client.get("/jobs/olmo-vecchio/sizes").text
        self.assertIn("Loops of MIX, behind its mixing set", page)
        self.assertIn("L/min at the manifold", page)
        self.assertIn("L/min at the manifold", self.client.get("/jobs/olmo-vecchio/sizes/balance").text)
        order = self.client.get("/jobs/olmo-vecchio/order").text
        self.assertRegex(self.client.get("/jobs/olmo-vecchio/make/materials").text, r"for floors[\s\S]{0,200}133\.3 m")
        self.assertIn("U1, loop in the floor: blow it out", order)
        self.assertIn("Lay the loop of U1", order)


class FlowFinderTest(HeatingCase):
    PAGE = "/jobs/lockhouse/survey/flow/R1"

    def post(self, log, **form):
        return self.client.post(self.PAGE, data={"rev": self.rev(), "log": log, **form})

    def log_of(self, page):
        return page.split('placeholder="0 18.2', 1)[1].split(">", 1)[1].split("</textarea>", 1)[0]

    def test_the_stand_in_is_told_whichever_way_the_house_is(self):
        for fed in ("left", "right"):
            with self.subTest(fed=fed):
                page = self.client.get(f"{self.PAGE}?fed={fed}").text
                self.assertIn(f"The <b>{fed}</b> pipe is the flow", page)
                self.assertEqual("not as drawn" in page, fed == "right")
                self.assertIn("temperatures of", page)

    def test_a_crossed_radiator_is_marked_and_found(self):
        log = self.log_of(self.client.get(f"{self.PAGE}?fed=right").text)
        self.assertEqual(self.post(log).status_code, 200)
        self.assertEqual(self.rev(), 1)
        self.assertEqual(self.post(log, mark="yes", by_role="apprentice").status_code, 303)
        (fact,) = self.job().facts
        self.assertEqual((fact.path, fact.value, fact.by_role), ("R1.flow-is", "right", "apprentice"))
        self.assertIn("the log says its right pipe is the flow", self.client.get("/jobs/lockhouse/survey").text)
        self.assertEqual(self.post(log, mark="yes", rev="1").status_code, 409)

    def test_logs_that_tell_nothing_or_cannot_be_read(self):
        flat = "\n".join(f"{30 * n} 18,{n % 3} 18.{n % 2}" for n in range(10))
        self.assertIn("<b>Not told</b>", self.post(flat).text)
        self.assertEqual(self.post(flat, mark="yes").status_code, 422)
        for bad in ("0 18.2", "zero 18 18", "0 18 400", "0 18 18\n0 19 18\n0 20 18\n0 21 18\n0 22 18\n0 23 18"):
            with self.subTest(bad=bad):
                answer = self.post(bad, mark="yes")
                self.assertEqual(answer.status_code, 422)
                self.assertIn(bad.split("\n")[0], answer.text)
        self.assertEqual(self.client.get("/jobs/lockhouse/survey/flow/NONE").status_code, 422)

    def test_noise_does_not_turn_the_verdict(self):
        """Two hundred noisy warm-ups, half of them crossed: never the wrong pipe, nearly always told."""
        told = 0
        for seed in range(200):
            times, a, b = clamp_thermometers(
                60, 260, 70, 52, every_s=30, count=30, crossed=seed % 2 == 1, noise_k=0.8, seed=seed
            )
            found = find_tool("flow_finder").run({"times_s": times, "a_c": a, "b_c": b})
            self.assertIn(found["flow"], ("", "b" if seed % 2 else "a"))
            told += bool(found["flow"])
        self.assertGreaterEqual(told, 190)


class TemplateTest(HeatingCase):
    def begin(self, template):
        answer = self.client.post("/jobs", data={"title": "Boiler change", "practice": "british", "template": template})
        return answer.headers["Location"].split("/")[2] if answer.status_code == 303 else answer

    def test_a_boiler_change_brings_stations_checks_and_the_order_of_its_pipes(self):
        uid = self.begin("combi")
        job = self.job(uid)
        self.assertEqual([one.id for one in job.stations], ["OLD", "BLR", "OF", "ORT", "OG", "OH", "OC"])
        self.assertEqual(
            {port.role for port in job.station("BLR").ports},
            {"flow", "return", "gas", "hot", "cold", "condensate", "discharge"},
        )
        self.assertEqual(job.choices["boiler-pipes"].option, "gas-first")
        page = self.client.get(f"/jobs/{uid}/survey").text
        self.assertIn("0 of 12", page)
        answer = self.client.post(
            f"/jobs/{uid}/survey", data={"rev": 1, "form": "check.photo", "done": "yes", "by_role": "apprentice"}
        )
        self.assertEqual(answer.status_code, 303)
        page = self.client.get(f"/jobs/{uid}/survey").text
        self.assertIn("1 of 12", page)
        self.assertIn("apprentice", page)
        self.assertIn("11 checks are open on the survey", page)
        self.client.post(f"/jobs/{uid}/survey", data={"rev": 2, "form": "check.photo", "done": ""})
        self.assertIn("0 of 12", self.client.get(f"/jobs/{uid}/survey").text)
        self.assertEqual(
            self.client.post(f"/jobs/{uid}/survey", data={"rev": 3, "form": "check.none", "done": "yes"}).status_code,
            422,
        )

    def test_what_stands_apart_depends_on_the_boiler(self):
        kinds = {
            name: {one.kind for one in self.job(self.begin(name)).stations} for name in ("heat-only", "system", "combi")
        }
        self.assertLessEqual({"pump", "vessel", "safety-valve", "filling"}, kinds["heat-only"])
        self.assertIn("filling", kinds["system"])
        self.assertNotIn("vessel", kinds["system"] | kinds["combi"])
        self.assertEqual(self.begin("fusion").status_code, 422)

    def test_the_plan_takes_the_old_one_off_and_pipes_gas_first(self):
        uid = self.begin("heat-only")
        runs = (
            "F1 from BLR.flow cu-m 22: U300 -> stub",
            "RT1 from BLR.return cu-m 22: U300 -> stub",
            "G1 from BLR.gas cu-m 15: D300 -> stub",
        )
        for n, text in enumerate(runs):
            self.client.post(
                f"/jobs/{uid}/edit", json={"rev": n + 1, "page": "pace", "commands": [{"do": "put_run", "text": text}]}
            )
        page = self.client.get(f"/jobs/{uid}/order").text
        places = [
            page.index(words) for words in ("Take OLD off", "Hang the boiler BLR", "Pipe G1", "Pipe RT1", "Pipe F1")
        ]
        self.assertEqual(places, sorted(places))
        self.assertIn("tightness test of the gas", page)
        self.client.post(
            f"/jobs/{uid}/edit",
            json={
                "rev": 4,
                "page": "order",
                "commands": [{"do": "choose", "topic": "boiler-pipes", "option": "paced"}],
            },
        )
        page = self.client.get(f"/jobs/{uid}/order").text
        self.assertLess(page.index("Pipe F1"), page.index("Pipe G1"))

    def test_house_practice_says_what_the_order_would_move(self):
        page = self.client.get("/practice?topic=boiler-pipes&option=gas-first").text
        self.assertIn("steps in", page)
        page = self.client.get("/practice?topic=air-separator&option=always").text
        self.assertIn("<b>1</b> findings in 1 job", page)


class SmallJobsTest(HeatingCase):
    def test_stubs_and_holes_by_hand(self):
        found = find_tool("moved_radiator").run({"pipe": "cu-m 15", "floor": 22, "below": "capillary", "gap": 100})
        self.assertEqual((found["stub_mm"], found["hole_mm"]), (148.6, 18.0))  # 22 + 10.6 + 16 + 100; 15 + 3
        self.assertTrue(any("149 mm" in step for step in found["steps"]))
        for bad in ({"floor": 5}, {"gap": 300}, {"below": "press-mlc"}, {"pipe": "cu-m 23"}):
            with self.assertRaises(Refused):
                find_tool("moved_radiator").run({"pipe": "cu-m 15", **bad})

    def test_fixings_carry_the_filled_weight_and_half_again(self):
        found = find_tool("radiator_hang").run({"weight_kg": 62, "litres": 11, "wall": "hollow"})
        self.assertEqual((found["load_kg"], found["fixings"]), (109.5, 10.0))  # 73 x 1.5; 12 kg each
        self.assertEqual(find_tool("radiator_hang").run({"weight_kg": 20, "litres": 4})["fixings"], 4.0)

    def test_a_valve_change_goes_by_pipe_and_house_practice(self):
        thin = find_tool("valve_change").run({"pipe": "cu-m 10", "which": "both"})
        self.assertTrue(any("kinks" in words for words in thin["cautions"]))
        self.assertTrue(any("2 nuts and olives" in words for words in thin["quantities"]))
        old = find_tool("valve_change").run({"pipe": "cu-m 15", "nut_and_olive": "re-use"})
        self.assertFalse(any("kinks" in words for words in old["cautions"]))
        self.assertFalse(any("olive" in words for words in old["quantities"]))
        plastic = find_tool("valve_change").run({"pipe": "pb-m 15"})
        self.assertTrue(any("insert" in words for words in plastic["quantities"]))
        page = self.client.get("/bench/valve_change?pipe=cu-m+15&which=trv").text
        self.assertIn("<h3>Steps</h3>", page)
        self.assertIn("Black water stains", page)

    def test_floors_and_convectors_are_typed_as_emitters(self):
        form = {
            "rev": 1,
            "form": "station",
            "kind": "emitter",
            "level": "L0",
            "east": "1000",
            "north": "500",
            "faces": "S",
            "output": "floor 150x12",
        }
        self.assertEqual(self.client.post("/jobs/lockhouse/survey", data=form).status_code, 303)
        floor = self.job().stations[-1]
        self.assertEqual(
            (floor.data.output_w, floor.data.loop_m, floor.data.rated_at_k, floor.data.exponent),
            (1056.0, 80.0, 20.0, 1.1),
        )
        self.assertEqual([port.end for port in floor.ports], ["pb-m 15 pipe", "pb-m 15 pipe"])
        self.client.post("/jobs/lockhouse/survey", data={**form, "rev": 2, "output": "baseboard 200x2000"})
        board = self.job().stations[-1]
        self.assertEqual((board.data.output_w, board.data.rated_at_k), (1120.0, 64.0))
        self.assertEqual(
            self.client.post("/jobs/lockhouse/survey", data={**form, "rev": 3, "output": "floor 150x90"}).status_code,
            422,
        )

    def test_a_pump_curve_is_typed_as_its_label_has_it(self):
        known = {"rev": 1, "form": "known-BLR", "output_w": "18000", "pump_curve": "0 45; 360 43; 720 38"}
        self.assertEqual(self.client.post("/jobs/lockhouse/survey", data=known).status_code, 303)
        self.assertEqual(self.job().station("BLR").data.pump_curve, ((0.0, 45000.0), (0.1, 43000.0), (0.2, 38000.0)))
        self.assertIn("The pump inside BLR leaves", self.client.get("/jobs/lockhouse/sizes").text)
        for bad in ("45", "0 45; 100", "0 20; 300 40"):
            self.assertEqual(
                self.client.post("/jobs/lockhouse/survey", data={**known, "rev": 2, "pump_curve": bad}).status_code, 422
            )

    def test_the_simulator_answers_for_either_circuit(self):
        self.put(whole("olmo-vecchio"))
        for circuit, names in (("BLR", {"R1", "R2", "PRV", "MIX"}), ("MIX", {"U1", "U2"})):
            answer = self.client.post("/jobs/olmo-vecchio/sizes/simulate", json={"circuit": circuit})
            found = json.loads(answer.text)
            self.assertEqual({one["id"] for one in found["emitters"]}, names)
            self.assertLess(found["residuals"]["energy_share"], 1e-3)
