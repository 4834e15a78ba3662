"""Edges of a running engine, of waiting, of plug life, of wiring and of vacuum."""

import math
import unittest

from frosty_piston.core.limits import Limit
from frosty_piston.core.plug_life import (
    PlugLifeLimits,
    breakaway,
    fitting,
    life_scale,
    new_set_failure_chance,
    next_failure_chance,
    snap_chance,
)
from frosty_piston.core.running import (
    RunningLimits,
    judge_coil,
    judge_filter_drop,
    judge_key_switch,
    judge_oil_pressure,
    judge_stop_time,
    judge_warm_up,
)
from frosty_piston.core.starting import (
    Start,
    StartEngine,
    StartLimits,
    compression_end_k,
    fitted_to,
    margin_curves,
    start_chance,
    start_width,
)
from frosty_piston.core.stretches import budget_of, staircase
from frosty_piston.core.vacuum import (
    VacuumLimits,
    ambient_of,
    judge_flicker,
    judge_hold,
    judge_pump,
    judge_travel,
    leak_tau_s,
    pump_limit_kpa,
)
from frosty_piston.core.waiting import (
    WaitLimits,
    cold_soaked_after_h,
    fitted_tau_h,
    hours_until,
    temperature_after,
)
from frosty_piston.core.wiring import (
    WiringLimits,
    judge_circuit_drop,
    judge_network,
    judge_supply,
    judge_unplugged,
    judge_wiggle,
    wiggle_chance,
)
from frosty_piston.knowledge.figures import general
from tests.edges import Edges, exact

RUNNING, WIRING, VACUUM = general(RunningLimits), general(WiringLimits), general(VacuumLimits)


class Running(Edges, unittest.TestCase):
    def test_oil_pressure(self):
        self.held(
            lambda bar, rpm: judge_oil_pressure(bar, rpm, RUNNING),
            (
                (1.0, None, "ok"),
                (0.99, None, "low"),
                (1.0, 1199, "ok"),
                (1.0, 1200, "low"),
                (2.5, 1200, "ok"),
                (2.49, 1200, "low"),
            ),
        )

    def test_warm_up(self):
        self.held(
            lambda c, minutes: judge_warm_up(c, minutes, RUNNING),
            ((75, 1, "warm"), (74.9, 15, "cool"), (74.9, 14.9, "unclear"), (74.9, None, "unclear")),
        )

    def test_fuel_filter(self):
        # a fifth of 5 bar is lost at 4; more after than before is the gauge up to a tenth
        self.held(
            lambda before, after: judge_filter_drop(before, after, RUNNING),
            (
                (5.0, 4.0, "ok"),
                (5.0, 3.99, "drop"),
                (5.0, 5.5, "ok"),
                (5.0, 5.51, "implausible"),
                (0.0, 0.0, "implausible"),
            ),
        )

    def test_stop_time(self):
        self.held(
            lambda s: judge_stop_time(s, RUNNING),
            ((1.99, "quick"), (2.0, "slow"), (4.0, "slow"), (4.01, "hangs")),
        )

    def test_key_switch(self):
        self.held(
            judge_key_switch,
            (
                (True, True, True, "sound"),
                (True, True, None, "unclear"),
                (None, True, False, "faulty"),
                (True, False, True, "faulty"),
            ),
        )

    def test_solenoid_coil(self):
        self.held(
            lambda ohm: judge_coil(ohm, RUNNING),
            (
                (None, "open"),
                (1000.1, "open"),
                (1000.0, "unclear"),
                (60.1, "unclear"),
                (60.0, "ok"),
                (10.0, "ok"),
                (9.9, "unclear"),
                (5.0, "unclear"),
                (4.9, "short"),
            ),
        )


