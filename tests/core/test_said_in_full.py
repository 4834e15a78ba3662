"""What a judgement carries beside its class: the figure, its unit, its uncertainty and the words of it."""

import unittest
from dataclasses import replace

import numpy as np

from frosty_piston.core.actuators import ActuatorLimits, DriveReport, analyse_drive, dead_stretches, lagged
from frosty_piston.core.air import AirLimits, judge_air_mass, judge_egr_air
from frosty_piston.core.air_recorded import RecordedLimits, bypass_stands, expected_over, judge_alike
from frosty_piston.core.costing import Option
from frosty_piston.core.glow import Meter
from frosty_piston.core.injection import robust_distance
from frosty_piston.core.proving import clean_though_broken
from frosty_piston.core.relay import RelayLimits, RelayPoints, judge_relay
from frosty_piston.core.suspects.next_test import Belief, sure_enough
from frosty_piston.core.suspects.odds import weigh
from frosty_piston.core.suspects.space import build_space
from frosty_piston.core.traces import Signal, refresh_s, thin, without_stairs
from frosty_piston.core.wiring import WiringLimits, judge_network
from frosty_piston.knowledge.figures import general

AIR, RECORDED, DRIVE, RELAY, WIRING = (
    general(c) for c in (AirLimits, RecordedLimits, ActuatorLimits, RelayLimits, WiringLimits)
)
T = np.arange(0, 60, 0.1)
# The lags and delays, s, that a drive is fitted with, as docs/models.md names them.
LAGS_S = (0.0, 0.03, 0.06, 0.1, 0.15, 0.2, 0.3, 0.45, 0.7, 1.0, 1.5, 2.2, 3.2, 4.5)
DELAYS_S = (0.0, 0.05, 0.1, 0.2, 0.3, 0.5, 0.8, 1.2)


def driven():
    """A sweep and then steps, 40 samples a second: few enough that every one is fitted."""
    t = np.arange(0, 22.4, 0.025)
    c = np.interp(t, [0, 1, 5, 6, 10, 11], [0, 0, 100, 100, 0, 0])
    return t, np.where(t < 11, c, np.select([t % 8 < 4], [20.0], 80.0))


class Drives(unittest.TestCase):
    def test_every_lag_and_delay_that_is_looked_for_comes_back(self):
        t, c = driven()
        for lag in LAGS_S:
            with self.subTest(lag=lag):
                a = lagged(c, 0.025, np.array([lag]), np.array([0.2]))[:, 0, 0]
                report = analyse_drive(Signal(t, c), Signal(t, a), DRIVE)
                self.assertEqual((report.tau_s, report.delay_s), (lag, 0.2))
                self.assertAlmostEqual(report.tau_u_s, 0.0125 + 0.1 * lag, places=6)
        for delay in DELAYS_S:
            with self.subTest(delay=delay):
                a = lagged(c, 0.025, np.array([0.3]), np.array([delay]))[:, 0, 0]
                self.assertEqual(analyse_drive(Signal(t, c), Signal(t, a), DRIVE).delay_s, delay)

    def test_steady_error_is_read_away_from_the_ends(self):
        def error(top):
            t = np.arange(0, 60, 0.05)
            c = np.interp(t % 30, [0, 5, 10, 20, 25, 30], [0, 0, top, top, 0, 0])
            return analyse_drive(Signal(t, c), Signal(t, np.where(c > 0, c - 3.0, c)), DRIVE).steady_error

        self.assertAlmostEqual(error(94.0), -3.0, delta=0.01)
        self.assertIsNone(error(95.0))

    def test_play_is_the_gap_between_the_ways(self):
        # the steps tell the lag, without them a lag would look like play
        t = np.arange(0, 120, 0.05)
        steps = np.where(t % 10 < 5, 80.0, 20.0)
        c = np.where(t < 60, np.interp(t % 30, [0, 14, 15, 29, 30], [0, 100, 100, 0, 0]), steps)
        for gap in (0.0, 4.0, 12.0):
            up = np.where(t < 60, t % 30 < 15, t % 10 < 5)
            report = analyse_drive(Signal(t, c), Signal(t, np.where(up, c - gap / 2, c + gap / 2)), DRIVE)
            self.assertAlmostEqual(report.hysteresis, gap, delta=0.4)

    def test_a_dead_stretch_is_two_samples_or_more(self):
        still = DriveReport(0.0, (0.0, 100.0), 0.0, 0.0, 0.1, 0.0, (), 0.0, 0.0, 0.0, 0.0, 0.0, False)
        report = replace(still, dead_spots=((40.0, 60.0),))

        def through(*values):
            return dead_stretches(Signal(np.arange(float(len(values))), np.array(values)), report)

        self.assertEqual(through(0.0, 50.0, 100.0), ())
        self.assertEqual(through(0.0, 45.0, 55.0, 100.0), ((1.0, 2.0),))


