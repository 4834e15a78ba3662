"""Edges of injectors, fuel, filter, exhaust heat, NOx and DEF."""

import unittest
from dataclasses import replace

from frosty_piston.core.aftertreatment import (
    DefLimits,
    FilterLimits,
    HeatLimits,
    NoxLimits,
    drop_at_common_flow,
    judge_ash,
    judge_burn_distance,
    judge_concentration,
    judge_def_pressure,
    judge_dose,
    judge_exhaust_temps,
    judge_filter,
    judge_nox,
    judge_soot,
)
from frosty_piston.core.injection import (
    InjectionLimits,
    injector_u_ohm,
    judge_balance,
    judge_compression,
    judge_cutout,
    judge_injector_resistance,
    judge_insulation,
    judge_leakoff,
    judge_misfires,
    judge_rail_cranking,
    judge_supply_pressure,
    robust_distance,
)
from frosty_piston.core.limits import CARD, Limit
from frosty_piston.knowledge.figures import general
from tests.edges import Edges

FUEL, FILTER, HEAT, NOX, DEF = (
    general(c) for c in (InjectionLimits, FilterLimits, HeatLimits, NoxLimits, DefLimits)
)


class Injectors(Edges, unittest.TestCase):
    def test_spread_by_hand(self):
        # middle 3, deviations 2 1 0 1 2, their middle 1: 4 lies 4/1.4826 spreads from it
        self.assertAlmostEqual(robust_distance([1, 2, 3, 4, 5], 7.0, 0.0), round(4 / 1.4826, 2))
        self.assertAlmostEqual(robust_distance([3, 3, 3], 4.0, 0.5), 2.0)
        self.assertAlmostEqual(injector_u_ohm(40.0, 1.0, 0.3), 0.5)

    def test_resistance(self):
        def of(ohm, kind="rail_solenoid", u=0.0, others=()):
            values = [ohm, *others]
            return judge_injector_resistance(values, [u] * len(values), kind, FUEL)[0]

        for ohm, u, cannot_be in (
            (0.78, 0.03, {"open", "low"}),
            (0.22, 0.03, {"open", "high"}),
            (0.5, 0.4, {"open"}),
            (0.5, 0.1, set()),
        ):
            self.assertEqual(set(of(ohm, u=u).not_these), cannot_be, (ohm, u))
        self.held(
            of,
            (
                (None, "open"),
                (80.1, "open"),
                (79.9, "high"),
                (0.81, "high"),
                (0.79, "sound"),
                (0.21, "sound"),
                (0.19, "low"),
                (0.78, "rail_solenoid", 0.03, "unclear"),
                (0.82, "rail_solenoid", 0.03, "unclear"),
                (0.84, "rail_solenoid", 0.03, "high"),
                (0.22, "rail_solenoid", 0.03, "unclear"),
                (0.16, "rail_solenoid", 0.03, "low"),
                (149e3, "rail_piezo", "low"),
                (151e3, "rail_piezo", "sound"),
                (219e3, "rail_piezo", "sound"),
                (221e3, "rail_piezo", "high"),
                (0.29, "unit_injector", "low"),
                (0.31, "unit_injector", "sound"),
                (4.9, "unit_injector", "sound"),
                (5.1, "unit_injector", "high"),
                (0.29, "hydraulic_unit", "low"),
                (0.31, "hydraulic_unit", "sound"),
                (4.9, "hydraulic_unit", "sound"),
                (5.1, "hydraulic_unit", "high"),
                (0.3, "inline_pump", "sound"),
            ),
        )
        # of a set at 0.4 within 0.02: three spreads of 0.02 are 0.06
        self.held(lambda ohm: of(ohm, u=0.02, others=(0.4, 0.4, 0.4)), ((0.459, "sound"), (0.461, "outlier")))
        self.assertEqual(of(0.47, u=0.02, others=(0.4,)).cls, "sound")

    def test_general_figures_of_each_kind(self):
        floors = {"rail_solenoid": 0.03, "rail_piezo": 3000, "hydraulic_unit": 0.03, "unit_injector": 0.03}
        self.assertEqual({kind: FUEL.kind(kind).floor_ohm for kind in floors}, floors)

    def test_insulation(self):
        self.held(
            lambda mohm, kind: judge_insulation(mohm, kind, FUEL),
            (
                (None, "rail_solenoid", "sound"),
                (1.0, "rail_solenoid", "sound"),
                (0.99, "rail_solenoid", "leaks"),
                (10.0, "rail_piezo", "sound"),
                (9.9, "rail_piezo", "leaks"),
                (1.0, "unit_injector", "sound"),
                (0.9, "unit_injector", "leaks"),
                (1.0, "hydraulic_unit", "sound"),
                (0.9, "hydraulic_unit", "leaks"),
            ),
        )

    def test_return(self):
        def of(ml, others=(20.0, 20.0), limit=None):
            limits = FUEL if limit is None else replace(FUEL, return_ml=Limit(limit, "ml", CARD))
            return judge_leakoff([ml, *others], limits)[0]

        self.held(
            of,
            (
                (40.0, "sound"),
                (40.1, "high"),
                (40.1, (20.0,), "unclear"),
                (25.0, (20.0, 20.0), 24.0, "high"),
                (24.0, (20.0, 20.0), 24.0, "sound"),
                (25.0, (20.0,), 24.0, "high"),
                (25.0, (25.0, 25.0), 24.0, "all_high"),
                (25.0, (24.0, 25.0), 24.0, "high"),
                (25.0, (), 24.0, "high"),
                (1.0, (0.4, 0.4), "sound"),
                (1.1, (0.4, 0.4), "high"),
            ),
        )

    def test_balance(self):
        # three others so that the mean is 0: 4 either way is in order
        self.held(
            lambda v: judge_balance([v, -v, 0.0], FUEL)[0],
            ((4.0, "sound"), (4.1, "needs_more"), (-4.0, "sound"), (-4.1, "needs_less")),
        )

    def test_cut_out(self):
        self.held(
            lambda v, others=(64.0, 64.0, 64.0): judge_cutout([v, *others], FUEL)[0],
            (
                (32.0, "even"),
                (31.9, "weak"),
                (6.4, "weak"),
                (6.3, "dead"),
                (6.3, (64.0,), "unclear"),
                (31.9, (64.0, 64.0), "weak"),
            ),
        )

    def test_misfires(self):
        self.held(
            lambda n, revs: judge_misfires(n, revs, FUEL),
            ((5, 1000, "quiet"), (6, 1000, "misfires"), (5, 999, "misfires"), (5, 0, "implausible")),
        )

    def test_compression(self):
        self.held(
            lambda v, others=(100.0, 100.0): judge_compression([v, *others], FUEL)[0],
            (
                (84.9, "low"),
                (85.0, "marginal"),
                (89.9, "marginal"),
                (90.0, "even"),
                (84.9, (50.0,), "low"),
                (95.0, (50.0,), "even"),
            ),
        )
        self.assertEqual(judge_compression([90.0], FUEL)[0].uncertainty, 2)

    def test_pressures(self):
        self.held(
            lambda bar: judge_rail_cranking(bar, FUEL),
            ((149.9, "failed"), (150.0, "marginal"), (249.9, "marginal"), (250.0, "sound")),
        )
        # 3 bar are wanted in general: half is 1.5, eight tenths 2.4
        self.held(
            lambda bar: judge_supply_pressure(bar, FUEL),
            ((1.49, "failed"), (1.51, "marginal"), (2.39, "marginal"), (2.41, "sound")),
        )
        halves = replace(FUEL, supply_bar=Limit(4.0, "bar"), supply_marginal_share=Limit(0.75))
        self.held(
            lambda bar: judge_supply_pressure(bar, halves),
            ((2.0, "marginal"), (3.0, "sound"), (1.99, "failed"), (2.99, "marginal")),
        )