class Waiting(unittest.TestCase):
    LIMITS = general(WaitLimits)

    def test_cooling_by_hand(self):
        # 80 K over outside, a time constant of 2 h: 80/e is 29.43 K after two hours
        self.assertAlmostEqual(temperature_after(2, 90, 10, 2), 10 + 80 / math.e)
        self.assertAlmostEqual(hours_until(10 + 80 / math.e, 90, 10, 2), 2)
        self.assertAlmostEqual(fitted_tau_h(90, 10 + 80 / math.e, 2, 10), 2)
        self.assertEqual(hours_until(90, 90, 10, 2), 0.0)
        self.assertIsNone(hours_until(10, 90, 10, 2))
        with self.assertRaises(ValueError):
            temperature_after(1, 90, 10, 0)
        for first, second, hours, ambient in ((50, 50, 1, 10), (90, 10, 1, 10), (90, 50, 0, 10)):
            with self.assertRaises(ValueError):
                fitted_tau_h(first, second, hours, ambient)

    def test_general_figures(self):
        # within 3 degrees of outside: 3 h times ln(30/3) for 30 K over it
        self.assertAlmostEqual(cold_soaked_after_h(30, 0, self.LIMITS), 3 * math.log(10))
        self.assertEqual(cold_soaked_after_h(3, 0, self.LIMITS), 0.0)
        self.assertGreater(cold_soaked_after_h(3.1, 0, self.LIMITS), 0.0)
        self.assertAlmostEqual(cold_soaked_after_h(30, 0, self.LIMITS, 1.0), math.log(10))
        self.assertEqual(self.LIMITS.touchable_c, 55)


class PlugLife(unittest.TestCase):
    LIMITS = general(PlugLifeLimits)

    def test_wear_by_hand(self):
        # one of four gone at 1: the scale is 1/(-ln 0.75)^(1/3) = 1.5148; none gone counts as half of five
        self.assertAlmostEqual(life_scale(1.0, 1, 4, 3), 1.5148, places=3)
        self.assertAlmostEqual(life_scale(1.0, 0, 4, 3), (-math.log(0.9)) ** (-1 / 3), places=6)
        self.assertAlmostEqual(life_scale(1.0, 4, 4, 3), (-math.log(0.1)) ** (-1 / 3), places=6)
        self.assertAlmostEqual(new_set_failure_chance(2.0, 4, 1.0, 3), 1 - math.exp(-0.5))
        # with shape 1 there is no wear: each survivor 1 - exp(-ahead/scale)
        scale = life_scale(1.0, 1, 4, 1)
        self.assertAlmostEqual(next_failure_chance(1.0, 1, 4, 1.0, 1), 1 - math.exp(-3 / scale))
        self.assertAlmostEqual(next_failure_chance(1.0, 1, 4, 1.0, 1, left=2), 1 - math.exp(-2 / scale))
        self.assertEqual(self.LIMITS.life_shape, 3)
        for age, failed, count in ((0, 1, 4), (1, 5, 4), (1, -1, 4), (1, 0, 0)):
            with self.assertRaises(ValueError):
                life_scale(age, failed, count, 3)

    def test_snapping_by_hand(self):
        self.assertAlmostEqual(snap_chance(1, 0, self.LIMITS), 0.04)
        self.assertAlmostEqual(snap_chance(0, 1, self.LIMITS), 0.01)
        self.assertAlmostEqual(snap_chance(2, 0, self.LIMITS), 1 - 0.96**2)
        self.assertAlmostEqual(snap_chance(1, 0, self.LIMITS, warm=False), 0.08)
        self.assertAlmostEqual(snap_chance(1, 0, self.LIMITS, oiled=False), 0.08)
        self.assertAlmostEqual(snap_chance(1, 0, self.LIMITS, False, False), 0.16)

    def test_torques_by_thread(self):
        out = {"M8": 20, "M9": 22, "M10": 35, "M12": 45}
        on = {"M8": 9, "M9": 12, "M10": 15, "M12": 22}
        for thread in out:
            self.assertEqual(breakaway(thread, None, self.LIMITS).nm, out[thread])
            self.assertEqual(fitting(thread, None, self.LIMITS).nm, on[thread])
        self.assertEqual(
            (breakaway(None, None, self.LIMITS).nm, breakaway(None, None, self.LIMITS).thread), (35, "M10")
        )
        self.assertEqual(
            (fitting("M8", 0.0, self.LIMITS).nm, fitting("M8", 0.0, self.LIMITS).general), (0.0, False)
        )


