"""Boost and the air path from recordings: worked figures, what cannot be judged, and each fault of the rig by
its own sign."""

import unittest

import numpy as np

from frosty_piston.benchmarks.recordings import KINDS, everything, judged
from frosty_piston.core.air import AirLimits, expected_air_mg
from frosty_piston.core.air_recorded import (
    RecordedLimits,
    air_change,
    bypass_stands,
    expected_over,
    judge_air_change,
    judge_alike,
    judge_bypass,
    rev_test,
)
from frosty_piston.core.boost import BoostLimits, analyse_boost, judge_boost
from frosty_piston.core.traces import Signal
from frosty_piston.knowledge.figures import general

AIR, BOOST, RECORDED = general(AirLimits), general(BoostLimits), general(RecordedLimits)

T = np.arange(0, 30, 0.1)


def pulls(got, vane=None, vane_got=None, asked=80.0):
    """Two pulls of six seconds; `got` turns the boost asked into what comes, from seconds since the pull
    began."""
    want, since = np.full(len(T), 100.0), np.full(len(T), -1.0)
    for start in (4, 18):
        inside = (start <= T) & (start + 6 > T)
        want[inside], since[inside] = 100 + asked, T[inside] - start
    actual = np.where(since >= 0, 100 + got(np.maximum(since, 0)) * asked, 100)
    signals = [Signal(T, want), Signal(T, actual)]
    if vane is not None:
        signals += [
            Signal(T, np.where(since >= 0, vane, 20.0)),
            Signal(T, np.where(since >= 0, vane_got, 20.0)),
        ]
    return analyse_boost(signals[0], signals[1], BOOST, *signals[2:])


class Boost(unittest.TestCase):
    def test_figures_of_a_pull(self):
        report = pulls(lambda s: 1 - np.exp(-s / 0.5))
        self.assertEqual(report.pulls, 2)
        self.assertAlmostEqual(report.asked_kpa, 80, delta=0.5)
        self.assertAlmostEqual(report.to_90_s, 0.5 * np.log(10), delta=0.15)
        self.assertLess(abs(report.shortfall_kpa), 2)
        self.assertEqual([round(s) for s, _ in report.stretches], [4, 18])
        self.assertEqual(judge_boost(report, BOOST).cls, "reaches")

    def test_too_little_is_read_with_the_vanes(self):
        says = {
            name: judge_boost(pulls(lambda s: 0.6 + 0 * s, *vanes), BOOST)
            for name, vanes in {
                "follows": (96, 96),
                "stays": (96, 30),
                "held back": (50, 50),
                "unknown": (),
            }.items()
        }
        self.assertEqual({j.cls for j in says.values()}, {"short"})
        self.assertIn("a leak, a restricted exhaust", says["follows"].because)
        self.assertIn("actuator, linkage", says["stays"].because)
        self.assertIn("Record the vane command", says["unknown"].because)
        self.assertAlmostEqual(says["follows"].value, 32, delta=1)

    def test_too_much_at_one_go_is_over_and_short_of_that_is_not(self):
        self.assertEqual(judge_boost(pulls(lambda s: 1 + 0.4 * ((s > 1.5) & (s < 3.5))), BOOST).cls, "over")
        self.assertEqual(
            judge_boost(pulls(lambda s: 1 + 0.4 * ((s > 1.5) & (s < 1.8))), BOOST).cls, "reaches"
        )

    def test_hunting_gives_its_period_and_swing(self):
        report = pulls(lambda s: 1 + 0.2 * np.sin(2 * np.pi * s / 1.0))
        self.assertAlmostEqual(report.period_s, 1.0, delta=0.15)
        self.assertAlmostEqual(report.hunting_kpa, 16, delta=2)
        self.assertEqual(judge_boost(report, BOOST).cls, "hunts")

    def test_no_pull_is_said_and_not_judged(self):
        self.assertIsNone(pulls(lambda s: 1 + 0 * s, asked=5.0))
        self.assertEqual(judge_boost(None, BOOST).verdict, "unclear")