class Filter(Edges, unittest.TestCase):
    def test_drop_by_hand(self):
        # 0.005 Q + 0.00002 Q^2 at 100, 200 and 300 m3/h: 0.7, 1.8 and 3.3 kPa; at 100 it is 0.7
        def at(points, zero=0.0):
            low, high = drop_at_common_flow(points, zero_kpa=zero)
            self.assertAlmostEqual(low, high)
            return low

        self.assertAlmostEqual(at([(100, 0.7), (200, 1.8), (300, 3.3)]), 0.7)
        self.assertAlmostEqual(at([(100, 1.0), (200, 2.1), (300, 3.6)], zero=0.3), 0.7)
        # one flow, or flows within a tenth of each other: between the flow and its square
        self.assertEqual(drop_at_common_flow([(200, 3.0)]), (0.75, 1.5))
        low, high = drop_at_common_flow([(200, 2.0), (219, 4.38)])
        self.assertAlmostEqual(high, 3.19 / 2.095)
        self.assertAlmostEqual(low, 3.19 / 2.095**2)
        # a term that would be negative is left out: straight through nought, or the square alone
        self.assertAlmostEqual(at([(100, 2.0), (200, 3.0)]), (2 * 100 + 3 * 200) / 50000 * 100)
        self.assertAlmostEqual(at([(100, 0.5), (200, 2.0), (300, 4.5)]), 0.5)
        self.assertAlmostEqual(at([(100, 0.48), (200, 2.0), (300, 4.5)]), 0.5, delta=0.002)
        self.assertAlmostEqual(at([(60, 1.6), (120, 3.6), (180, 6.1)]), 2.89, delta=0.005)
        with self.assertRaises(ValueError):
            drop_at_common_flow([(0, 1.0)])

    def test_filter(self):
        self.held(
            lambda kpa, q=100.0: judge_filter([(q, kpa)], FILTER),
            (
                (2.0, "free"),
                (2.01, "loaded"),
                (5.0, "loaded"),
                (5.01, "blocked"),
                (0.16, "free"),
                (0.14, "near_zero"),
                (0.07, 50.0, "unclear"),
                (0.14, 99.9, "unclear"),
                (-0.19, "near_zero"),
                (-0.21, "negative"),
                (1.0, 0.0, "unclear"),
            ),
        )
        own = replace(FILTER, clean_kpa=Limit(2.0, "kPa", CARD))
        self.held(
            lambda kpa: judge_filter([(100.0, kpa)], own), ((4.0, "free"), (4.1, "loaded"), (10.1, "blocked"))
        )
        self.assertIn("3 loaded", judge_filter([(100.0, 1.0)], FILTER).because)

    def test_soot_and_ash(self):
        self.held(
            lambda g: judge_soot(g, FILTER),
            (
                (11.9, "normal"),
                (12.0, "loaded"),
                (23.9, "loaded"),
                (24.0, "high"),
                (35.9, "high"),
                (36.0, "very_high"),
                (45.0, "very_high"),
                (45.1, "too_high"),
            ),
        )
        self.assertIn("only by the maker's own procedure", judge_soot(40, FILTER).because)
        self.held(lambda g: judge_ash(g, FILTER), ((60.0, "normal"), (60.1, "ash_high")))
        self.held(lambda km: judge_burn_distance(km, FILTER), ((249.9, "short"), (250.0, "normal")))


