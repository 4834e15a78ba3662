"""Edges of the air path: at hand, and from recordings of known shape."""

import unittest

import numpy as np

from frosty_piston.core.actuators import (
    ActuatorLimits,
    DriveReport,
    analyse_drive,
    judge_drive,
    judge_position,
)
from frosty_piston.core.air import (
    AirLimits,
    barometer_kpa,
    expected_air_mg,
    judge_air_mass,
    judge_boost_leak,
    judge_egr_air,
    judge_egr_rest,
    judge_key_on,
    judge_swirl,
    leak_down_kpa,
)
from frosty_piston.core.air_recorded import (
    RecordedLimits,
    air_change,
    bypass_stands,
    expected_over,
    judge_alike,
    judge_bypass,
    rev_test,
)
from frosty_piston.core.boost import BoostLimits, BoostReport, analyse_boost, boost_table, judge_boost
from frosty_piston.core.limits import Limit
from frosty_piston.core.traces import Signal
from frosty_piston.knowledge.figures import general
from tests.edges import Edges

AIR, RECORDED, BOOST, DRIVE = (general(c) for c in (AirLimits, RecordedLimits, BoostLimits, ActuatorLimits))
SHUT = Limit(5, "percent")


class AtHand(Edges, unittest.TestCase):
    def test_air_by_hand(self):
        # 0.5 filled, 100 kPa, 2 l in four at 15 degrees: 0.5*100*2/(287*288.15*4)*1e6
        self.assertAlmostEqual(expected_air_mg(100, 2, 4, 15, 0.5), 302.3, delta=0.05)
        self.assertAlmostEqual(barometer_kpa(0), 101.3)
        self.assertAlmostEqual(barometer_kpa(1000), 89.86, delta=0.02)
        self.assertAlmostEqual(barometer_kpa(3000), 70.10, delta=0.05)
        self.assertEqual((AIR.filling_share, AIR.intake_c, AIR.underbonnet_c), (0.85, 30, 15))

    def test_key_on(self):
        def of(name, **kpa):
            return judge_key_on(kpa, AIR)[name]

        self.held(
            lambda v: of("differential", differential=v),
            ((1.0, "agree"), (-1.0, "agree"), (1.1, "differential_off"), (-1.1, "differential_off")),
        )
        self.held(
            lambda v: of("manifold", manifold=v, barometer=100.0, exhaust=100.0),
            ((102.0, "agree"), (102.1, "manifold_odd"), (97.9, "manifold_odd")),
        )
        self.held(
            lambda v: of("manifold", manifold=v, barometer=100.0), ((102.0, "agree"), (102.1, "disagree"))
        )
        self.assertEqual(of("manifold", manifold=100.0).cls, "unclear")
        # where the others do not agree among themselves nobody is named
        self.assertEqual(of("manifold", manifold=110.0, barometer=100.0, exhaust=102.0).cls, "manifold_odd")
        self.assertEqual(of("manifold", manifold=110.0, barometer=100.0, exhaust=102.1).cls, "agree")
        self.assertEqual(of("intake", intake=110.0, barometer=100.0, exhaust=100.0).cls, "disagree")

    def test_air_mass(self):
        self.held(
            lambda mg: judge_air_mass(mg, 512.0, AIR),
            ((462, "fits"), (460, "reads_low"), (563, "fits"), (564, "reads_high")),
        )
        self.assertAlmostEqual(judge_air_mass(512, 512.0, AIR).uncertainty, 51.2)
        self.assertEqual([judge_air_mass(9, x, AIR).verdict for x in (0.0, -1.0)], ["implausible"] * 2)

    def test_egr_at_rest(self):
        self.held(
            lambda p: judge_egr_rest(p, AIR),
            ((5.0, "closed"), (5.1, "does_not_close"), (20.0, "does_not_close"), (20.1, "far_open")),
        )

    def test_egr_air(self):
        # a tenth less than 500 is 450; under eight tenths of 640 is under 512
        self.held(
            lambda shut, opened, expected=None: judge_egr_air(shut, opened, AIR, expected),
            (
                (500.0, 450.0, "flows"),
                (500.0, 451.0, "no_change"),
                (512.0, 500.0, 640.0, "no_change"),
                (511.0, 500.0, 640.0, "low_when_shut"),
                (511.0, 400.0, 640.0, "flows"),
                (0.0, 0.0, "implausible"),
            ),
        )

    def test_swirl(self):
        self.held(
            lambda a, b: judge_swirl(a, b, AIR),
            (
                (4.0, 3.0, "same"),
                (4.0, 2.99, "better_released"),
                (0.0, 3.0, "implausible"),
                (4.0, 0.0, "implausible"),
            ),
        )

    def test_boost_leak(self):
        # after a minute four fifths are left: 80 of 100 kPa; after two minutes 64
        self.held(
            lambda start, end, s=60.0: judge_boost_leak(start, end, s, AIR),
            (
                (100.0, 80.1, "tight"),
                (100.0, 79.9, "leaks"),
                (100.0, 64.1, 120.0, "tight"),
                (100.0, 63.9, 120.0, "leaks"),
                (100.0, 100.0, "tight"),
                (100.0, 100.1, "implausible"),
                (100.0, 90.0, 0.0, "implausible"),
                (1.0, 0.9, "leaks"),
                (1.1, 1.1, "tight"),
            ),
        )
        self.assertAlmostEqual(leak_down_kpa(100, 50, 10, 20), 25)
        self.assertAlmostEqual(leak_down_kpa(100, 0, 10, 10), 1)


