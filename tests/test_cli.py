"""The command line, as a process: results as JSON, bad input as one error object and exit status 2."""

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from oikotherm.core.bench import tools as calc_tools
from oikotherm.core.design import derive
from oikotherm.exchange.cutlist import cut_csv, cut_rows
from oikotherm.exchange.heating.sizes import sizes_of
from tests.jobs import whole

ROOT = Path(__file__).parents[1]
LOCKHOUSE = str(ROOT / "oikotherm" / "demo" / "lockhouse.oikotherm.json")


def cli(*words, said=None):
    return subprocess.run(
        [sys.executable, "-m", "oikotherm", *words], cwd=ROOT, input=said, capture_output=True, text=True, check=False
    )


class CommandLineTest(unittest.TestCase):
    def test_takeoff_is_the_cut_list_of_the_pages(self):
        self.assertEqual(
            json.loads(cli("takeoff", LOCKHOUSE).stdout)["cuts"], json.loads(json.dumps(cut_rows(derive(whole()))))
        )
        self.assertEqual(cli("takeoff", LOCKHOUSE, "--csv").stdout, cut_csv(derive(whole())))

    def test_size_is_the_sizes_of_the_page(self):
        circuits = json.loads(cli("size", LOCKHOUSE).stdout)["circuits"]
        self.assertEqual(circuits, json.loads(json.dumps(sizes_of(derive(whole())))))
        self.assertEqual(circuits[0]["index"], "R3")

    def test_size_runs_a_circuit_at_given_settings(self):
        with tempfile.TemporaryDirectory() as folder:
            settings = Path(folder) / "settings.json"
            settings.write_text('{"emitters": {"R1": {"trv": 0}}, "flow_c": 55}')
            found = json.loads(cli("size", LOCKHOUSE, "--service", "heating", "--simulate", str(settings)).stdout)
            self.assertEqual(next(one for one in found["emitters"] if one["id"] == "R1")["flow_kg_s"], 0.0)
            self.assertTrue(found["residuals"]["converged"])
            self.assertLess(found["residuals"]["energy_share"], 0.001)
            settings.write_text('{"emitters": {"R1": {"trv": 3}}}')
            done = cli("size", LOCKHOUSE, "--simulate", str(settings))
            self.assertEqual(done.returncode, 2)
            self.assertIn("/emitters/R1/trv", json.loads(done.stderr)["error"]["where"])

    def test_check_tells_stops_by_its_status(self):
        done = cli("check", LOCKHOUSE)
        self.assertEqual(done.returncode, 1)
        self.assertEqual(json.loads(done.stdout)["findings"][0]["rule"], "closing-error")

    def test_calc_reads_argument_or_standard_input(self):
        said = json.dumps({"value": "21 mbar", "to": "inH2O"})
        self.assertEqual(json.loads(cli("calc", "convert", said).stdout), {"value": 8.4307, "text": "8.431 inH2O"})
        self.assertEqual(cli("calc", "convert", said=said).stdout, cli("calc", "convert", said).stdout)
        self.assertIn("centre_to_centre", cli("calc", "cut_length", "--help").stdout)
        self.assertEqual(
            {row["tool"] for row in json.loads(cli("calc", "list").stdout)},
            set(calc_tools()),
        )

    def test_bad_input_gives_one_error_object_and_status_2(self):
        for words in (
            ("calc", "convert", "{"),
            ("calc", "convert", "[1]"),
            ("calc", "dance", "{}"),
            ("calc", "convert", '{"value": "21", "to": "mbar"}'),
            ("takeoff", "missing.json"),
            ("takeoff", str(ROOT / "README.md")),
            ("check", str(ROOT)),
            ("dance",),
            (),
            ("serve", "--host", "0.0.0.0"),
            ("serve", "--port", "x"),
        ):
            with self.subTest(words=words):
                done = cli(*words)
                self.assertEqual(done.returncode, 2, done.stderr)
                self.assertGreaterEqual(set(json.loads(done.stderr)["error"]), {"field", "said", "expected", "example"})
                self.assertNotIn("Traceback", done.stderr)

    def test_a_job_goes_in_and_out_and_a_backup_brings_it_back(self):
        with tempfile.TemporaryDirectory() as folder:
            data = ("--data", f"{folder}/data")
            self.assertEqual(json.loads(cli("import", LOCKHOUSE, *data).stdout)["uid"], "lockhouse")
            self.assertNotEqual(json.loads(cli("import", LOCKHOUSE, *data).stdout)["uid"], "lockhouse")
            self.assertEqual(cli("export", "lockhouse", *data).stdout, Path(LOCKHOUSE).read_text("utf-8"))
            self.assertEqual(cli("export", "nobody", *data).returncode, 2)
            self.assertEqual(cli("backup", f"{folder}/copy.sqlite", *data).returncode, 0)
            self.assertEqual(cli("backup", f"{folder}/copy.sqlite", *data).returncode, 2)
            self.assertIn("kept", cli("demo", "--jobs-only", *data).stdout)
            self.assertIn("loaded", cli("demo", "--fresh", "--jobs-only", *data).stdout)
            self.assertEqual(cli("restore", f"{folder}/copy.sqlite", *data).returncode, 0)
            self.assertEqual(cli("restore", LOCKHOUSE, *data).returncode, 2)
            self.assertEqual(cli("export", "lockhouse", *data).returncode, 0)

    def test_the_schema_is_printed(self):
        self.assertEqual(json.loads(cli("schema").stdout)["title"], "Oikotherm job")
