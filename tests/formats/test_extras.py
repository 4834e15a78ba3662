"""Optional packages: where one is missing, what needs it says so and the rest goes on."""

import importlib.util
import sys
import unittest
from pathlib import Path
from unittest import mock

from frosty_piston.core.day import Day, DayLimits, Person, Piece, Work
from frosty_piston.core.errors import BadInput
from frosty_piston.formats import mdf_recording, report_pdf
from frosty_piston.job.day import solver
from frosty_piston.knowledge.figures import general

TOOL = Path(__file__).parents[2] / "tools" / "paper_signs.py"


class Missing(unittest.TestCase):
    def test_what_needs_it_says_so(self):
        with mock.patch.dict(sys.modules, {"typst": None, "asammdf": None}):
            for act, says in (
                (lambda: mdf_recording.read_mdf(b"MDF     "), r"An MDF recording needs .* asammdf.*\[mdf\]"),
                (
                    lambda: report_pdf._compiler.__wrapped__("report"),
                    r"A PDF needs the package typst.*\[paper\]",
                ),
            ):
                with self.assertRaisesRegex(BadInput, says):
                    act()
            mdf_recording.preload()

    def test_the_plain_rule_lays_the_day_out_without_the_solver(self):
        work = Work("j", "Van", (Piece("a", "j", "Fit it", 40),), 100)
        day = Day((work,), (Person("Ylva", frozenset(), ((0, 480),)),), ())
        with mock.patch.object(solver, "_cp", return_value=None):
            plan = solver.lay_out(day, general(DayLimits), 1)
        self.assertEqual([p.piece for p in plan.placed], ["a"])
        self.assertNotEqual(plan.by, solver.SOLVER)


class Signs(unittest.TestCase):
    def test_the_frozen_list_is_that_of_the_fonts(self):
        spec = importlib.util.spec_from_file_location("paper_signs", TOOL)
        tool = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(tool)
        known = report_pdf._signs() - set(map(ord, report_pdf.BROUGHT_ALONG))
        self.assertLessEqual(known, set(tool.signs()))
        self.assertEqual(
            known | set(map(ord, report_pdf.BROUGHT_ALONG)) & set(tool.signs()), set(tool.signs())
        )