class ColdStart(unittest.TestCase):
    """By hand, of an engine that is known: no spread between engines, and sharp about how many must fire."""

    GENERAL = general(StartLimits)
    LIMITS = exact(GENERAL, engine_spread_k=1e-9, firing_spread=1e-3, spread_k=6.0)

    def test_compression_by_hand(self):
        # n = 1.36 - 18/200 = 1.27: 273.15 * 17^0.27
        self.assertAlmostEqual(float(compression_end_k(0, 17, 200)), 273.15 * 17**0.27, places=6)
        self.assertAlmostEqual(float(compression_end_k(0, 17, 10)), 273.15)
        self.assertEqual(compression_end_k([0, 10], 17, 200).shape, (2,))

    def test_one_cylinder_by_hand(self):
        # at the temperature that fires it, without a plug, one half; carried by 1/(1 + exp(-(200 - 125)/12))
        engine = StartEngine(1, compression_ratio=17.0)
        fires_at = 594 / 17**0.27 - 273.15
        carries = 1 / (1 + math.exp(-75 / 12))
        self.assertAlmostEqual(
            float(start_chance(fires_at, engine, [0.0], self.LIMITS)), 0.5 * carries, places=6
        )
        # six degrees hotter at the end of compression is one spread
        hotter = (594 + 6) / 17**0.27 - 273.15
        self.assertAlmostEqual(
            float(start_chance(hotter, engine, [0.0], self.LIMITS)), carries / (1 + math.exp(-1)), places=6
        )
        # a plug lifts by 160 K
        lifted = (594 - 160) / 17**0.27 - 273.15
        self.assertAlmostEqual(
            float(start_chance(lifted, engine, [1.0], self.LIMITS)), 0.5 * carries, places=6
        )
        self.assertAlmostEqual(
            float(start_chance(fires_at - 25, engine, [0.0], self.LIMITS, block_heater_k=25)), 0.5 * carries
        )
        # a plug counts up to 1.3 of its heat
        most, more = (float(start_chance(lifted, engine, [h], self.LIMITS)) for h in (1.3, 2.0))
        self.assertEqual(most, more)
        pre = StartEngine(1, "prechamber")
        at = 651 / 21.5**0.27 - 273.15
        self.assertAlmostEqual(float(start_chance(at, pre, [0.0], self.LIMITS)), 0.5 * carries, places=6)
        at = (651 - 250) / 21.5**0.27 - 273.15
        self.assertAlmostEqual(float(start_chance(at, pre, [1.0], self.LIMITS)), 0.5 * carries, places=6)
        self.assertEqual((self.LIMITS.block_heater_k, self.LIMITS.crank_rpm), (25, 200))

    def test_two_thirds_must_fire_and_more_in_the_cold(self):
        hot = 60.0
        carries = 1 / (1 + math.exp(-75 / 12))
        for cylinders, alive, starts in ((4, 3, True), (4, 2, False), (8, 6, True), (8, 5, False)):
            heat = [1.0] * alive + [0.0] * (cylinders - alive)
            chance = float(
                start_chance(-10, StartEngine(cylinders, compression_ratio=17.0), heat, self.LIMITS)
            )
            self.assertAlmostEqual(chance, carries if starts else 0.0, delta=0.03)
        self.assertGreater(float(start_chance(hot, StartEngine(4), [0.0] * 4, self.LIMITS)), 0.99)
        # five of seven are 0.714; 0.66 are wanted at 0 C, 0.712 at -10, 0.7172 at -11
        seven = StartEngine(7, compression_ratio=17.0)
        for celsius, starts in ((-11, False), (-10, True)):
            chance = float(start_chance(celsius, seven, [1.0] * 5 + [0.0] * 2, self.LIMITS))
            self.assertEqual(chance > 0.5, starts, celsius)

    def test_an_engine_is_known_by_what_it_did(self):
        limits, four, none = self.GENERAL, StartEngine(4), (0.0,) * 4
        before = float(start_chance(8, four, none, limits))
        chances = [
            float(start_chance(8, four, none, limits, known=fitted_to([Start(8.0, none, did)], four, limits)))
            for did in ("would_not", "coughed", "started")
        ]
        self.assertLess(chances[0], before)
        self.assertLess(chances[0], chances[1])
        self.assertGreater(chances[2], before)
        twice = fitted_to([Start(8.0, none, "would_not")] * 2, four, limits)
        self.assertLess(float(start_chance(8, four, none, limits, known=twice)), chances[0])
        wide = start_width(8, four, none, limits)
        narrow = start_width(
            8, four, none, limits, known=fitted_to([Start(8, none, "started")] * 9, four, limits)
        )
        self.assertLess(wide[0], before)
        self.assertLess(before, wide[1])
        self.assertLess(narrow[1] - narrow[0], wide[1] - wide[0])
        # a bad start that surely had another cause says nothing of the heat
        other = exact(limits, other_cause=1.0)
        known = fitted_to([Start(8.0, none, "would_not")], four, other)
        self.assertAlmostEqual(float(start_chance(8, four, none, other, known=known)), before)
        for wrong in ((0.0,) * 3, (0.0,) * 5):
            with self.assertRaises(ValueError):
                fitted_to([Start(8.0, wrong, "started")], four, limits)

    def test_curves(self):
        curves = margin_curves(StartEngine(2), self.LIMITS, low_c=-30, high_c=25, step_c=5)
        self.assertEqual([c.working for c in curves], [2, 1, 0])
        self.assertEqual(
            (curves[0].ambient_c[0], curves[0].ambient_c[-1], len(curves[0].chance)), (-30, 25, 12)
        )


