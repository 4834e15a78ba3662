"""Who steals the fuel pressure, from the tank on."""

import unittest

from frosty_piston.core.fuel import who_steals

SUPPLIED = {"prime": "clear", "supply": "sound"}
LOW = {**SUPPLIED, "rail": "failed"}


class WhoSteals(unittest.TestCase):
    def test_upstream_before_downstream(self):
        for found, what in (
            ({}, "Measure along the way"),
            (
                {"prime": "bubbles", "supply": "failed", "valve": "runs"},
                "Air in the supply",
            ),
            ({"prime": "empty", "rail": "failed"}, "No fuel arrives"),
            ({"filter": "drop", "supply": "failed"}, "The fuel filter"),
            ({"supply": "failed"}, "Before and after the filter"),
            ({"supply": "marginal", "filter": "ok"}, "The lift pump or its line"),
            ({"rail": "failed"}, "The supply first"),
            (LOW, "Return flow next"),
            ({**LOW, "returns": "sound"}, "The valve's return next"),
            ({**LOW, "returns": "failed"}, "An injector"),
            ({**LOW, "valve": "runs"}, "The rail's pressure valve"),
            ({**LOW, "returns": "sound", "valve": "dry"}, "The high-pressure pump"),
            ({**SUPPLIED, "running": "low", "returns": "sound", "valve": "dry"}, "The high-pressure pump"),
            ({**SUPPLIED, "running": "hunts", "returns": "sound", "valve": "dry"}, "The valve, or air"),
            ({**SUPPLIED, "running": "offset"}, "The rail sensor"),
            ({**SUPPLIED, "rail": "sound"}, "Nothing steals it"),
            ({"running": "follows"}, "Nothing steals it"),
        ):
            with self.subTest(found):
                told = who_steals(found)
                self.assertEqual(told.what, what)
                self.assertTrue(told.because.endswith("."))

    def test_the_cylinders_are_named(self):
        self.assertIn("Cylinder 2, 3 gives back", who_steals({**LOW, "returns": "failed"}, [2, 3]).because)


if __name__ == "__main__":
    unittest.main()