class Exhaust(Edges, unittest.TestCase):
    def test_cold(self):
        def of(t, others=(20.0, 20.0)):
            temps = {"exhaust_1": t} | {f"exhaust_{n + 2}": o for n, o in enumerate(others)}
            return judge_exhaust_temps(temps, True, HEAT)["exhaust_1"]

        self.held(
            of,
            (
                (25.0, "agree"),
                (25.1, "odd_one_out"),
                (25.0, (20.0,), "agree"),
                (25.1, (20.0,), "unclear"),
                (25.0, (), "unclear"),
                (-60.0, "odd_one_out"),
                (-60.1, (20.0,), "odd_one_out"),
                (1200.1, (1199.0,), "odd_one_out"),
                (1200.0, (1199.0,), "agree"),
            ),
        )

    def test_warm_each_is_cooler(self):
        def second(t):
            return judge_exhaust_temps({"exhaust_1": 300.0, "exhaust_2": t}, False, HEAT)["exhaust_2"]

        self.held(second, ((310.0, "agree"), (310.1, "out_of_order")))
        self.assertEqual((HEAT.cold_under_c, HEAT.cold_after_h), (60, 4))

    def test_nox(self):
        self.held(
            lambda up, down, dosing: judge_nox(up, down, dosing, NOX),
            (
                (100.0, 19.9, True, "good"),
                (100.0, 20.1, True, "weak"),
                (100.0, 50.0, True, "weak"),
                (100.0, 50.1, True, "poor"),
                (128.0, 109.0, False, "agree"),
                (128.0, 108.0, False, "disagree"),
                (128.0, 147.0, False, "agree"),
                (128.0, 148.0, False, "disagree"),
                (None, 50.0, True, "silent"),
                (100.0, None, True, "silent"),
                (0.0, 0.0, True, "unclear"),
                (99.0, 90.0, True, "unclear"),
                (100.0, 90.0, True, "poor"),
                (99.0, 90.0, False, "unclear"),
                (90.0, 130.0, False, "disagree"),
                (0.0, 130.0, False, "disagree"),
            ),
        )
        self.held(lambda c: judge_nox(400.0, 60.0, True, NOX, c), ((179.0, "unclear"), (180.0, "good")))
        self.assertIn("before the catalyst", judge_nox(None, 50.0, True, NOX).because)
        self.assertIn("Neither", judge_nox(None, None, True, NOX).because)
        self.assertIn("after reads less", judge_nox(400.0, 200.0, False, NOX).because)

    def test_def_in_the_warm_and_held_too_short(self):
        # 32.5 % reads 31.6 at 30 degrees without compensation
        self.assertEqual(judge_concentration(31.6, DEF).cls, "off")
        self.assertEqual(judge_concentration(31.6, DEF, 30.0).cls, "in_range")
        self.held(
            lambda s: judge_def_pressure(5.0, 4.9, s, DEF),
            ((5.0, "unclear"), (29.0, "unclear"), (30.0, "holds")),
        )
        self.assertEqual(judge_def_pressure(5.0, 2.0, 5.0, DEF).cls, "falls_back")