T = np.arange(0, 40, 0.1)


def change(valve, mg=None, speed=None):
    mg = np.where(valve > 15, 300.0, 500.0) if mg is None else mg
    return air_change(Signal(T, valve), Signal(T, mg), RECORDED, speed)


class Recorded(Edges, unittest.TestCase):
    def test_shut_and_open(self):
        def seen(shut, opened):
            return change(np.where(T % 20 < 10, shut, opened)) is not None

        self.held(seen, ((4.9, 31.0, True), (5.1, 31.0, False), (4.9, 29.9, False), (4.9, 30.1, True)))

    def test_one_speed_and_steady(self):
        valve = np.where(T % 20 < 10, 0.0, 60.0)
        mg = np.where(valve > 5, 300.0, 500.0)
        off = np.where(T < 10, 2000.0 * 1.05, 2000.0)
        self.assertIsNotNone(change(valve, mg, Signal(T, off)))
        # shut only while the speed is 7 % off the middle, so that nothing shut is left
        alone = np.where(T < 10, 2000.0 * 1.07, 2000.0)
        self.assertIsNone(change(np.where(T < 10, 0.0, 60.0), mg, Signal(T, alone)))
        # what follows a move within 0.8 s is left out: a false figure there moves nothing
        moved = (T % 10) < 0.75
        self.assertEqual(change(valve, np.where(moved & (T > 1), 900.0, mg)).open_mg, 300.0)
        self.assertEqual((RECORDED.steady_s, RECORDED.moved_percent), (0.8, 2))
        creeping = np.where(T < 20, 0.19 * (T * 10 % 10), 60.0)
        self.assertIsNotNone(change(creeping, np.where(creeping > 15, 300.0, 500.0)))

    def test_over_the_load(self):
        kpa = np.where(T < 20, 100.0, 160.0)
        want = np.array([expected_air_mg(p, 2.0, 4, 30, 0.85) for p in kpa])

        def at(low, high, top=160.0):
            p = np.where(T < 20, 100.0, top)
            need = np.array([expected_air_mg(x, 2.0, 4, 30, 0.85) for x in p])
            air = Signal(T, need * np.where(T < 20, low, high))
            return expected_over(air, Signal(T, p), 2.0, 4, RECORDED, AIR).judgement

        self.assertIn("a restriction", at(1.0, 0.89).because)
        self.assertNotIn("a restriction", at(1.0, 0.91).because)
        self.assertNotIn("a restriction", at(0.89, 0.7).because)
        self.assertIn("a restriction", at(0.91, 0.7).because)
        self.assertNotIn("a restriction", at(1.0, 0.7, 130.0).because)
        self.assertIn("a restriction", at(1.0, 0.7, 130.1).because)
        open_valve = Signal(T, np.full(len(T), 5.1))
        over = expected_over(Signal(T, want), Signal(T, kpa), 2.0, 4, RECORDED, AIR, position=open_valve)
        self.assertEqual(over.judgement.verdict, "unclear")
        nearly = Signal(T, np.full(len(T), 4.9))
        over = expected_over(Signal(T, want), Signal(T, kpa), 2.0, 4, RECORDED, AIR, position=nearly)
        self.assertEqual(over.judgement.cls, "fits")

    def test_bypass(self):
        def stands(idle_rpm, work_rpm):
            rpm = np.where(T % 20 < 10, idle_rpm, work_rpm)
            return (
                bypass_stands(Signal(T, np.where(rpm > 1500, 90.0, 10.0)), Signal(T, rpm), RECORDED)
                is not None
            )

        self.held(stands, ((1099, 1801, True), (1100, 1801, False), (1099, 1800, False)))

        def judged(idle, work, open_at_idle=None, last=None):
            rpm = np.where(T % 20 < 10, 800.0, 2400.0)
            flap = np.where(rpm > 1500, work, idle).astype(float)
            if last is not None:
                flap[(T >= 20) & (rpm < 1000)] = last
            return judge_bypass(Signal(T, flap), Signal(T, rpm), RECORDED, open_at_idle)

        self.held(
            judged,
            (
                (0.0, 100.0, "follows"),
                (0.0, 9.9, "stuck"),
                (0.0, 10.1, "no_return"),
                (0.0, 30.0, "follows"),
                (0.0, 29.9, "no_return"),
                (0.0, 100.0, True, "no_return"),
                (100.0, 0.0, True, "follows"),
                (0.0, 100.0, None, 30.0, "no_return"),
                (0.0, 100.0, None, 29.0, "follows"),
            ),
        )

    def test_rev_test(self):
        t = np.arange(0, 20, 0.05)

        def run(rpm, road=None):
            return rev_test(
                Signal(t, rpm), RECORDED, Signal(t, np.full(len(t), road)) if road is not None else None
            )

        climb = np.clip(1000 + 500 * t, 1000, 3500)
        self.assertAlmostEqual(run(climb).seconds, 3.0, places=6)
        self.assertIsNone(run(np.clip(1510 + 500 * t, 0, 3500)))
        self.assertIsNone(run(np.clip(1000 + 500 * t, 1000, 2990)))
        self.assertIsNotNone(run(climb, 3.0))
        self.assertIsNone(run(climb, 3.1))

        def hangs(rate):
            # half way up it crawls for two seconds; the whole takes 4.3 s, a fifth of that is 70 a second
            speed = np.interp(t, [0, 2, 4, 6, 99], [1000, 2000, 2000 + 2 * rate, 3500, 3500])
            return run(speed).plateau_s

        self.assertAlmostEqual(hangs(65.0), 2.0, delta=0.1)
        self.assertEqual(hangs(76.0), 0.0)

    def test_two_pressures(self):
        p = 10 + 8 * np.sin(T / 3)

        def beside(share, late=0.0, size=8.0):
            first = 10 + size * np.sin(T / 3)
            second = 10 + share * size * np.sin((T - late) / 3)
            return judge_alike(Signal(T, first), Signal(T, second), RECORDED)

        self.held(
            beside,
            (
                (0.36, "alike"),
                (0.34, "creeps"),
                (1.0, 0.0, 1.01, "alike"),
                (1.0, 0.0, 0.99, "unclear"),
                (1.0, 3.9, "alike"),
                (1.0, 4.2, "creeps"),
            ),
        )
        self.assertIn(
            "before", judge_alike(Signal(T, p), Signal(T, 0.1 * p), RECORDED, ("before", "after")).because
        )


