"""Cold start, plug life, costs, waits and proofs: calibration, worked examples, properties."""

import random
import unittest

from frosty_piston.benchmarks.starts import measured
from frosty_piston.core.costing import Option, cost_options
from frosty_piston.core.plug_life import (
    PlugLifeLimits,
    breakaway,
    fitting,
    life_scale,
    next_failure_chance,
    snap_chance,
)
from frosty_piston.core.proving import cured_given
from frosty_piston.core.starting import (
    Start,
    StartEngine,
    StartLimits,
    fitted_to,
    margin_curves,
    start_chance,
)
from frosty_piston.core.waiting import (
    WaitLimits,
    cold_soaked_after_h,
    fitted_tau_h,
    hours_until,
    temperature_after,
)
from frosty_piston.knowledge.figures import general

START, PLUGS = general(StartLimits), general(PlugLifeLimits)


class ColdStart(unittest.TestCase):
    v8, four, six = StartEngine(8), StartEngine(4), StartEngine(6, "prechamber")

    def test_a_v8_near_zero_tolerates_a_quarter_dead_and_no_more(self):
        self.assertGreater(start_chance(0, self.v8, [1] * 6 + [0] * 2, START), 0.85)
        self.assertLess(start_chance(0, self.v8, [1] * 5 + [0] * 3, START), 0.75)
        self.assertLess(start_chance(0, self.v8, [1] * 4 + [0] * 4, START), 0.6)

    def test_no_cliff_between_two_and_three_of_four(self):
        for working, low, high in ((2, 0.01, 0.2), (3, 0.3, 0.9), (4, 0.95, 1.0)):
            chance = float(start_chance(-18, self.four, [1] * working + [0] * (4 - working), START))
            self.assertTrue(low < chance < high, (working, chance))

    def test_tired_plugs_of_an_engine_that_did_not_start(self):
        tired = (0.07,) * 8
        chance = float(start_chance(1, self.v8, tired, START))
        known = fitted_to([Start(1.0, tired, "would_not")], self.v8, START)
        after = float(start_chance(1, self.v8, tired, START, known=known))
        self.assertLess(after, 0.35)
        self.assertGreater(chance - after, 0.15)

    def test_what_is_stated_is_what_other_engines_do(self):
        seed = random.randrange(10**6)
        for bins in measured(seed, 3000):
            self.assertEqual(len(bins), 5)
            for b in bins:
                self.assertLess(abs(b.stated - b.started), 0.05 + 3 * b.unsure, f"seed {seed}: {b}")

    def test_a_prechamber_engine_without_plugs_needs_about_15_c(self):
        self.assertLess(start_chance(8, self.six, [0] * 6, START), 0.35)
        self.assertGreater(start_chance(18, self.six, [0] * 6, START), 0.7)
        self.assertGreater(start_chance(-15, self.six, [1] * 6, START), 0.95)

    def test_a_direct_engine_without_plugs_starts_from_about_10_c(self):
        self.assertGreater(start_chance(10, self.four, [0] * 4, START), 0.65)
        self.assertLess(start_chance(0, self.four, [0] * 4, START), 0.35)

    def test_a_slow_crank_starts_nothing(self):
        self.assertLess(start_chance(20, self.v8, [1] * 8, START, crank_rpm=100), 0.15)

    def test_more_plugs_warmer_air_and_a_block_heater_never_hurt(self):
        for curve, fewer in zip(
            margin_curves(self.v8, START), margin_curves(self.v8, START)[1:], strict=False
        ):
            self.assertTrue(all(a >= b - 1e-12 for a, b in zip(curve.chance, fewer.chance, strict=True)))
            self.assertTrue(all(b >= a - 1e-12 for a, b in zip(curve.chance, curve.chance[1:], strict=False)))
        self.assertGreater(
            start_chance(-5, self.four, [0] * 4, START, block_heater_k=25),
            start_chance(-5, self.four, [0] * 4, START),
        )

    def test_one_figure_per_cylinder_is_asked_for(self):
        with self.assertRaises(ValueError):
            start_chance(0, self.v8, [1] * 4, START)