class Recorded(unittest.TestCase):
    def test_two_pressures_are_said_from_the_livelier_one(self):
        p = 8 * np.sin(T / 3)
        alike = judge_alike(Signal(T, 10 + p), Signal(T, 10 + 0.8 * p), RECORDED, ("before", "after"))
        self.assertEqual((alike.unit, alike.uncertainty), ("percent", 5.0))
        self.assertAlmostEqual(alike.value, 80.0, delta=0.1)
        self.assertEqual(alike.because, "They move alike: after by 80 % of before, 0 s after it.")
        creeps = judge_alike(Signal(T, 10 + 0.2 * p), Signal(T, 10 + p), RECORDED, ("before", "after"))
        self.assertEqual((creeps.unit, creeps.uncertainty), ("percent", 5.0))
        self.assertAlmostEqual(creeps.value, 20.0, delta=0.1)
        self.assertIn("Before moves only 20 % as far as after: its hose", creeps.because)
        late = judge_alike(
            Signal(T, 10 + p), Signal(T, 10 + 8 * np.sin((T - 4.5) / 3)), RECORDED, ("before", "after")
        )
        self.assertIn("After comes 4.5 s after before", late.because)

    def test_a_restriction_says_how_much_is_missing(self):
        kpa = np.where(T < 20, 100.0, 160.0)
        # 0.85 filled, 2 l in four at 30 degrees: 488.5 mg at 100 kPa, 781.6 at 160
        air = np.where(T < 20, 488.5, 0.75 * 781.6)
        over = expected_over(Signal(T, air), Signal(T, kpa), 2.0, 4, RECORDED, AIR)
        self.assertIn("falls 25 % short above 160 kPa", over.judgement.because)
        self.assertAlmostEqual(over.judgement.value, 586.2, delta=0.1)
        self.assertAlmostEqual(over.judgement.uncertainty, 78.2, delta=0.1)
        self.assertEqual([round(x) for x in over.stretches[0]], [20, 60])

    def test_bypass_needs_five_samples_of_each(self):
        def stands(idle, working):
            rpm = np.append(np.full(idle, 800.0), np.full(working, 2400.0))
            t = np.arange(float(len(rpm)))
            return bypass_stands(Signal(t, np.where(rpm > 1500, 90.0, 10.0)), Signal(t, rpm), RECORDED)

        self.assertEqual(stands(5, 5), (10.0, 90.0))
        self.assertIsNone(stands(4, 9))
        self.assertIsNone(stands(9, 4))

    def test_drawn_samples(self):
        s = Signal(np.arange(100.0), np.sin(np.arange(100.0)))
        self.assertEqual(thin(s, 100), s)
        self.assertLessEqual(len(thin(s, 8)), 8)
        with self.assertRaisesRegex(ValueError, "at least 8"):
            thin(s, 7)

    def test_stairs_are_kept_where_they_were_renewed(self):
        t = np.arange(0, 20, 0.1)
        s = without_stairs(Signal(t, np.floor(t / 0.5 + 1e-9)))
        self.assertEqual(s.times_s[:3].round(3).tolist(), [0.0, 0.5, 1.0])
        self.assertEqual((len(s), float(s.times_s[-1])), (41, float(t[-1])))

    def test_a_slow_sweep_with_jumps_is_no_staircase(self):
        t = np.arange(0, 120, 0.05)
        ramp = np.interp(t % 60, [0, 30, 60], [0, 100, 0])
        self.assertAlmostEqual(refresh_s(Signal(t, ramp + 10 * (t % 10 < 5))), 0.05)
        self.assertAlmostEqual(refresh_s(Signal(t, np.floor(ramp / 10 + 1e-6))), 3.0, delta=0.1)