def pulls(**changed):
    """A report of one pull of 100 kPa that came as asked."""
    usual = dict(
        pulls=1,
        asked_kpa=100.0,
        shortfall_kpa=0.0,
        u_kpa=1.0,
        to_90_s=1.0,
        overshoot_kpa=0.0,
        over_s=0.0,
        hunting_kpa=0.0,
        period_s=0.0,
        vane_at_limit=None,
        vane_follows=None,
    )
    return BoostReport(**usual | changed)


class Boost(Edges, unittest.TestCase):
    def test_classes(self):
        # short over 12 % and 10 kPa, over by 15 % and 15 kPa for half a second, hunting from 8 kPa
        def judged(**changed):
            return judge_boost(pulls(**changed), BOOST).cls

        for changed, wanted in (
            ({"shortfall_kpa": 13.0}, "reaches"),
            ({"shortfall_kpa": 13.1}, "short"),
            ({"shortfall_kpa": 11.0, "asked_kpa": 50.0}, "reaches"),
            ({"shortfall_kpa": 11.1, "asked_kpa": 50.0}, "short"),
            ({"overshoot_kpa": 15.0, "over_s": 1.0}, "reaches"),
            ({"overshoot_kpa": 15.1, "over_s": 1.0}, "over"),
            ({"overshoot_kpa": 29.9, "over_s": 1.0, "asked_kpa": 200.0}, "reaches"),
            ({"overshoot_kpa": 30.1, "over_s": 1.0, "asked_kpa": 200.0}, "over"),
            ({"overshoot_kpa": 40.0, "over_s": 0.5}, "over"),
            ({"overshoot_kpa": 40.0, "over_s": 0.49}, "reaches"),
            ({"hunting_kpa": 8.0, "period_s": 1.0}, "hunts"),
            ({"hunting_kpa": 7.9, "period_s": 1.0}, "reaches"),
            ({"hunting_kpa": 8.0, "period_s": 1.0, "overshoot_kpa": 40.0, "over_s": 1.0}, "hunts"),
            ({"hunting_kpa": 8.0, "period_s": 1.0, "overshoot_kpa": 40.0, "over_s": 1.1}, "over"),
        ):
            with self.subTest(changed):
                self.assertEqual(judged(**changed), wanted)

    def test_what_is_a_pull(self):
        def found(kpa, seconds):
            t = np.arange(0, 20, 0.1)
            asked = np.where((t >= 5) & (t < 5 + seconds), 100 + kpa, 100.0)
            return analyse_boost(Signal(t, asked), Signal(t, asked), BOOST) is not None

        self.held(found, ((20.0, 5.0, True), (19.9, 5.0, False), (50.0, 2.2, True), (50.0, 1.9, False)))

    def test_vanes(self):
        t = np.arange(0, 20, 0.1)
        asked = np.where((t >= 5) & (t < 15), 180.0, 100.0)
        got = Signal(t, 100 + 0.6 * (asked - 100))

        def seen(told, does):
            command = np.where((t >= 5) & (t < 15), told, 20.0)
            command[-3:] = 100.0
            return analyse_boost(Signal(t, asked), got, BOOST, Signal(t, command), Signal(t, command - does))

        self.assertTrue(seen(92.0, 0.0).vane_at_limit)
        self.assertFalse(seen(91.9, 0.0).vane_at_limit)
        self.assertTrue(seen(95.0, 10.0).vane_follows)
        self.assertFalse(seen(95.0, 10.1).vane_follows)
        rows = boost_table(seen(95.0, 0.0), BOOST)
        self.assertEqual([r.does for r in rows if r.here], ["follow"])
        self.assertEqual([r.does for r in boost_table(seen(95.0, 30.0), BOOST) if r.here], ["do not follow"])
        self.assertEqual([r for r in boost_table(seen(50.0, 0.0), BOOST) if r.here], [])

    def test_figures_of_a_pull(self):
        t = np.arange(0, 20, 0.05)
        asked = np.where((t >= 5) & (t < 15), 200.0, 100.0)
        rises = 100 + 100 * np.clip((t - 5) / 2, 0, 1) * ((t >= 5) & (t < 15))
        report = analyse_boost(Signal(t, asked), Signal(t, rises), BOOST)
        # nine tenths of it after nine tenths of two seconds
        self.assertAlmostEqual(report.to_90_s, 1.8, delta=0.06)
        late = analyse_boost(
            Signal(t, asked), Signal(t, np.where(t < 15, 100 + 0.89 * (asked - 100), 100)), BOOST
        )
        self.assertIsNone(late.to_90_s)
        # asked slowly, it is as late as it stands behind what is asked
        slowly = np.interp(t, [0, 5, 13, 19, 19.1, 20], [100, 100, 200, 200, 100, 100])
        behind = np.interp(t - 0.4, t, slowly)
        report_slow = analyse_boost(Signal(t, slowly), Signal(t, behind), BOOST)
        self.assertAlmostEqual(report_slow.to_90_s, 0.4, delta=0.06)
        # settled after two seconds: what is missing before does not count
        self.assertAlmostEqual(report.shortfall_kpa, 0.0, places=6)
        swings = asked + np.where((t >= 5) & (t < 15), 20 * np.sin(2 * np.pi * t), 0)
        report = analyse_boost(Signal(t, asked), Signal(t, swings), BOOST)
        self.assertAlmostEqual(report.period_s, 1.0, delta=0.05)
        self.assertAlmostEqual(report.hunting_kpa, 20, delta=1.0)


