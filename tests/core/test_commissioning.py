"""The pre-charge of vessels, read and judged: figures by hand."""

import unittest

from oikotherm.core.design import derive
from oikotherm.core.services.heating.sizing import heating_of
from oikotherm.core.work.commissioning import commission_reads
from oikotherm.core.work.records import Record
from tests.jobs import whole

PSI = 6894.757293168


def read(design, ident, said):
    key, at = f"commission:{ident}:precharge", "2026-03-01T10:00:00Z"
    record = Record("1", "commission", key, "", 1, at, "fitter", {"said": said}, None, 0)
    lines = dict(commission_reads(design, [record] if said else []))[ident]
    return next(one for one in lines if one.line.key.endswith(":precharge"))


class PrechargeTest(unittest.TestCase):
    def test_water_in_north_america_is_set_to_the_supply(self):
        job = whole("fernhollow")
        self.assertEqual(read(derive(job), "EXP", "60").verdict, "pass")

        def at(supply_pa):
            supply = job.station("SUP")
            said = supply.model_copy(update={"data": supply.data.model_copy(update={"supply_pa": supply_pa})})
            return tuple(said if one.id == "SUP" else one for one in job.stations)

        blank = read(derive(job.model_copy(update={"stations": at(None)})), "EXP", "60")
        self.assertEqual((blank.line.expected, blank.verdict), ("the supply, read at its highest", ""))
        stations = at(70 * PSI)
        design = derive(job.model_copy(update={"stations": stations}))
        self.assertEqual(read(design, "EXP", "").verdict, "")
        self.assertEqual(read(design, "EXP", "70").line.expected, "70")
        self.assertEqual(read(design, "EXP", "71.4").verdict, "pass")
        self.assertEqual(read(design, "EXP", "40").verdict, "30 psi too low: pump it up")
        self.assertEqual(read(design, "EXP", "5.5 bar").verdict, "9.77 psi too high: let some out")
        self.assertIn("no pressure", read(design, "EXP", "a lot").verdict)
        metric = derive(job.model_copy(update={"stations": stations, "practice": "continental"}))
        self.assertEqual(read(metric, "EXP", "").line.expected, "4.63")  # 70 psi are 4.826 bar

    def test_heating_is_set_to_what_the_vessel_was_sized_with(self):
        design = derive(whole("lockhouse"))
        wanted = heating_of(design)[0].vessel.precharge_bar
        self.assertEqual(read(design, "BLR", f"{wanted + 0.05:.2f}").verdict, "pass")
        self.assertEqual(read(design, "BLR", f"{wanted - 0.5:.2f}").verdict, "0.50 bar too low: pump it up")


if __name__ == "__main__":
    unittest.main()