class Plugs(unittest.TestCase):
    def test_life_by_hand(self):
        # 1 of 4 dead at 180 000 km: -ln(0.75) = 0.28768, cube root 0.66015, scale 272 668 km
        self.assertAlmostEqual(life_scale(180_000, 1, 4, 3), 272_668, delta=1)
        # one survivor to 200 000: (200/272.668)^3 - (180/272.668)^3 = 0.39462 - 0.28768 = 0.10694;
        # three: 1 - exp(-0.3208)
        self.assertAlmostEqual(next_failure_chance(180_000, 1, 4, 20_000, 3), 0.2744, places=3)

    def test_older_sets_and_more_dead_fail_sooner(self):
        chances = [next_failure_chance(180_000, k, 8, 15_000, 3, left=4) for k in range(0, 5)]
        self.assertEqual(chances, sorted(chances))

    def test_removal(self):
        self.assertEqual(breakaway("M8", None, PLUGS).nm, 20)
        self.assertEqual((fitting("M12", None, PLUGS).nm, fitting("M12", 20.0, PLUGS).nm), (22, 20))
        self.assertGreater(snap_chance(1, 0, PLUGS, warm=False, oiled=False), snap_chance(1, 0, PLUGS))


class Costs(unittest.TestCase):
    one = Option("one", "One", 2_800, 0.5, 0.3, cures=0.9, comes_back=0.28, next_step=20_000)
    whole = Option(
        "set", "Set", 11_200, 1.0, 0.3, cures=0.9, comes_back=0.03, next_step=20_000, warranty_months=24
    )

    def test_expected_cost_by_hand(self):
        # one: (2800 + 0.8*9500)*1.25 = 13 000; + 0.1*20 000 + 0.28*13 000 = 18 640
        one, whole = cost_options([self.one, self.whole], 9_500, 25)
        self.assertEqual((one.price, one.expected), (13_000, 18_640))
        self.assertEqual(whole.per_warranted_month, round(whole.price / 24))

    def test_what_a_return_costs_when_only_part_of_it_comes_back(self):
        part = cost_options([Option("a", "A", 9_000, 0, cures=1.0, comes_back=0.5, back_cost=2_000)], 0, 0)[0]
        whole = cost_options([Option("a", "A", 9_000, 0, cures=1.0, comes_back=0.5)], 0, 0)[0]
        self.assertEqual((part.if_back, whole.if_back, part.expected), (1_000, 4_500, 10_000))

    def test_at_the_break_even_odds_both_cost_the_same(self):
        cheap = Option("a", "A", 5_000, 0, cures=0.3, comes_back=0, next_step=30_000)
        dear = Option("b", "B", 20_000, 0, cures=1.0, comes_back=0, next_step=30_000)
        even = cost_options([cheap, dear], 0, 0)[0].break_even
        self.assertAlmostEqual(even, 0.5)
        again = cost_options(
            [Option("a", "A", 5_000, 0, cures=even, comes_back=0, next_step=30_000), dear], 0, 0
        )
        self.assertEqual(again[0].expected, again[1].expected)

    def test_surer_is_never_dearer(self):
        costs = [
            cost_options([Option("a", "A", 5_000, 1, cures=q / 10, next_step=30_000)], 100, 25)[0].expected
            for q in range(11)
        ]
        self.assertEqual(costs, sorted(costs, reverse=True))

    def test_chances_outside_0_to_1_are_refused(self):
        with self.assertRaises(ValueError):
            cost_options([Option("a", "A", 1, 1, cures=1.2)], 1, 0)


class Waits(unittest.TestCase):
    def test_cooling(self):
        # after one time constant 36.8 % of the difference is left
        self.assertAlmostEqual(temperature_after(3, 90, 10, 3), 10 + 80 * 0.367879, places=3)
        self.assertAlmostEqual(hours_until(temperature_after(2.5, 90, 10, 3), 90, 10, 3), 2.5)
        self.assertIsNone(hours_until(5, 90, 10, 3))
        self.assertGreater(cold_soaked_after_h(85, -7, general(WaitLimits)), 9)
        self.assertAlmostEqual(fitted_tau_h(90, temperature_after(2, 90, 10, 2.4), 2, 10), 2.4)


class Proofs(unittest.TestCase):
    def test_a_passed_cold_start_by_hand(self):
        # 0.8 / (0.8 + 0.2*0.15) = 0.9639
        self.assertAlmostEqual(cured_given(0.8, 0.15), 0.9639, places=4)

    def test_surer_before_is_surer_after_and_a_sharper_test_proves_more(self):
        sure = [cured_given(q / 10, 0.15) for q in range(11)]
        self.assertEqual(sure, sorted(sure))
        self.assertGreater(cured_given(0.5, 0.05), cured_given(0.5, 0.3))