def drive(**changed):
    usual = dict(
        closed_offset=0.0,
        reach=(0.0, 100.0),
        delay_s=0.0,
        tau_s=0.1,
        tau_u_s=0.05,
        hysteresis=0.0,
        dead_spots=(),
        stalls=0.0,
        stall_size=0.0,
        noise=0.0,
        steady_error=0.0,
        loose=0.0,
        scaled=False,
    )
    return DriveReport(**usual | changed)


class Drives(Edges, unittest.TestCase):
    def test_classes(self):
        def judged(kind="motor", **changed):
            return judge_drive(drive(**changed), DRIVE, SHUT, kind).cls

        for changed, wanted in (
            ({"loose": 5.0}, "loose"),
            ({"loose": 4.9}, "follows"),
            ({"stalls": 3.0}, "sticks"),
            ({"stalls": 2.9}, "follows"),
            ({"dead_spots": ((40.0, 50.0),)}, "dead_spot"),
            ({"closed_offset": 5.0}, "follows"),
            ({"closed_offset": 5.1}, "does_not_close"),
            ({"closed_offset": 7.0, "noise": 1.0}, "follows"),
            ({"closed_offset": 7.1, "noise": 1.0}, "does_not_close"),
            ({"closed_offset": 9.0, "scaled": True}, "follows"),
            ({"closed_offset": 9.1, "scaled": True}, "does_not_close"),
            ({"closed_offset": None}, "follows"),
            ({"tau_s": 0.35}, "follows"),
            ({"tau_s": 0.36}, "slow"),
            ({"tau_s": 0.5, "tau_u_s": 0.21}, "unclear"),
            ({"tau_s": 0.3, "tau_u_s": 0.5}, "follows"),
            ({"tau_s": 0.31, "tau_u_s": 0.28}, "follows"),
            ({"tau_s": 0.31, "tau_u_s": 0.3}, "unclear"),
            ({"kind": "vacuum", "tau_s": 1.04}, "follows"),
            ({"kind": "vacuum", "tau_s": 1.06}, "slow"),
            ({"tau_s": None, "tau_u_s": None, "reach": (10.0, 14.9)}, "stuck"),
            ({"tau_s": None, "tau_u_s": None, "reach": (10.0, 15.0)}, "unclear"),
        ):
            with self.subTest(changed):
                self.assertEqual(judged(**changed), wanted)

    def test_position_alone(self):
        def says(low, high, closed=5.0):
            return judge_position(
                Signal(T, np.linspace(low, high, len(T))), DRIVE, Limit(closed, "percent")
            ).because

        self.assertIn("throughout", says(20.0, 24.9))
        self.assertIn("goes from", says(20.0, 26.0))
        self.assertIn("comes to rest shut", says(0.0, 60.0))
        self.assertIn("never stands shut", says(6.0, 60.0))
        self.assertIn("comes to rest shut", says(6.0, 60.0, 10.0))

    def sweep(self, actual, top=100.0):
        t = np.arange(0, 60, 0.05)
        c = np.interp(t, [0, 5, 28, 32, 55, 60], [0, 0, top, top, 0, 0])
        return analyse_drive(Signal(t, c), Signal(t, actual(c)), DRIVE)

    def test_what_is_told_from_a_sweep(self):
        self.assertIsNone(self.sweep(lambda c: c, top=29.0).tau_s)
        self.assertIsNotNone(self.sweep(lambda c: c, top=31.0).tau_s)
        self.assertIsNone(self.sweep(lambda c: 0.049 * c).tau_s)
        self.assertIsNotNone(self.sweep(lambda c: 0.06 * c).tau_s)

        def spots(width):
            return self.sweep(lambda c: np.where((c > 50) & (c < 50 + width), 50.0, c)).dead_spots

        self.assertEqual(spots(2.0), ())
        self.assertEqual(len(spots(9.0)), 1)

        # where it moves at a third of its usual pace it does not stand, at a sixth it does
        def slower(share):
            def moves(c):
                beyond = np.where(c < 60, 40 + share * (c - 40), c - 20 * (1 - share))
                return np.where(c > 40, beyond, c)

            return moves

        self.assertEqual(self.sweep(slower(0.4)).dead_spots, ())
        self.assertEqual(len(self.sweep(slower(0.1)).dead_spots), 1)
        # at its end stop it may stand
        self.assertEqual(self.sweep(lambda c: np.minimum(c, 90.0)).dead_spots, ())

    def test_rest_at_no_command(self):
        t = np.arange(0, 60, 0.05)

        def rests(command):
            c = np.interp(t, [0, 5, 28, 32, 55, 60], [command, command, 100, 100, command, command])
            return analyse_drive(Signal(t, c), Signal(t, np.maximum(c, 8.0)), DRIVE).closed_offset

        self.assertAlmostEqual(rests(2.0), 8.0)
        self.assertIsNone(rests(2.1))
