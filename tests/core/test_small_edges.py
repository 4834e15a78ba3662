"""Small edges that no other row holds: nothing read at all, one sample, the words of a figure."""

import unittest

import numpy as np

from frosty_piston.core.actuators import upright
from frosty_piston.core.aftertreatment import DefLimits, FilterLimits, judge_concentration
from frosty_piston.core.air import AirLimits, barometer_kpa, exhaust_share, expected_air_mg, judge_egr_air
from frosty_piston.core.air_recorded import RecordedLimits, judge_alike
from frosty_piston.core.boost import BoostLimits, analyse_boost, judge_boost
from frosty_piston.core.codes import read_block
from frosty_piston.core.electrical import lamp_limit_ohm, lamp_share
from frosty_piston.core.filter_flow import exhaust_flow_m3h
from frosty_piston.core.injection import (
    InjectionLimits,
    judge_cutout,
    judge_injector_resistance,
    judge_misfires,
)
from frosty_piston.core.limits import Limit
from frosty_piston.core.nox import nox_mass_g_s
from frosty_piston.core.plug_life import life_scale
from frosty_piston.core.quantity import kelvin
from frosty_piston.core.relay import RelayLimits, RelayPoints, judge_on_time, judge_point
from frosty_piston.core.starting import compression_end_k
from frosty_piston.core.suspects.next_test import Belief, Test, propose, repair_groups, sure_enough
from frosty_piston.core.suspects.odds import conflicts
from frosty_piston.core.suspects.space import build_space
from frosty_piston.core.traces import Signal, without_stairs
from frosty_piston.core.vacuum import VacuumLimits, judge_hold
from frosty_piston.core.wires import copper_ohm_mm2_m, section_needed_mm2, wire_drop_v
from frosty_piston.core.wiring import judge_circuit_drop
from frosty_piston.knowledge.figures import general
from tests.edges import exact

AIR, RECORDED, BOOST, RELAY, VACUUM, INJECTION = (
    general(c) for c in (AirLimits, RecordedLimits, BoostLimits, RelayLimits, VacuumLimits, InjectionLimits)
)