class AirPath(unittest.TestCase):
    def test_air_change_leaves_out_what_is_still_moving_and_other_speeds(self):
        valve = np.where(T % 10 < 5, 0.0, 60.0)
        mg = np.where(valve > 5, 300.0, 500.0)
        moving = np.append(False, np.diff(valve) != 0)
        mg[moving] = 9999.0
        speed = np.full(len(T), 1500.0)
        speed[-30:], mg[-30:] = 2500.0, 900.0
        change = air_change(Signal(T, valve), Signal(T, mg), RECORDED, Signal(T, speed))
        self.assertEqual((change.shut_mg, change.open_mg), (500.0, 300.0))
        self.assertIsNone(air_change(Signal(T, np.zeros(len(T))), Signal(T, mg), RECORDED))
        self.assertEqual(judge_air_change(None, AIR).verdict, "unclear")

    def test_a_restriction_is_told_from_a_sensor_that_reads_low(self):
        kpa = 100 + 80 * (T > 15)
        mg = np.array([expected_air_mg(p, 2.2, 4, 30, 0.85) for p in kpa])
        low, starved = (
            expected_over(Signal(T, x), Signal(T, kpa), 2.2, 4, RECORDED, AIR)
            for x in (0.7 * mg, np.where(kpa > 120, 0.7 * mg, mg))
        )
        self.assertNotIn("restriction", low.judgement.because)
        self.assertIn("restriction", starved.judgement.because)
        self.assertAlmostEqual(starved.manifold_kpa, 180)

    def test_a_flap_that_goes_over_once_has_lost_its_spring(self):
        rpm = np.where(T % 10 < 5, 800.0, 2400.0)
        self.assertEqual(
            judge_bypass(Signal(T, np.where(T < 5, 2.0, 96.0)), Signal(T, rpm), RECORDED).cls, "no_return"
        )
        self.assertEqual(
            judge_bypass(
                Signal(T, np.where(rpm > 1500, 96.0, 2.0)), Signal(T, rpm), RECORDED, open_at_idle=True
            ).cls,
            "no_return",
        )
        self.assertIsNone(bypass_stands(Signal(T, rpm), Signal(T, np.full(len(T), 800.0)), RECORDED))

    def test_a_rev_test_is_timed_and_a_drive_is_none(self):
        speed = Signal(T, np.clip(800 + 500 * T, 800, 4200))
        self.assertAlmostEqual(rev_test(speed, RECORDED).seconds, 3.0, delta=0.02)
        self.assertIsNone(rev_test(speed, RECORDED, Signal(T, np.full(len(T), 60.0))))
        hangs = Signal(
            T, np.clip(np.where(T < 3, 800 + 450 * T, np.where(T < 5, 2150, 2150 + 450 * (T - 5))), 800, 4200)
        )
        self.assertAlmostEqual(rev_test(hangs, RECORDED).plateau_s, 2.0, delta=0.25)

    def test_two_pressures_that_part(self):
        p = 10 + 8 * np.sin(T / 2)
        self.assertEqual(judge_alike(Signal(T, p), Signal(T, 0.8 * p), RECORDED).cls, "alike")
        self.assertEqual(
            judge_alike(Signal(T, p), Signal(T, np.full(len(T), 9.0)), RECORDED, ("before", "after")).cls,
            "creeps",
        )
        self.assertEqual(judge_alike(Signal(T, 0 * p), Signal(T, 0 * p), RECORDED).verdict, "unclear")


class FromTheRig(unittest.TestCase):
    def test_every_fault_of_the_air_path_is_told_and_a_healthy_one_is_not_accused(self):
        for kind, fault in everything():
            if kind.startswith("drive"):
                continue
            with self.subTest(kind=kind, fault=fault):
                right, unclear, said = judged(kind, fault, 12, first=700)
                self.assertGreaterEqual(right, 11, said)

    def test_a_fault_nobody_knows_is_refused(self):
        with self.assertRaises(ValueError):
            KINDS["pull"][1](1, "rust")


if __name__ == "__main__":
    unittest.main()
