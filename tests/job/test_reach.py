"""Figures beyond what an instrument can show are refused, and a line that breaks stops no other."""

import json
import subprocess
import sys
import unittest
from pathlib import Path
from unittest import mock

from frosty_piston.core.errors import BadInput
from frosty_piston.job import answer
from frosty_piston.job.entries.kind import unit_in
from frosty_piston.job.tape import jobfile
from frosty_piston.knowledge import load_knowledge
from tests.cases import entry, job_file, symptom

K, ROOT = load_knowledge(), Path(__file__).parents[2]
SOUND = job_file(symptom("no_start"))


def with_altitude(metres, unit="m"):
    pump = {"kpa": 60, "seconds": 10, "flicker_kpa": 1}
    return job_file(
        entry("condition", name="altitude_m", value=metres, unit=unit),
        entry("outcome", test="vacuum_at_pump", figures=pump),
    )


class Reach(unittest.TestCase):
    def test_the_edges_of_an_altitude(self):
        for metres, unit, fine in (
            (-430, "m", True),
            (-431, "m", False),
            (9000, "m", True),
            (9001, "m", False),
            (45000, "m", False),
            (8.9, "km", True),
            (9.1, "km", False),
        ):
            with self.subTest(metres=metres, unit=unit):
                read = jobfile.read(json.dumps(with_altitude(metres, unit)).encode(), K) if fine else None
                if fine:
                    self.assertTrue(answer.assess(read, K)["suspects"])
                    continue
                with self.assertRaisesRegex(BadInput, "out of reach; -430 to 9.000 m is allowed"):
                    jobfile.read(json.dumps(with_altitude(metres, unit)).encode(), K)

    def test_every_figure_of_every_test_has_bounds(self):
        bare = {
            f"{test}.{name}"
            for test, shape in K.tests.items()
            for name in shape.figures
            if name not in K.named_reach and unit_in(name) is None
        }
        self.assertEqual(bare, set())

    def test_a_figure_of_a_test_beyond_its_name_s_bounds(self):
        far = entry("outcome", test="vacuum_at_pump", figures={"kpa": 60, "seconds": 10, "altitude_m": 45000})
        with self.assertRaisesRegex(BadInput, "figures.altitude_m"):
            jobfile.read(json.dumps(job_file(far)).encode(), K)

    def test_a_line_that_breaks_answers_its_error_and_the_next_goes_on(self):
        lines = [json.dumps(job).encode() for job in (SOUND, with_altitude(45000), SOUND)] + [b"{"]
        order = [sys.executable, "-m", "frosty_piston", "assess", "--lines"]
        run = subprocess.run(order, cwd=ROOT, input=b"\n".join(lines), capture_output=True, check=True)
        answers = [json.loads(line) for line in run.stdout.splitlines()]
        self.assertEqual([("error" in a) for a in answers], [False, True, False, True])
        self.assertEqual(answers[1]["error"]["faults"][0]["path"], "entries[0].data.value")

    def test_a_fault_of_the_program_in_one_line_is_said_to_be_one(self):
        with (
            mock.patch.object(answer, "assess", side_effect=ZeroDivisionError),
            self.assertLogs("frosty_piston.job"),
        ):
            said = answer.assess_line(json.dumps(SOUND).encode(), K)
        self.assertIn("a fault of the program, not of it", said["error"]["says"])


if __name__ == "__main__":
    unittest.main()
