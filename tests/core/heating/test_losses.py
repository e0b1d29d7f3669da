"""What fittings cost, each once, against the table of the trade."""

import unittest

from oikotherm.core.design import derive
from oikotherm.core.matter import fluid
from oikotherm.core.network.friction import pipe_drop
from oikotherm.core.network.losses import Losses
from tests.jobs import CATALOGUE, edit, paced, port, station

MEDIUM = fluid(60, 0.0)


def costs(*texts, flows, end="comp-cu 22 socket"):
    """{(run, fitting's title): K} of each run taken as one section, at these flows [kg/s] by run."""
    made = derive(paced(*texts, end=end))
    work = made.pipework
    carried = {key: flows[straight.run] for key, straight in work.straights.items()}
    losses = Losses(made.fitted, CATALOGUE, MEDIUM, {})
    found = []
    for run in work.by_run:
        group = list(work.by_run[run].straights.values())
        row = CATALOGUE.pipe(group[0].pipe.code, group[0].pipe.size)
        drop = pipe_drop(flows[run], row.bore_mm, 0.0015, MEDIUM)
        found += [(run, local.title, local.k) for local in losses.of(group, carried, drop)]
    return found


class LossesTest(unittest.TestCase):
    def test_an_elbow_between_two_runs_is_charged_once(self):
        found = costs(
            "F1 from A.out cu-m 22: U900 E900 .P1",
            "F2 from F1.P1 cu-m 22: N900 E900 -> cap",
            flows={"F1": 0.1, "F2": 0.1},
        )
        elbows = [(run, k) for run, title, k in found if "elbow" in title]
        self.assertEqual(sorted(k for _, k in elbows), [0.9, 0.9, 0.9])  # one in each run, one between them

    def test_couplings_over_a_stick_are_charged(self):
        found = costs("F1 from A.out cu-m 22: U300 E7000 N300 -> cap", flows={"F1": 0.1})
        self.assertEqual([k for _, title, k in found if "coupling" in title], [0.1, 0.1])

    def test_a_tee_whose_third_end_is_shut_is_passed(self):
        found = costs("F1 from A.out cu-m 22: U600 *T1:E plug U600 -> cap", flows={"F1": 0.1})
        self.assertEqual([k for _, title, k in found if "tee" in title], [0.4])
        turned = costs("F1 from A.out cu-m 22: U600 *T1 plug E600 -> cap", flows={"F1": 0.1})
        self.assertEqual([k for _, title, k in turned if "tee" in title], [1.3])

    def test_a_tee_where_two_ways_of_one_line_meet(self):
        runs = ("F1 from A.out cu-m 22: U900 *T1", "F2 from F1.T1 cu-m 22: E900 -> cap")
        found = costs(*runs, "F3 from F1.T1 cu-m 22: W900 -> cap", flows={"F1": 0.2, "F2": 0.1, "F3": 0.1})
        self.assertEqual([(run, k) for run, title, k in found if "counter" in title], [("F2", 1.8), ("F3", 1.8)])
        straight = costs(*runs, "F3 from F1.T1 cu-m 22: U900 -> cap", flows={"F1": 0.2, "F2": 0.1, "F3": 0.1})
        self.assertEqual([(run, k) for run, title, k in straight if "tee" in title], [("F2", 1.3), ("F3", 0.4)])

    def test_insert_fittings_by_the_velocity_in_them(self):
        for size, bore, insert in (("16", 12, 8.5), ("20", 15.5, 12), ("26", 20, 16)):
            found = costs(f"F1 from A.out mlc {size}: U900 E9000 -> cap", flows={"F1": 0.1}, end=f"mlc {size} pipe")
            elbow = next((k for _, title, k in found if "elbow" in title), None)
            row = CATALOGUE.pipe("mlc", size)
            self.assertAlmostEqual(row.bore_mm, bore, delta=0.6)
            self.assertIsNotNone(elbow, size)
            self.assertGreater(elbow, 1.2, (size, insert))


class SizesTest(unittest.TestCase):
    def test_a_section_says_all_that_its_drop_follows_from(self):
        """By another library's friction, from what `size` gives of each section alone."""
        import fluids

        from oikotherm.exchange.heating.sizes import sizes_of
        from tests.jobs import whole

        design = derive(whole("lockhouse"))
        (circuit,) = sizes_of(design)
        rho = fluid(circuit["flow_c"], 0.0)
        ends = {}
        for row in circuit["sections"]:
            ends.setdefault(row["from"], []).append(row["id"])
            bore_m = row["bore_mm"] / 1000
            medium = next(one.medium for one in _sections(design) if one.id == row["id"])
            speed = row["flow_kg_s"] / medium.density_kg_m3 / (3.14159265 / 4 * bore_m**2)
            reynolds = speed * bore_m * medium.density_kg_m3 / medium.viscosity_pa_s
            factor = fluids.friction_factor(reynolds, row["roughness_mm"] / row["bore_mm"], Method="Colebrook")
            dynamic = medium.density_kg_m3 / 2 * speed**2
            local = sum(
                one["k"] * dynamic
                if one["kv"] is None
                else 1e5
                * (row["flow_kg_s"] / medium.density_kg_m3 * 3600 / one["kv"]) ** 2
                * medium.density_kg_m3
                / 1000
                for one in row["fittings"]
            )
            again = factor * row["length_m"] / bore_m * dynamic + local
            if reynolds > 4000:
                self.assertAlmostEqual(row["drop_pa"], again, delta=max(1.0, 0.01 * again), msg=row["id"])
        self.assertIn("BLR.flow", ends)
        self.assertTrue(any(name.startswith("F1.T") for name in ends))
        self.assertGreater(rho.density_kg_m3, 900)