class Edges(unittest.TestCase):
    def test_one_sample_has_no_step(self):
        self.assertEqual(Signal(np.array([1.0]), np.array([2.0])).step_s, 0.0)

    def test_sets_hold_one_to_three_faults(self):
        for most in (0, 4):
            with self.assertRaises(ValueError):
                build_space(("a", "b", "c", "d", "e"), most=most)

    def test_any_air_at_all_is_a_reading(self):
        self.assertEqual(judge_egr_air(0.0, 0.0, AIR).cls, "implausible")
        self.assertEqual(judge_egr_air(0.9, 0.5, AIR).cls, "flows")

    def test_a_second_is_long_enough_to_have_held(self):
        self.assertEqual(judge_hold(60.0, 60.0, 0.0, VACUUM).cls, "implausible")
        self.assertNotEqual(judge_hold(60.0, 59.0, 1.0, VACUUM).cls, "implausible")

    def test_an_actual_that_never_moves_stands_in_the_middle(self):
        c = np.linspace(0, 100, 50)
        self.assertEqual(set(upright(c, np.full(50, 2.4), False)), {50.0})
        self.assertAlmostEqual(float(upright(c, 2.4 + 0.0001 * np.sin(c), False).mean()), 50.0, delta=0.1)

    def test_volts_are_laid_onto_the_command_by_their_middle(self):
        c = np.linspace(0, 100, 201)
        volts = np.where(c <= 35, 0.5, 0.5 + c / 25)  # flat at the end that is not its middle
        middle = (c > 40) & (c < 90)
        np.testing.assert_allclose(upright(c, volts, False)[middle], c[middle], atol=0.01)

    def test_copper_is_warmer_under_the_bonnet(self):
        # 10 A through 4 m of 1.5 mm2 there and back: 0.933 V at 20 C; 65 K more are 25.5 % more
        for wire_c, drop in ((20.0, 0.9333), (85.0, 1.1718), (-20.0, 0.7866)):
            self.assertAlmostEqual(wire_drop_v(10, 4, 1.5, wire_c), drop, places=4)
            self.assertAlmostEqual(section_needed_mm2(10, 4, drop, wire_c), 1.5, places=3)

    def test_exhaust_in_the_charge_by_hand(self):
        # a tenth of exhaust at 373.15 K in air of 303.15 K makes 310.15 K: 500 mg weigh 488.7, 439.8 of it
        # air
        self.assertAlmostEqual(exhaust_share(500.0, 439.84, 30.0, 100.0), 0.1, places=3)
        self.assertEqual(exhaust_share(500.0, 500.0, 30.0, 100.0), 0.0)
        self.assertIn("32 % less air", judge_egr_air(533.0, 360.0, AIR).because)
        self.assertIn("about 28 % of the charge is exhaust", judge_egr_air(533.0, 360.0, AIR).because)

    def test_what_cannot_be_is_refused(self):
        for ask, least, most in (
            (kelvin, -273.14, None),
            (barometer_kpa, -5000.0, 11_000.0),
            (copper_ohm_mm2_m, -60.0, 200.0),
            (lambda c: expected_air_mg(100, 2.2, 4, c, 0.85), -273.14, None),
            (lambda c: exhaust_flow_m3h(50, 1.5, c, 104.3), -273.14, None),
            (lambda c: compression_end_k([20.0, c], 17, 200).min(), -273.14, None),
            (lambda ppm: nox_mass_g_s(ppm, 10), 0.0, None),
            (lambda flow: nox_mass_g_s(10, flow), 0.0, None),
        ):
            self.assertGreaterEqual(ask(least), 0)
            with self.assertRaises(ValueError):
                ask(least - 0.02)
            if most is not None:
                self.assertGreater(ask(most), 0)
                with self.assertRaises(ValueError):
                    ask(most + 0.02)

    def test_any_lamp_at_all_can_be_asked_for(self):
        for rated in (0.0, -1.0):
            for ask in (lambda w: lamp_share(w, 1.0), lambda w: lamp_limit_ohm(w, 0.7)):
                with self.assertRaises(ValueError):
                    ask(rated)
        self.assertGreater(lamp_limit_ohm(0.5, 0.7), lamp_limit_ohm(2.0, 0.7))
        self.assertGreater(lamp_share(0.5, 15.0), lamp_share(2.0, 15.0))
        self.assertGreater(lamp_share(2.0, 0.5, rated_v=0.9), 0.0)
        self.assertGreater(lamp_limit_ohm(0.5, 0.7, rated_v=0.9), 0.0)

    def test_a_line_that_holds_no_code_is_shown_by_its_first_hundred_and_twenty_signs(self):
        self.assertEqual([len(x) for x in read_block("x" * 200).not_understood], [120])

    def test_one_plug_is_a_set_of_one(self):
        self.assertGreater(life_scale(100_000.0, 0, 1, 3.0), life_scale(100_000.0, 1, 1, 3.0))
        with self.assertRaises(ValueError):
            life_scale(100_000.0, 0, 0, 3.0)

    def test_one_revolution_is_a_count(self):
        self.assertEqual(judge_misfires(0, 1.0, INJECTION).cls, "quiet")
        self.assertEqual(judge_misfires(0, 0.0, INJECTION).cls, "implausible")

    def test_a_fast_signal_is_whole_until_a_second_is_missing(self):
        self.assertEqual(Signal(np.arange(0, 1, 0.01), np.zeros(100)).longest_step_s, 1.0)
        self.assertAlmostEqual(Signal(np.arange(0, 50, 0.5), np.zeros(100)).longest_step_s, 4.0)

    def test_two_faults_of_one_repair_are_one_group(self):
        space = build_space(("a", "b", "c"), most=2)
        groups, repairs = repair_groups(space, ("plugs", "plugs", "relay"))
        self.assertEqual(sorted(repairs), [(), ("plugs",), ("plugs", "relay"), ("relay",)])
        both = next(i for i, held in enumerate(space.held.tolist()) if held[:2] == [0, 1])
        self.assertEqual(repairs[int(groups[both])], ("plugs",))

    def test_a_test_that_takes_nothing_is_counted_as_a_tenth_of_a_minute(self):
        belief = Belief(np.array([0.5, 0.5]), np.array([0, 1]), np.array([60.0, 60.0]))
        free = Test("free", np.array([[0.95, 0.05], [0.05, 0.95]]), 0.0)
        (proposal,) = propose(belief, [free], {})
        self.assertAlmostEqual(proposal.rate, proposal.bits / 0.1)
        none = sure_enough(belief, [])
        self.assertEqual((none.enough, none.saves_min, none.price_min), (True, 0.0, 0.0))

    def test_what_is_asked_for_anyway_is_no_reason_to_stop(self):
        belief = Belief(np.array([0.9, 0.1]), np.array([0, 1]), np.array([60.0, 60.0]))
        table = np.array([[0.95, 0.05], [0.05, 0.95]])
        for anyway, enough in ((0.0, True), (0.9, False)):
            ranked = propose(belief, [Test("proof", table, 20.0, anyway=anyway)], {})
            self.assertEqual(sure_enough(belief, ranked).enough, enough, anyway)
            self.assertAlmostEqual(ranked[0].price_min, 20.0 * (1 - anyway))

    def test_the_figures_that_the_shelf_lists(self):
        # loss in the contacts, a refractometer by degree, the flutter of an idle, flows that count as one
        self.assertEqual(
            (
                float(RELAY.contact_drop_v),
                float(general(DefLimits).percent_per_c),
                float(INJECTION.cut_noise_rpm),
                float(general(FilterLimits).flow_alike_share),
            ),
            (0.5, 0.09, 3.0, 0.1),
        )

    def test_a_warm_refractometer_is_taken_to_twenty_degrees(self):
        # 31.4 % read at 30 degrees is 32.3 %
        judged = judge_concentration(31.4, general(DefLimits), 30.0)
        self.assertEqual((judged.cls, judged.value), ("in_range", 32.3))

    def test_an_idle_flutters_by_three_turns(self):
        for most, cls in ((3.0, "unclear"), (3.1, "even")):
            self.assertEqual(judge_cutout([most] * 4, INJECTION)[0].cls, cls, most)

    def test_two_cylinders_are_no_set(self):
        self.assertEqual({j.cls for j in judge_cutout([60.0, 2.0], INJECTION)}, {"unclear"})
        self.assertIn("60 rpm drop. Cut at least three", judge_cutout([60.0], INJECTION)[0].because)

    def test_a_small_current_tells_the_ohms_too(self):
        self.assertIn("at 0.5 A, that is 1.8 Ω", judge_circuit_drop(0.9, 0.5, Limit(0.2, "V")).because)
        for none in (0.0, None):
            self.assertNotIn("Ω", judge_circuit_drop(0.9, none, Limit(0.2, "V")).because)

    def test_two_that_exclude_each_other_reach_less_than_eight_percent(self):
        for share, at_odds in ((0.09, []), (0.07, [(0, 1)])):
            rows = np.log([[1.0, share], [share, 1.0]])
            self.assertEqual(conflicts(rows), at_odds, share)

    def test_stairs_of_two_samples_are_stairs(self):
        t = np.arange(0, 20, 0.1)
        stairs = Signal(t, np.floor(t / 0.2 + 1e-9) ** 1.5)
        self.assertLess(len(without_stairs(stairs)), 0.7 * len(t))
        self.assertEqual(len(without_stairs(Signal(t, t**1.5))), len(t))


