"""Recorded channels and drives: nothing invented, no spike lost, and each fault of the rig known by its own
sign."""

import unittest

import numpy as np

from frosty_piston.core.actuators import ActuatorLimits, analyse_drive, judge_drive, lagged
from frosty_piston.core.limits import Limit
from frosty_piston.core.traces import (
    Signal,
    beside,
    between,
    cut,
    event_s,
    held,
    refresh_s,
    signal,
    thin,
    without_stairs,
)
from frosty_piston.knowledge.figures import general
from frosty_piston.rig.recordings import FAULTS, RAMPS, WAYS, drive_recording

DRIVE, SHUT = general(ActuatorLimits), Limit(5, "percent")


class Channels(unittest.TestCase):
    def test_thinning_keeps_every_extreme_and_the_ends(self):
        rng = np.random.default_rng(5)
        for size in (9, 100, 4321, 100_000):
            s = signal(np.sort(rng.uniform(0, 100, size)), rng.normal(0, 1, size))
            small = thin(s, 200)
            self.assertLessEqual(len(small), max(200, 9))
            self.assertEqual((small.values.min(), small.values.max()), (s.values.min(), s.values.max()))
            self.assertEqual((small.times_s[0], small.times_s[-1]), (s.times_s[0], s.times_s[-1]))
            self.assertTrue(np.all(np.diff(small.times_s) > 0))

    def test_a_single_spike_in_a_million_is_drawn(self):
        values = np.zeros(1_000_000)
        values[777_777] = 5.0
        self.assertEqual(thin(Signal(np.arange(1_000_000) / 50, values), 1500).values.max(), 5.0)

    def test_time_that_runs_backwards_and_uneven_lengths_are_refused(self):
        with self.assertRaises(ValueError):
            signal(np.array([0.0, 2.0, 1.0]), np.zeros(3))
        with self.assertRaises(ValueError):
            signal(np.zeros(2), np.zeros(3))

    def test_nothing_is_known_in_a_gap(self):
        s = Signal(np.array([0.0, 0.1, 0.2, 0.3, 10.0, 10.1]), np.arange(6.0))
        self.assertTrue(np.isnan(between(s, np.array([5.0]))[0]))
        self.assertTrue(np.isnan(held(s, np.array([5.0]))[0]))
        self.assertAlmostEqual(between(s, np.array([0.25]))[0], 2.5)

    def test_stairs_are_known_by_their_width_and_taken_out(self):
        t = np.arange(0, 30, 0.05)
        for width in (0.2, 0.5):
            s = Signal(t, np.floor(t / width + 1e-9) * width)
            self.assertAlmostEqual(refresh_s(s), width, delta=0.06)
            self.assertLess(len(without_stairs(s)), len(s) / (width / 0.05) * 1.6)
        smooth = Signal(t, np.sin(t))
        self.assertIs(without_stairs(smooth), smooth)

    def test_two_channels_beside_each_other_and_at_an_event(self):
        a, b = Signal(np.arange(0, 10, 0.1), np.arange(100.0)), Signal(np.arange(2, 12, 0.5), np.arange(20.0))
        t, (x, y) = beside([a, b])
        self.assertGreaterEqual(t[0], 2.0)
        self.assertLessEqual(t[-1], 9.9)
        self.assertTrue(np.allclose(x, t * 10) and np.allclose(y, (t - 2) * 2))
        self.assertAlmostEqual(event_s(a, 50.5), 5.05)
        self.assertIsNone(event_s(a, 500))
        self.assertAlmostEqual(event_s(Signal(a.times_s, -a.values), -20.0, rising=False), 2.0)
        self.assertEqual(len(cut(a, 1, 2)), 11)


UNSEEN = {"steps_10": ("sticks",), "steps_25": ("sticks", "dead_spot", "slow")}


