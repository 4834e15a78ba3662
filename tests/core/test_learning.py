"""What own jobs teach, worked by hand; edges; how far it may go."""

import unittest

from frosty_piston.core.learning import brier, minutes, rate, reliability, share


class Learning(unittest.TestCase):
    def test_a_rate_moves_from_the_general_one_to_what_is_seen(self):
        # (20 * 0.1 + k) / (20 + n)
        for seen, jobs, own in ((0, 0, 0.1), (2, 20, 0.1), (0, 20, 0.05), (20, 20, 0.55), (50, 480, 0.104)):
            with self.subTest(seen=seen, jobs=jobs):
                found = rate(0.1, 20, seen, jobs)
                self.assertAlmostEqual(found.own, own, 3)
                self.assertLess(found.low, found.own)
                self.assertLess(found.own, found.high)

    def test_more_jobs_make_it_surer(self):
        spans = [(x := rate(0.1, 20, n / 5, n)).high - x.low for n in (10, 40, 160, 640)]
        self.assertEqual(spans, sorted(spans, reverse=True))

    def test_intervals_of_a_rate_against_tables(self):
        # Gamma with shape 10: 5 % at 5.425, 95 % at 15.705 (chi-squared with 20 degrees, halved)
        found = rate(1.0, 10, 0, 0)
        self.assertAlmostEqual(found.low, 0.5425, 2)
        self.assertAlmostEqual(found.high, 1.5705, 2)

    def test_a_share_and_its_interval_against_tables(self):
        # Beta(3, 3): 5 % at 0.1893, 95 % at 0.8107
        found = share(0.5, 6, 0, 0)
        self.assertAlmostEqual(found.low, 0.1893, 2)
        self.assertAlmostEqual(found.high, 0.8107, 2)
        self.assertAlmostEqual(share(0.8, 10, 10, 10).own, 0.9)

    def test_times_are_robust_and_edges_hold(self):
        # exp((4 ln 10 + 4 ln 20) / 8) = 14.14; ten hours count as forty minutes
        self.assertAlmostEqual(minutes(10, 4, [20] * 4).own, 14.142, 2)
        self.assertAlmostEqual(minutes(10, 4, [20, 20, 20, 600]).own, minutes(10, 4, [20, 20, 20, 40]).own, 6)
        self.assertEqual(minutes(7, 4, []).own, 7)

    def test_what_cannot_be(self):
        for call in (
            lambda: rate(0, 20, 0, 0),
            lambda: rate(0.1, 0, 0, 0),
            lambda: rate(0.1, 20, -1, 5),
            lambda: share(1.0, 10, 0, 0),
            lambda: share(0.5, 10, 3, 2),
            lambda: share(0.5, 0, 0, 0),
            lambda: minutes(0, 4, []),
            lambda: minutes(5, 4, [0.0]),
            lambda: brier([0.5], []),
            lambda: reliability([0.5], []),
        ):
            with self.assertRaises(ValueError):
                call()

    def test_how_good_odds_were(self):
        self.assertAlmostEqual(brier([0.9, 0.8, 0.3], [True, False, False]), (0.01 + 0.64 + 0.09) / 3)
        bins = reliability([0.0, 0.19, 0.2, 0.99, 1.0], [False, False, True, True, False])
        self.assertEqual(
            [(b.low, b.count, b.true) for b in bins], [(0.0, 2, 0.0), (0.2, 1, 1.0), (0.8, 2, 0.5)]
        )


if __name__ == "__main__":
    unittest.main()