class Wiring(Edges, unittest.TestCase):
    def test_pins(self):
        # feed of 12 V: 0.2 V and 2 % are 0.24, and 0.05 V for the meter
        self.held(
            lambda pin, volts, battery=12.0, loaded=True: judge_supply(
                pin, volts, (battery, battery), WIRING, loaded
            ),
            (
                ("ground", 0.1, "present"),
                ("ground", 0.11, "low"),
                ("ground", 1.0, "low"),
                ("ground", 1.01, "missing"),
                ("reference", 4.9, "present"),
                ("reference", 4.89, "low"),
                ("reference", 5.1, "present"),
                ("reference", 5.11, "low"),
                ("reference", 1.0, "low"),
                ("reference", 0.99, "missing"),
                ("supply", 11.72, "present"),
                ("supply", 11.70, "low"),
                ("supply", 2.41, "low"),
                ("supply", 2.39, "missing"),
                ("supply", 23.48, 24.0, "present"),
                ("supply", 23.46, 24.0, "low"),
                ("supply", 5.76, 6.0, "present"),
                ("supply", 5.74, 6.0, "low"),
                ("supply", 14.5, "present"),
                ("supply", 14.51, "implausible"),
                ("ground", 38.0, "implausible"),
                # an open ground reads nothing while nothing flows
                ("ground", 0.0, 12.0, False, "unclear"),
                ("ground", 0.0, 12.0, None, "unclear"),
                ("ground", 0.2, 12.0, None, "low"),
            ),
        )
        # a battery that nobody measured in the same minute: 11.8 to 12.8 V
        self.held(
            lambda volts: judge_supply("supply", volts, (11.8, 12.8), WIRING, True),
            ((12.6, "present"), (12.4, "unclear"), (11.6, "unclear"), (11.4, "low")),
        )
        self.assertIn("without load", judge_supply("supply", 12.0, (12.0, 12.0), WIRING).because)

    def test_network_pair(self):
        self.held(
            lambda ohm: judge_network("pair", ohm, "ohm", WIRING),
            (
                (None, "open_or_short"),
                (1000.1, "open_or_short"),
                (1000.0, "off"),
                (66.1, "off"),
                (66.0, "sound"),
                (54.0, "sound"),
                (53.9, "unclear"),
                (50.1, "unclear"),
                (50.0, "off"),
                (5.0, "off"),
                (4.9, "open_or_short"),
            ),
        )
        for ohm, says in (
            (132.1, "a poor joint"),
            (132.0, "is missing"),
            (108.0, "is missing"),
            (107.9, "a poor joint"),
            (66.1, "a poor joint"),
            (53.9, "read again"),
            (50.0, "one too many"),
            (35.0, "one too many"),
            (34.9, "partial short"),
            (5.0, "partial short"),
            (4.9, "shorted"),
            (2000.0, "a wire is open"),
        ):
            told = judge_network("pair", ohm, "ohm", WIRING).because.replace(
                "terminator too many", "one too many"
            )
            self.assertIn(says, told)

    def test_network_volts(self):
        self.held(
            lambda pin, volts, other=None: judge_network(pin, volts, "V", WIRING, 12.0, other),
            (
                ("high", 2.46, "sound"),
                ("high", 2.44, "off"),
                ("high", 3.04, "sound"),
                ("high", 3.06, "off"),
                ("low", 1.96, "sound"),
                ("low", 1.94, "off"),
                ("low", 2.54, "sound"),
                ("low", 2.56, "off"),
                ("high", 8.3, "off"),
                ("high", 8.5, "open_or_short"),
                ("low", 0.3, "off"),
                ("low", 0.29, "open_or_short"),
                ("high", 2.6, 2.21, "sound"),
                ("high", 2.6, 2.19, "off"),
                ("high", 3.0, 2.19, "sound"),
                ("high", 3.0, 2.21, "off"),
                ("high", None, "unclear"),
            ),
        )
        self.assertIn("to ground, or", judge_network("low", 0.2, "V", WIRING).because)
        self.assertIn("to the supply", judge_network("low", 9.0, "V", WIRING).because)

    def test_circuit_drop(self):
        self.held(
            lambda v: judge_circuit_drop(v, None, WIRING.feed_drop_v), ((0.2, "sound"), (0.21, "drops"))
        )
        self.assertEqual(judge_circuit_drop(0.25, 5.0, Limit(0.25, "V")).cls, "sound")
        self.assertIn("0.05 Ω", judge_circuit_drop(0.25, 5.0, Limit(0.25, "V")).because)
        self.assertNotIn("Ω", judge_circuit_drop(0.25, 0.0, Limit(0.25, "V")).because)

    def test_each_stretch_has_its_budget(self):
        for stretch, most in (("feed", 0.2), ("ground", 0.1), ("relay", 0.05), ("stud", 0.3), ("else", 0.2)):
            budget = budget_of(stretch, WIRING)
            self.assertEqual(judge_circuit_drop(most, None, budget).cls, "sound")
            self.assertEqual(judge_circuit_drop(most + 0.01, None, budget).cls, "drops")
        # 0.1 and 0.1 is the whole budget of the feed, a tenth more is too much; the ground has its own
        for drops, words in (
            ({"feed": 0.1, "wire": 0.1}, "within its budget: 0.2 V in all"),
            ({"feed": 0.1, "wire": 0.11}, "together the feed loses 0.21 V"),
            ({"feed": 0.1, "wire": 0.1, "ground": 0.1}, "within its budget: 0.3 V in all"),
            ({"ground": 0.11, "fuse": 0.3}, "Then ground, back to the post, 0.11 V."),
            ({}, "Measure stretch by stretch"),
        ):
            self.assertIn(words, staircase(drops, WIRING).says)
        self.assertEqual(
            [s.before_v for s in staircase({"wire": 0.5, "stud": 0.2}, WIRING).stairs], [0.0, 0.2]
        )

    def test_which_module_by_unplugging(self):
        # two of 120 in parallel are 60, three are 40, one is 120; without any nothing answers
        ol = math.inf
        for before, now, cls in (
            (108, ol, "holds_one"),
            (132, 1001, "holds_one"),
            (120, 108, "none_here"),
            (120, 132.1, "unclear"),
            (120, 60, "unclear"),
            (54, 120, "holds_one"),
            (66, 60, "none_here"),
            (40, 60, "one_of_three"),
            (53.9, 54, "one_of_three"),
            (35, 54, "one_of_three"),
            (34.9, 54, "was_it"),
            (40, 53.9, "not_it"),
            (2, 120, "was_it"),
            (2, 2, "not_it"),
            (80, 80, "joint"),
            (66.1, 66, "joint"),
            (80, 65, "unclear"),
            (None, 60, "unclear"),
        ):
            with self.subTest(before=before, now=now):
                self.assertEqual(judge_unplugged("A", before, now, WIRING).cls, cls)
        self.assertIn("one too many", judge_unplugged("A", 35, 60, WIRING).because)
        self.assertIn("pulls the pair down", judge_unplugged("A", 34.9, 60, WIRING).because)

    def test_wiggle_by_hand(self):
        # all of n dropouts in one of two equal halves: one in 2^n
        self.assertEqual(wiggle_chance(3, 60, 0, 60), 0.125)
        self.assertEqual(wiggle_chance(1, 60, 1, 60), 0.75)
        self.assertEqual(wiggle_chance(2, 30, 0, 90), 0.0625)
        self.held(
            lambda n: judge_wiggle(n, 60, 0, 60, WIRING),
            ((0, "steady"), (2, "unclear"), (3, "perhaps"), (5, "perhaps"), (6, "drops_out")),
        )
        self.assertEqual(judge_wiggle(0, 60, 1, 60, WIRING).cls, "unclear")
        for wiggled, rested in ((0, 60), (60, 0)):
            self.assertEqual(judge_wiggle(6, wiggled, 0, rested, WIRING).cls, "unclear")
        # quiet says something from 20 s on, and from as long as it took before
        self.held(
            lambda t, before=0: judge_wiggle(0, t, 0, 60, WIRING, before),
            ((19.9, "unclear"), (20, "steady")),
        )
        for seconds, cls in ((59, "unclear"), (60, "steady")):
            self.assertEqual(judge_wiggle(0, seconds, 0, 60, WIRING, 60).cls, cls)
        # two hundredths and fifteen hundredths are the marks: of n dropouts all in a share of the time
        self.held(
            lambda share, n=1: judge_wiggle(n, share, 0, 100 - share, WIRING),
            ((2, "drops_out"), (2.5, "perhaps"), (15, "perhaps"), (15.5, "unclear")),
        )