class Words(unittest.TestCase):
    def test_how_far_and_how_late_the_second_pressure_moves(self):
        t = np.arange(0, 60, 0.1)
        p = 10 + 8 * np.sin(t / 3)
        says = judge_alike(Signal(t, p), Signal(t, 0.3445 * p), RECORDED).because
        self.assertIn("moves only 34 % as far", says)
        t = np.arange(0, 60, 0.07)
        p = 10 + 8 * np.sin(t / 3)
        late = np.interp(t - 75 * 0.07, t, p, left=10)
        self.assertIn("comes 5.3 s after", judge_alike(Signal(t, p), Signal(t, late), RECORDED).because)

    def test_the_share_of_the_air(self):
        self.assertIn("42 % less air", judge_egr_air(500.0, 288.0, AIR).because)

    def test_low_is_a_short_and_high_is_not(self):
        low, high = judge_injector_resistance([0.05, 0.4, 0.4, 9.0], [0.01] * 4, "rail_solenoid", INJECTION)[
            0::3
        ]
        self.assertIn("a short in the coil", low.because)
        self.assertIn("worn terminal", high.because)

    def test_an_output_over_its_feed_loses_nothing(self):
        judged = judge_point(RelayPoints(12.4, 12.3, output=12.35, loaded=True), "output", RELAY)
        self.assertIn("0 V under the feed", judged.because)

    def test_how_far_a_glow_time_is_to_be_trusted(self):
        rows = (
            (5.0, None, "unclear", 1.0),
            (0.4, 0.0, "absent", 0.5),
        )
        for seconds, coolant, cls, u in rows:
            judged = judge_on_time(seconds, "rod_12v", coolant, "lamp", RELAY)
            self.assertEqual((judged.cls, judged.uncertainty), (cls, u))

    def test_hunting_says_how_far_and_how_often(self):
        self.assertIn("every 2.3 s", judge_boost(boost(2.33, 20), BOOST).because)

    def test_boost_hunts_from_five_turns(self):
        none = boost(2.0, 0)
        self.assertEqual((none.hunting_kpa, none.period_s), (0.0, 0.0))
        for turns, hunts in ((4, False), (5, True)):
            self.assertEqual(boost(2.0, turns).hunting_kpa > 0, hunts, turns)

    def test_how_long_to_wait_is_said_in_five_seconds(self):
        judged = judge_hold(60.0, 59.0, 5.0, exact(VACUUM, hold_s=32.0))
        self.assertEqual(judged.cls, "unclear")
        self.assertIn("35 s", judged.because)


def boost(period_s, turns):
    """A pull held for 30 s whose boost swings that often, so many half waves of it."""
    t = np.arange(0, 36, 0.05)
    asked = np.where(t > 3, 200.0, 100.0)
    since = t - 15
    swings = (since > 0) & (since < turns * period_s / 2)
    got = asked + np.where(swings, 15 * np.sin(2 * np.pi * since / period_s), 0.0)
    return analyse_boost(Signal(t, asked), Signal(t, got), BOOST)


if __name__ == "__main__":
    unittest.main()
