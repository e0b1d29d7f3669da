"""Quantities: how fitters write them, against published conversions and another library."""

import unittest

import pint

from oikotherm.core.errors import Refused
from oikotherm.core.quantity import UNITS, convert, inches, length_text, parse, parse_length_mm

# The same units in the words of the other library.
PINT = {
    "in": "inch",
    "ft": "foot",
    "psi": "psi",
    "mbar": "millibar",
    "bar": "bar",
    "kPa": "kilopascal",
    "BTU/h": "Btu_it/hour",
    "kW": "kilowatt",
    "gpm": "gallon/minute",
    "imp gpm": "imperial_gallon/minute",
    "L/s": "liter/second",
    "L/min": "liter/minute",
    "ft3/h": "foot**3/hour",
    "m3/h": "meter**3/hour",
    "ft3/min": "foot**3/minute",
    "lb/h": "pound/hour",
    "gal": "gallon",
    "imp gal": "imperial_gallon",
    "ft3": "foot**3",
    "lb": "pound",
    "oz": "ounce",
    "ft/s": "foot/second",
    "kWh": "kilowatt_hour",
    "BTU": "Btu_it",
    "F": "degF",
    "MJ": "megajoule",
}
PINT_BASE = {
    "length": "millimeter",
    "pressure": "pascal",
    "power": "watt",
    "volume-flow": "meter**3/second",
    "mass-flow": "kilogram/second",
    "volume": "meter**3",
    "mass": "kilogram",
    "velocity": "meter/second",
    "energy": "joule",
    "temperature": "degC",
}


class ParseTest(unittest.TestCase):
    def test_lengths_as_fitters_write_them(self):
        for said, mm in {
            "1850": 1850,
            "1.5m": 1500,
            "1.5 m": 1500,
            '7-1/2"': 190.5,
            '7 1/2"': 190.5,
            "7½in": 190.5,
            "6'2-3/4\"": 1898.65,
            "6' 2 3/4\"": 1898.65,
            "2 ft": 609.6,
            "12cm": 120,
            "3/8 in": 9.525,
            "1 furlong": 201168.4,
        }.items():
            with self.subTest(said=said):
                self.assertAlmostEqual(parse_length_mm(said), mm, delta=0.1 if "furlong" in said else 0.001)

    def test_a_bare_number_takes_the_unit_of_the_job(self):
        self.assertEqual(parse_length_mm("7 1/2", "in"), 190.5)
        self.assertEqual(parse_length_mm(7.5, "in"), 190.5)

    def test_decimal_comma_only_where_it_is_the_practice(self):
        self.assertEqual(parse_length_mm("1,5 m", decimal_comma=True), 1500)
        for said, comma in (("1,5 m", False), ("1,500", False), ("1.500,5", True), ("1,2,3", True)):
            with self.subTest(said=said, comma=comma), self.assertRaises(Refused):
                parse_length_mm(said, decimal_comma=comma)

    def test_refusals_say_what_was_read_and_what_was_expected(self):
        for said in ("", "long", "1850 psi", "1/0", "1e999", "--3", "nan", "1 2 3", True, "x" * 500, "٣", "1'2'3"):
            with self.subTest(said=said), self.assertRaises(Refused) as caught:
                parse(said, "length", "mm", field="leg")
            self.assertEqual(caught.exception.field, "leg")
            self.assertTrue(caught.exception.expected)

    def test_units_agree_with_another_library(self):
        registry = pint.UnitRegistry()
        for name, words in PINT.items():
            unit = UNITS[name]
            with self.subTest(unit=name):
                expected = registry.Quantity(3.0, words).to(PINT_BASE[unit.kind]).magnitude
                self.assertAlmostEqual((3.0 * unit.factor + unit.offset) / expected, 1.0, delta=1e-6)

    def test_published_conversions(self):
        for value, to, expected in (
            ("21 mbar", "inH2O", 8.4307),
            ("7 in w.c.", "mbar", 17.436),
            ("100000 BTU/h", "kW", 29.307),
            ("1 gpm", "L/min", 3.7854),
            ("180 F", "C", 82.222),
            ("1 psi", "inH2O", 27.680),
            ("10 Cv", "kv", 8.6498),
            ("1 imp gal", "L", 4.5461),
            ("1 m3/h", "ft3/h", 35.315),
        ):
            with self.subTest(value=value):
                self.assertAlmostEqual(convert(value, to)[0] / expected, 1, delta=1e-4)

    def test_convert_refuses_what_it_cannot(self):
        for value, to in (("21", "mbar"), ("21 mbar", "kW"), ("21 mbar", "blob"), ("21 blob", "mbar")):
            with self.subTest(value=value, to=to), self.assertRaises(Refused):
                convert(value, to)


class FormatTest(unittest.TestCase):
    def test_inches_are_reduced_and_carried(self):
        for mm, text in (
            (190.5, '7-1/2"'),
            (1898.65, "6'2-3/4\""),
            (25.3, '1"'),
            (0, '0"'),
            (-190.5, '-7-1/2"'),
            (609.6, "2'0\""),
        ):
            self.assertEqual(inches(mm), text)

    def test_written_lengths_read_back(self):
        for sixteenths in range(1, 4000, 7):
            mm = sixteenths * 25.4 / 16
            self.assertAlmostEqual(parse_length_mm(length_text(mm, "in"), "in"), mm, delta=0.001)