class VolumeTest(unittest.TestCase):
    def test_the_water_of_a_manifold_counts(self):
        from oikotherm.core.services.heating.sizing import heating_of
        from tests.jobs import edit, whole

        made = whole("olmo-vecchio")
        before = heating_of(derive(made))[0]
        manifold = made.station("MAN").model_dump(exclude_none=True)
        said = {**manifold, "data": {**manifold.get("data", {}), "volume_l": 1.8}}
        after = heating_of(derive(edit(made, {"do": "put_station", "station": said})))[0]
        self.assertAlmostEqual(after.volume_l - before.volume_l, 1.8, places=6)
        self.assertIn(("MAN", 1.8), [(row.what, row.litres) for row in after.volume])


class ManifoldKvTest(unittest.TestCase):
    def test_the_kv_of_a_manifold_counts_once_a_way(self):
        """Kv 1.2 by its label: at each outlet dp = (V / Kv)^2 bar, once on the flow and once on the return."""
        from oikotherm.core.services.heating.sizing import heating_of
        from tests.core.heating.test_network import by_manifold

        made = by_manifold()
        before = heating_of(derive(made))[0]
        station = next(one for one in made.stations if one.kind == "manifold").model_dump(exclude_none=True)
        said = {**station, "data": {**station.get("data", {}), "kv": 1.2}}
        after = heating_of(derive(edit(made, {"do": "put_station", "station": said})))[0]
        bars = [(section, one) for section in after.sections for one in section.locals if one.key.endswith("/bar")]
        self.assertEqual(len(bars), 6)  # three loops, out and home
        for section, one in bars:
            volume_m3_h = section.flow_kg_s * 3600 / after.medium.density_kg_m3
            by_hand = (volume_m3_h / 1.2) ** 2 * 1e5 * after.medium.density_kg_m3 / 1000
            self.assertAlmostEqual(one.drop_pa, by_hand, delta=0.02 * by_hand)
        self.assertGreater(after.pump_head_pa, before.pump_head_pa)


class InsertTest(unittest.TestCase):
    def test_insert_costs_the_same_at_either_end(self):
        """pb-m 15 between two compression ports: an insert of 9.5 at each, 0.6 on its own bore, (11.4 / 9.5)^4 in the
        pipe's: 1.244 each."""
        first = paced("F1 from A.out pb-m 15: U600 -> stub", end="comp-cu 15 socket")
        other = station("B", [port("in", "comp-cu 15 socket", (0, 0, 600), facing="down", way="in")])
        made = derive(edit(first, other, {"do": "put_run", "text": "F1 from A.out pb-m 15: U600 -> B.in"}))
        straights = list(made.pipework.straights.values())
        losses = Losses(made.fitted, CATALOGUE, MEDIUM, {})
        drop = pipe_drop(0.05, 11.4, 0.007, MEDIUM)
        found = losses.of(straights, {one.key: 0.05 for one in straights}, drop)
        self.assertEqual([round(one.k or 0, 3) for one in found if "insert" in one.title], [1.244, 1.244])


class PipeLossTest(unittest.TestCase):
    def test_bare_pipe_loses_by_its_real_difference(self):
        """At 45/35 the film of bare pipe is thinner than at 75/65: by the fourth root of the difference."""
        from oikotherm.core.services.heating.simulate import _losses
        from oikotherm.core.services.heating.sizing import heating_of
        from tests.jobs import whole

        design = derive(whole("olmo-vecchio"))
        heating = heating_of(design)[0]
        found = {c: _losses(design.fitted, CATALOGUE, heating, c) for c in (75.0, 45.0)}
        bare = [
            one.id
            for one in heating.sections
            if one.role == "flow" and all(not design.pipework.straights[key].lag_mm for key in one.keys)
        ]
        self.assertTrue(bare)
        for ident in bare:
            (hot, air_c), (mild, _) = found[75.0][ident], found[45.0][ident]
            self.assertAlmostEqual(hot / mild, ((75 - air_c) / (45 - air_c)) ** 0.25, delta=0.02)


def _sections(design):
    from oikotherm.core.services.heating.sizing import heating_of

    return [section for heating in heating_of(design) for section in heating.sections]


if __name__ == "__main__":
    unittest.main()