class Vacuum(Edges, unittest.TestCase):
    def test_pump(self):
        # 93 % of 101.3 kPa is 94.2; nine tenths of that is 84.79
        self.assertAlmostEqual(pump_limit_kpa(100.0, VACUUM), 93.0)
        self.held(
            lambda kpa, s=None, altitude=0.0: judge_pump(kpa, s, VACUUM, ambient_of(altitude_m=altitude)),
            (
                (84.8, "sound"),
                # a gauge good to 2 kPa cannot tell up to there
                (84.7, "unclear"),
                (82.8, "unclear"),
                (82.7, "low"),
                (90.0, 20.0, "sound"),
                (90.0, 20.1, "slow"),
                (101.3, "sound"),
                (101.4, "implausible"),
                (71.0, None, 1500.0, "sound"),
                (68.3, None, 1800.0, "sound"),
            ),
        )
        self.held(
            lambda kpa: judge_flicker(kpa, VACUUM),
            ((2.0, "steady"), (2.1, "unclear"), (2.5, "unclear"), (2.6, "flickers")),
        )

    def test_holding(self):
        # from 60 kPa in 60 s: under 3 for a part, under 7 for a branch, over 51 (85 %) is gross
        self.held(
            lambda start, end, s=60.0, branch=False: judge_hold(start, end, s, VACUUM, branch),
            (
                (60.0, 60.0, "holds"),
                (60.0, 57.1, "holds"),
                (60.0, 56.9, "leaks"),
                (60.0, 53.1, 60.0, True, "holds"),
                (60.0, 52.9, 60.0, True, "leaks"),
                (60.0, 9.1, "leaks"),
                (60.0, 8.9, "gross_leak"),
                (30.0, 29.9, "holds"),
                (29.9, 29.9, "gross_leak"),
                (60.0, 60.1, "implausible"),
                (60.0, 50.0, 0.0, "implausible"),
                # twice as slow is half as much: 54.2 in 120 s is 57 in 60
                (60.0, 54.2, 120.0, "holds"),
                (60.0, 54.0, 120.0, "leaks"),
                # read to 1 kPa, five seconds tell nothing; half of it in thirty is plain
                (60.0, 59.0, 5.0, "unclear"),
                (60.0, 60.0, 5.0, "unclear"),
                (60.0, 30.0, 30.0, "leaks"),
                (600.0, 590.0, 60.0, "implausible"),
                (101.2, 101.0, 60.0, "holds"),
                (101.4, 101.0, 60.0, "implausible"),
            ),
        )
        self.assertAlmostEqual(leak_tau_s(40, 40 / math.e, 30), 30)
        self.assertEqual(leak_tau_s(60, 60.1, 30), math.inf)

    def test_travel(self):
        def moved(starts_at, full_at, stroke=10.0):
            points = [(0, 0), (starts_at, 0.1 * stroke), (full_at, 0.95 * stroke), (full_at + 10, stroke)]
            return judge_travel(points, VACUUM)

        self.held(
            moved,
            (
                (20, 60, "in_range"),
                (23, 60, "in_range"),
                (23.1, 60, "late"),
                (20, 63, "in_range"),
                (20, 63.1, "late"),
                (20, 60, 1.0, "in_range"),
                (20, 60, 0.99, "still"),
            ),
        )
        self.assertEqual(judge_travel([(0, 0), (60, 10)], VACUUM).cls, "unclear")
        # worked by hand: a tenth of 10 mm lies at 18 + 12*0.6/2.6 = 20.8 kPa, 95 % of it at 50
        judged = judge_travel([(0, 0), (18, 0.4), (30, 3), (45, 9), (55, 10)], VACUUM)
        self.assertEqual(judged.cls, "in_range")
        self.assertIn("Starts by 20.8 kPa, full by 50, 10 mm", judged.because)
        # on its way down it lets go in the order in which it was pulled
        self.assertEqual(
            judge_travel([(55, 10), (0, 0), (45, 9), (30, 3), (18, 0.4)], VACUUM).cls, "in_range"
        )
