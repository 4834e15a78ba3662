"""Lines are drawn with the points that the eye needs, and no more."""

import unittest
from datetime import UTC, datetime

import numpy as np

from frosty_piston.web.drawing.chart_picture import steps
from frosty_piston.web.drawing.drive_curve import drive_curve
from frosty_piston.web.drawing.polyline import needed, path
from tests.cases import entry
from tests.job.test_proof import HOSE, NEW_HOSE, TIGHT, at

NOW = datetime(2026, 11, 2, 8, tzinfo=UTC)


class Lines(unittest.TestCase):
    def test_no_left_out_point_lies_farther_off_than_asked(self):
        rng = np.random.default_rng(7)
        xs = np.linspace(0, 600, 900)
        ys = np.cumsum(rng.normal(0, 2, 900))
        for off in (0.5, 1.0, 4.0):
            kept = needed(xs, ys, off)
            for a, b in zip(kept, kept[1:], strict=False):
                dx, dy = xs[b] - xs[a], ys[b] - ys[a]
                far = np.abs(dx * (ys[a : b + 1] - ys[a]) - dy * (xs[a : b + 1] - xs[a])) / np.hypot(dx, dy)
                self.assertLessEqual(far.max(), off + 1e-9)
            self.assertEqual((kept[0], kept[-1]), (0, 899))
        self.assertLess(len(needed(xs, ys, 4.0)), len(needed(xs, ys, 0.5)))

    def test_a_straight_line_needs_two_points_and_a_spike_three_more(self):
        xs = np.arange(101.0)
        ys = np.zeros(101)
        self.assertEqual(needed(xs, ys, 1.0).tolist(), [0, 100])
        ys[50] = 30
        self.assertEqual(needed(xs, ys, 1.0).tolist(), [0, 49, 50, 51, 100])

    def test_the_path(self):
        for xs, ys, says in (
            ([], [], ""),
            ([1.0], [2.0], "M1 2"),
            ([0.0, 5.0, 10.0], [0.0, 0.2, 0.0], "M0 0L10 0"),
            ([0.0, 5.0, 10.0], [0.0, 2.0, 0.0], "M0 0L5 2L10 0"),
            ([3.0, 3.0, 3.0], [0.0, 9.0, 0.0], "M3 0L3 9L3 0"),
        ):
            self.assertEqual(path(np.array(xs), np.array(ys)), says)

    def test_steps_are_round_and_within(self):
        for low, high, most, says in (
            (0.0, 10.0, 5, [0, 2, 4, 6, 8, 10]),
            (96.0, 204.0, 3, [100, 150, 200]),
            (0.0, 1e-3, 4, [0, 0.0005, 0.001]),
            (5.0, 5.0, 4, [5.0]),
        ):
            found = steps(low, high, most)
            self.assertLessEqual(len(found), most + 1)
            self.assertTrue(all(low - 1e-12 <= v <= high + 1e-12 for v in found), found)
            np.testing.assert_allclose(found, says, atol=1e-12)


if __name__ == "__main__":
    unittest.main()


class DriveCurve(unittest.TestCase):
    def test_a_span_of_any_size_has_few_ticks(self):
        for axis, spans in (
            ("distance_km", (0.1, 7, 450, 99_000)),
            ("starts", (1, 30, 90_000)),
            ("hours", (0.2, 60_000)),
        ):
            for span in spans:
                with self.subTest(f"{span} {axis}"):
                    came_back = entry("symptom", symptom="limp_mode", present=True, returns=[{axis: span}])
                    curve = drive_curve(at(came_back, *HOSE, NEW_HOSE, *TIGHT), NOW)
                    self.assertTrue(2 <= len(curve["ticks"]) <= 8, curve["ticks"])
                    places = [x for _, x in curve["ticks"]]
                    self.assertEqual(places, sorted(set(places)))