class AtTheBench(unittest.TestCase):
    def test_air_mass_says_over_or_under(self):
        self.assertIn("2 % over;", judge_air_mass(510.0, 500.0, AIR).because)
        self.assertIn("2 % under;", judge_air_mass(490.0, 500.0, AIR).because)
        self.assertIn("0 % under;", judge_air_mass(500.0, 500.0, AIR).because)
        self.assertIn("30 % over;", judge_air_mass(650.0, 500.0, AIR).because)
        self.assertIn("under 1 % over;", judge_air_mass(500.5, 500.0, AIR).because)

    def test_egr_air_in_percent(self):
        for opened, expected, cls, share in (
            (300.0, 500.0, "flows", 40.0),
            (490.0, 500.0, "no_change", 2.0),
            (490.0, 900.0, "low_when_shut", 2.0),
        ):
            judged = judge_egr_air(500.0, opened, AIR, expected)
            self.assertEqual((judged.cls, judged.unit), (cls, "percent"))
            self.assertAlmostEqual(judged.value, share)

    def test_a_network_pin_is_shorted_to_the_nearer_side(self):
        def says(volts):
            return judge_network("high", volts, "V", WIRING).because

        self.assertIn("shorted to the supply", says(11.9))
        self.assertIn("shorted to ground", says(0.2))

    def test_relay_heat_and_supply(self):
        def judged(**given):
            return judge_relay(RelayPoints(battery=12.4, feed=12.3, loaded=True, **given), RELAY)

        dropping = dict(command=0.1, supply=12.2, output=10.3, click=True)
        # 2 V at half an ampere: 4 ohm, 1 W
        burnt = judged(current_a=0.5, **dropping)
        self.assertIn("4\u00a0000 milliohm, 1 W", burnt.because)
        self.assertNotIn("milliohm", judged(current_a=0.0, **dropping).because)
        self.assertIn("supply pin holds only 0.3 V", judged(command=0.1, supply=0.3, output=0.0).because)

    def test_a_meter_that_nobody_set(self):
        # 1 % and 3 digits of 0.01: 1 ohm is good to 0.04
        meter = Meter()
        self.assertEqual((meter.accuracy_percent, meter.accuracy_digits), (1.0, 3.0))
        self.assertEqual((meter.resolution_ohm, meter.lead_zero_ohm), (0.01, None))

    def test_a_set_without_spread(self):
        self.assertEqual(robust_distance([1.0, 1.0, 1.0], 1.0, 0.0), 0.0)
        self.assertEqual(robust_distance([0.40, 0.41, 0.42], 0.43, 0.02), 1.0)


class Odds(unittest.TestCase):
    def test_no_evidence_moves_nothing(self):
        space = build_space(("a", "b"), most=1)
        weighed = weigh(space, np.log([0.5, 0.3, 0.1, 0.1]), np.zeros((0, 4)))
        self.assertEqual(weighed.moved.shape, (0, 3))
        self.assertAlmostEqual(float(weighed.sets.sum()), 1.0)

    def test_without_a_test_it_is_as_sure_as_it_gets(self):
        belief = Belief(np.array([0.6, 0.4]), np.array([0, 1]), np.array([60.0, 30.0]))
        sure = sure_enough(belief, [])
        self.assertEqual((sure.enough, sure.saves_min, sure.price_min), (True, 0.0, 0.0))
        self.assertAlmostEqual(sure.chance, 0.6)

    def test_taking_a_fault_away(self):
        space = build_space(("a", "b"))
        for cured, wanted in (
            (frozenset({"b"}), [0, 4, 0, 3, 4]),
            (frozenset({"a", "b"}), [4, 4, 4, 3, 4]),
            (frozenset({"elsewhere"}), [0, 1, 2, 3, 4]),
        ):
            self.assertEqual(space.after_taking(cured).tolist(), wanted)

    def test_returns_are_above_zero(self):
        self.assertEqual(clean_though_broken([5, 3, 4], 0), 1.0)
        self.assertAlmostEqual(clean_though_broken([0.5], 0.5), (0.75 / 1.25) ** 1.5)
        for returns, clean in (([0], 5), ([5], -0.1)):
            with self.assertRaises(ValueError):
                clean_though_broken(returns, clean)

    def test_an_option_costs_only_what_is_said(self):
        option = Option("one", "One plug", 2800, 0.5)
        self.assertEqual(
            (option.access_h, option.consumables, option.cures, option.comes_back), (0, 0, 0.9, 0.05)
        )
        self.assertEqual((option.back_cost, option.breaks, option.break_cost), (0, 0, 0))
        self.assertEqual((option.next_step, option.days, option.warranty_months), (0, 0, 0))