class Def(Edges, unittest.TestCase):
    def test_concentration(self):
        # 32.5 ± 0.7 % by the standard
        self.held(
            lambda p: judge_concentration(p, DEF),
            (
                (31.8, "in_range"),
                (31.7, "off"),
                (33.2, "in_range"),
                (33.3, "off"),
                (20.0, "off"),
                (19.9, "wrong"),
                (42.0, "off"),
                (42.1, "wrong"),
            ),
        )
        self.assertIn("ISO 22241", judge_concentration(32, DEF).because)
        self.assertIn("Water in it", judge_concentration(31.7, DEF).because)
        self.assertIn("thickened", judge_concentration(33.3, DEF).because)
        self.assertEqual(judge_concentration(32, DEF).uncertainty, 0.3)

    def test_dose(self):
        self.held(
            lambda wanted, got, spray=None: judge_dose(wanted, got, spray, DEF),
            (
                (128.0, 115.5, "right"),
                (128.0, 115.0, "short"),
                (128.0, 140.5, "right"),
                (128.0, 141.0, "over"),
                (128.0, 128.0, "jet", "bad_spray"),
                (128.0, 128.0, "cone", "right"),
                (None, None, "cone", "right"),
                (None, None, "drips", "bad_spray"),
                (None, None, "none", "short"),
                (None, None, "unclear"),
            ),
        )

    def test_pressure(self):
        # 5 bar are wanted: it builds from 4.25, and holds 0.85 of what it built
        self.held(
            lambda bar, kept=None: judge_def_pressure(bar, kept, 60, DEF),
            (
                (4.24, "low"),
                (4.26, "unclear"),
                (5.0, 4.24, "falls_back"),
                (5.0, 4.26, "holds"),
                (4.24, 4.24, "low"),
            ),
        )
