"""Holding: time constants, holes and the least wait, by hand and at their edges."""

import math
import unittest

from frosty_piston.core.holding import Held, Hole, hold_fit, hole, hole_mm, least_wait_s, unfound
from frosty_piston.core.vacuum import SEA_LEVEL, VacuumLimits, ambient_of, leak_tau_s, left_kpa
from frosty_piston.knowledge.figures import general

VACUUM = general(VacuumLimits)


class Holding(unittest.TestCase):
    def test_two_points_by_hand(self):
        # 60 to 57 in 60 s, choked under 47.611 kPa: tau = 60 * 47.611 / 3 = 952.2 s; the loss of 3 is good to
        # 1/sqrt(6) kPa: 13.6 %
        found = hold_fit([(0, 60), (60, 57)], 1.0, SEA_LEVEL)
        self.assertAlmostEqual(found.tau_s, 952.2, delta=0.1)
        self.assertAlmostEqual(found.u_s / found.tau_s, 0.136, delta=0.001)

    def test_what_does_not_fall_is_endless(self):
        for points in ([(0, 40), (60, 40)], [(0, 60), (30, 60), (60, 60)], [(0, 40), (60, 41)]):
            self.assertEqual(hold_fit(points, 1.0, SEA_LEVEL).tau_s, math.inf, points)

    def test_a_fit_is_surer_than_two_of_its_points(self):
        points = [(t, round(45 * math.exp(-t / 400))) for t in range(0, 121, 10)]
        many, two = hold_fit(points, 1.0, SEA_LEVEL), hold_fit([points[0], points[-1]], 1.0, SEA_LEVEL)
        self.assertAlmostEqual(many.tau_s, 400, delta=25)
        self.assertLess(many.u_s, two.u_s)

    def test_above_47_percent_of_ambient_the_rate_counts(self):
        # 47 % of 101.3 is 47.6; up a mountain of 84.5 kPa it is 39.7
        points = [(0, 60.0), (10, 55.0), (20, 50.0), (30, 45.2), (40, 40.9)]
        self.assertAlmostEqual(hold_fit(points, 1.0, SEA_LEVEL).choked_kpa_s, 0.5)
        self.assertAlmostEqual(hold_fit(points, 1.0, SEA_LEVEL).tau_s, 100.0, delta=0.5)
        high = hold_fit(points, 1.0, ambient_of(altitude_m=1500))
        self.assertAlmostEqual(high.choked_kpa_s, (60 - 40.9) / 40)
        self.assertIsNone(hold_fit([(0, 40), (60, 30)], 1.0, SEA_LEVEL).choked_kpa_s)

    def test_a_deep_vacuum_falls_at_a_steady_rate_and_then_ever_slower(self):
        # 47 % of 100 kPa is 47: 60 to 47 is 13/47 of a time constant, 47 to 23.5 is ln 2
        air = ambient_of(100.0)
        for start, end, taus in (
            (60.0, 53.5, 6.5 / 47),
            (60.0, 47.0, 13 / 47),
            (47.0, 23.5, math.log(2)),
            (60.0, 23.5, 13 / 47 + math.log(2)),
            (20.0, 10.0, math.log(2)),
        ):
            self.assertAlmostEqual(leak_tau_s(start, end, 100 * taus, air), 100)
            self.assertAlmostEqual(left_kpa(start, 100 * taus, 100, air), end)
        self.assertEqual(left_kpa(60.0, 1e6, math.inf, air), 60.0)
        self.assertGreater(leak_tau_s(60, 57, 60, air), leak_tau_s(60, 57, 60, ambient_of(80.0)))

    def test_what_cannot_be_fitted(self):
        for points in ([], [(0, 60)], [(5, 60), (5, 50)]):
            with self.assertRaises(ValueError):
                hold_fit(points, 1.0, SEA_LEVEL)

    def test_the_least_wait(self):
        # both choked, so at a steady rate: one part loses 3 of 60 in 60 s, two steps of 1 kPa in 40 s; a
        # branch (7 of 60) in 17.14 s; twice the volume twice the time; half the step half of it
        for step, volume, branch, seconds in (
            (1.0, 55, False, 40.0),
            (1.0, 110, False, 80.0),
            (1.0, 55, True, 17.14),
            (0.5, 55, False, 20.0),
        ):
            self.assertAlmostEqual(least_wait_s(VACUUM, 60, step, volume, 55, branch), seconds, delta=0.03)
        with self.assertRaises(ValueError):
            least_wait_s(VACUUM, 2.0, 1.0, 55, 55)

    def test_holes(self):
        self.assertEqual(hole(Held(math.inf, math.inf, None), 55), Hole(0.0, 0.0))
        found = hole(Held(100.0, 6.0, None), 50.0, 4.0)
        self.assertAlmostEqual(found.ml_s, 0.5)
        self.assertAlmostEqual(found.u_ml_s, 0.05)

    def test_the_size_of_a_hole(self):
        # 10 ml/s while choked is 0.47 of it, 4.7 ml/s of outside air; through 0.62 of a hole at 198.6 m/s:
        # 0.03817 mm2, 0.2205 mm across
        self.assertAlmostEqual(hole_mm(10.0), 0.2205, delta=0.0005)
        self.assertAlmostEqual(hole_mm(40.0), 2 * hole_mm(10.0))
        self.assertEqual(hole_mm(0.0), 0.0)

    def test_what_is_still_unfound(self):
        parts = [Hole(0.3, 0.03), Hole(0.2, 0.04)]
        for whole, more in ((0.5, None), (0.599, None), (0.601, None), (0.64, 0.14), (0.4, None)):
            found = unfound(Hole(whole, 0.04), parts)
            if more is None:
                self.assertIsNone(found, whole)
            else:
                self.assertAlmostEqual(found.ml_s, more)


if __name__ == "__main__":
    unittest.main()