class Drives(unittest.TestCase):
    def judged(self, seed, fault, drive, way=RAMPS):
        r = drive_recording(seed, fault, drive, way)
        return judge_drive(analyse_drive(r.command, r.actual, DRIVE, r.percent), DRIVE, SHUT, drive)

    def test_every_fault_of_the_rig_is_known(self):
        # The bench does this over 200 of each; a few here, and the healthy ones never accused.
        for drive in ("motor", "vacuum"):
            for fault in FAULTS:
                said = [self.judged(seed, fault, drive).cls for seed in range(1000, 1006)]
                right = said.count("follows" if fault == "healthy" else fault)
                self.assertGreaterEqual(right, 6 if fault in ("stuck", "loose") else 5, (drive, fault, said))
                if fault == "healthy":
                    self.assertLessEqual(set(said), {"follows", "unclear"})

    def test_steps_and_waves_are_judged_like_ramps(self):
        # What is narrower than a step does not show: sticking by 5 to 9 % in steps of 10, and half of the
        # dead spots in steps of 25.
        for way in WAYS:
            for drive in ("motor", "vacuum"):
                for fault in FAULTS:
                    said = [self.judged(seed, fault, drive, way).cls for seed in range(2000, 2005)]
                    if fault == "healthy":
                        self.assertLessEqual(set(said), {"follows", "unclear"}, (way, drive))
                    if fault not in UNSEEN.get(way, ()):
                        right = said.count("follows" if fault == "healthy" else fault) + said.count("unclear")
                        self.assertGreaterEqual(right, 4, (way, drive, fault, said))

    def test_a_step_too_short_for_its_samples_is_told(self):
        t = np.arange(0, 40, 0.8)
        c = np.floor(t / 1.6) * 10 % 100
        judged = judge_drive(analyse_drive(Signal(t, c), Signal(t, c), DRIVE), DRIVE, SHUT)
        self.assertIn("hold each step for two seconds", judged.because)

    def test_the_dead_spot_is_where_it_is(self):
        for seed in range(5):
            r = drive_recording(seed, "dead_spot")
            report = analyse_drive(r.command, r.actual, DRIVE, r.percent)
            self.assertTrue(
                any(
                    abs(s - r.dead_spot[0]) < 4 and abs(e - r.dead_spot[1]) < 4 for s, e in report.dead_spots
                ),
                (r.dead_spot, report.dead_spots),
            )

    def test_the_lag_that_was_put_in_comes_out(self):
        t = np.arange(0, 60, 0.05)
        c = np.interp(t, [0, 3, 20, 23, 40, 43, 43.05, 50, 50.05, 60], [0, 0, 100, 100, 0, 0, 70, 70, 20, 20])
        for tau in (0.1, 0.45, 1.5):
            a = lagged(c, 0.05, np.array([tau]), np.array([0.1]))[:, 0, 0]
            report = analyse_drive(Signal(t, c), Signal(t, a), DRIVE)
            self.assertAlmostEqual(report.tau_s, tau, delta=report.tau_u_s + 0.05)
            self.assertLess(report.hysteresis, 1.5)

    def test_hysteresis_and_a_valve_that_does_not_close(self):
        t = np.arange(0, 90, 0.1)
        c = np.interp(t, [0, 4, 34, 40, 70, 76, 76.1, 82, 82.1, 90], [0, 0, 100, 100, 0, 0, 60, 60, 20, 20])
        played, at = np.empty(len(c)), 0.0
        for i, want in enumerate(c):
            at = min(at, want + 4) if want < at else max(at, want - 4)
            played[i] = at
        self.assertAlmostEqual(analyse_drive(Signal(t, c), Signal(t, played), DRIVE).hysteresis, 8, delta=1)
        rest = judge_drive(analyse_drive(Signal(t, c), Signal(t, np.maximum(c, 14.0)), DRIVE), DRIVE, SHUT)
        self.assertEqual((rest.cls, round(rest.value)), ("does_not_close", 14))
        self.assertEqual(
            judge_drive(
                analyse_drive(Signal(t, c), Signal(t, np.maximum(c, 8.0)), DRIVE), DRIVE, Limit(10, "percent")
            ).cls,
            "follows",
        )

    def test_upside_down_or_in_volts_it_is_the_same_drive(self):
        r = next(r for s in range(50) if (r := drive_recording(s, "dead_spot")).percent)
        for actual in (
            Signal(r.actual.times_s, 100 - r.actual.values),
            Signal(r.actual.times_s, 4.5 - 0.04 * r.actual.values),
        ):
            percent = float(np.ptp(actual.values)) > 20
            self.assertEqual(
                judge_drive(analyse_drive(r.command, actual, DRIVE, percent), DRIVE, SHUT).cls, "dead_spot"
            )

    def test_what_cannot_be_told_is_said(self):
        t = np.arange(0, 20, 0.1)
        still = Signal(t, np.full(len(t), 40.0))
        wandering = Signal(t, 40 + 10 * np.sin(t))
        self.assertIn("sweep it", judge_drive(analyse_drive(still, wandering, DRIVE), DRIVE, SHUT).because)
        self.assertEqual(
            judge_drive(analyse_drive(Signal(t[:5], t[:5]), still, DRIVE), DRIVE, SHUT).cls, "unclear"
        )
        self.assertEqual(
            judge_drive(analyse_drive(Signal(t, 5 * t), Signal(t + 1000, 5 * t), DRIVE), DRIVE, SHUT).cls,
            "unclear",
        )
        self.assertEqual(judge_drive(analyse_drive(Signal(t, 5 * t), still, DRIVE), DRIVE, SHUT).cls, "stuck")
