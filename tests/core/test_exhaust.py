"""Countdown, reset order, NOx against DEF, filter against flow: figures worked apart, and their edges."""

import unittest

import numpy as np

from frosty_piston.core.countdown import budget
from frosty_piston.core.filter_flow import ash_kg, diluted_l, exhaust_flow_m3h, fitted
from frosty_piston.core.nox import (
    def_need_ml_h,
    def_per_gram,
    judge_use,
    left_standing,
    nox_mass_g_s,
    over_stretch,
    settled,
)
from frosty_piston.core.resets import in_order, misplaced
from frosty_piston.core.traces import Signal


class Budgets(unittest.TestCase):
    def test_edges(self):
        for said, used, planned, state in (
            (80, 0, 0, "counting"),
            (80, 20, 0, "last"),  # 60 left, warned from 60
            (80, 19, 0, "counting"),
            (80, 59, 0, "last"),
            (80, 60, 0, "floor"),  # 20 left, 20 kept back
            (80, 80, 0, "zero"),
            (80, 90, 0, "zero"),
            (200, 0, 180, "counting"),  # 20 after it: just above nothing kept back too much
            (200, 0, 181, "short"),
        ):
            with self.subTest(f"{said} {used} {planned}"):
                self.assertEqual(budget(said, used, planned, 20, 60).state, state)


class Orders(unittest.TestCase):
    def test_any_order_of_a_plan_without_a_circle_is_sorted(self):
        rng = np.random.default_rng(4)
        for _ in range(60):
            names = [f"s{n}" for n in range(8)]
            after = {s: [p for p in names[:n] if rng.random() < 0.3] for n, s in enumerate(names)}
            mixed = {s: after[s] for s in rng.permutation(names)}
            self.assertEqual(misplaced(in_order(mixed), mixed), [])

    def test_a_circle_names_those_in_it_and_no_others(self):
        with self.assertRaises(ValueError) as told:
            in_order({"a": [], "b": ["d"], "c": ["b"], "d": ["c"], "e": ["b"]})
        self.assertEqual(str(told.exception), "b, c, d")


class NoxAndDef(unittest.TestCase):
    def test_worked_figures(self):
        self.assertAlmostEqual(nox_mass_g_s(300, 51.5) * 1000, 24.6, 1)
        self.assertAlmostEqual(nox_mass_g_s(300, 51.5) * 3600, 88.5, 1)
        self.assertAlmostEqual(def_per_gram() * 0.325, 0.653, 3)
        self.assertAlmostEqual(def_need_ml_h(300, 51.5, 0.9) * 1.09, 160, 0)
        self.assertAlmostEqual(def_need_ml_h(300, 51.5, 0.9), 147, 0)
        with self.assertRaises(ValueError):
            def_need_ml_h(300, 51.5, 1.01)

    def test_use_edges(self):
        for used, cls in ((6.9, "under"), (7.0, "right"), (13.0, "right"), (13.1, "over")):
            self.assertEqual(judge_use(used, 10)[0], cls)
        with self.assertRaises(ValueError):
            judge_use(3, 0)

    def test_the_second_figure_is_waited_for(self):
        t = np.arange(0.0, 600.0)
        load = 400 + 80 * np.sin(t / 50)
        for tau in (20.0, 60.0, 120.0):
            rest = settled(Signal(t, load), Signal(t, load * (1 - 0.9 * np.exp(-t / tau))), 0.0)
            self.assertGreater(rest.since_s, 2 * tau)
        self.assertIsNone(settled(Signal(t, load), Signal(t, load * t / 600), 0.0).since_s)
        self.assertIsNotNone(settled(Signal(t, load), Signal(t, 0.95 * load), 0.0).since_s)

    def test_a_stretch_needs_level_and_time(self):
        t = np.arange(0.0, 200.0)
        up, down = Signal(t, t * 0 + 400.0), Signal(t, t * 0 + 80.0)
        self.assertAlmostEqual(over_stretch(up, down, 0, 199).cut, 0.8)
        for level, end in ((99.0, 199), (400.0, 59)):
            with self.assertRaises(ValueError):
                over_stretch(Signal(t, t * 0 + level), down, 0, end)

    def test_left_standing(self):
        good = {"agree": "agree", "dose": "right", "fluid": "good"}
        for seen, states in (
            ({}, "open open open open"),
            ({"cut": "good"}, "cleared cleared open cleared"),
            ({**good, "cut": "poor"}, "cleared cleared cleared condemned"),
            ({**good, "cut": "weak"}, "cleared cleared cleared condemned"),
            ({"agree": "agree", "cut": "poor"}, "cleared standing standing standing"),
            ({**good, "dose": "short", "cut": "poor"}, "cleared condemned cleared open"),
            ({**good, "pressure": "falls", "dose": "right"}, "cleared condemned cleared open"),
            ({**good, "fluid": "off", "cut": "poor"}, "cleared cleared condemned open"),
            ({**good, "oily": "dirty"}, "cleared cleared condemned open"),
            ({"silent": "silent"}, "condemned open open open"),
            ({"agree": "disagree", "cut": "poor"}, "condemned open open open"),
        ):
            with self.subTest(str(seen)):
                self.assertEqual(" ".join(s.state for s in left_standing(seen)), states)


class FilterFlow(unittest.TestCase):
    def test_worked_figures(self):
        self.assertAlmostEqual(exhaust_flow_m3h(50, 1.5, 250, 104.3), 267, 0)
        for points, drop in (
            ([(100, 0.5), (200, 2), (300, 4.5)], 0.50),
            ([(100, 0.48), (200, 2), (300, 4.5)], 0.50),
            ([(60, 1.6), (120, 3.6), (180, 6.1)], 2.89),
        ):
            self.assertAlmostEqual(fitted(points).drop_kpa, drop, 2)
        self.assertAlmostEqual(ash_kg(0.3, 150_000), 0.153, 3)
        self.assertEqual(diluted_l(10), (0.5, 1.0))

    def test_the_band_holds_what_made_the_points(self):
        rng, inside = np.random.default_rng(9), 0
        for _ in range(200):
            a, b = rng.uniform(0, 0.03), rng.uniform(0, 3e-4)
            q = rng.uniform(40, 260, 6)
            fit = fitted([(x, a * x + b * x * x + rng.normal(0, 0.05)) for x in q])
            inside += abs(fit.drop_kpa - (a * 100 + b * 1e4)) <= fit.u_kpa
        self.assertGreater(inside, 190)

    def test_the_zero_is_taken_off_and_one_flow_says_nothing(self):
        self.assertAlmostEqual(
            fitted([(100, 1.3), (200, 4.3)], 0.3).drop_kpa, fitted([(100, 1), (200, 4)]).drop_kpa
        )
        for points in ([], [(100, 1)], [(100, 1), (105, 1.1)]):
            self.assertIsNone(fitted(points))

    def test_what_cannot_be(self):
        for wrong in (lambda: exhaust_flow_m3h(50, 1, 250, 0), lambda: ash_kg(-1, 1), lambda: diluted_l(-1)):
            with self.assertRaises(ValueError):
                wrong()
