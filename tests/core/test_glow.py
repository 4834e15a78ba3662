"""Glow plugs against worked examples."""

import unittest

from frosty_piston.core.glow import (
    GlowLimits,
    Meter,
    PlugReading,
    corrected,
    harness_or_plug,
    judge_set,
    reference,
)
from frosty_piston.core.glow_methods import judge_bench_heat, judge_lamp, judge_plug_current, working_plugs
from frosty_piston.core.plugs import heat_share, plug_power_w, resistance_at_share
from frosty_piston.knowledge.figures import general

LIMITS = general(GlowLimits)
ROD = LIMITS.kind("rod_12v")

GOOD = Meter(0.8, 3, 0.01, 0.2)


def classes(shown, meter=GOOD, glow="rod_12v", nominal=0.8, **more):
    return [
        j.judgement.cls
        for j in judge_set(
            [PlugReading(i + 1, v) for i, v in enumerate(shown)], meter, glow, LIMITS, nominal, **more
        )
    ]


class Resistance(unittest.TestCase):
    def test_lead_zero_and_meter_accuracy(self):
        # shown 1.00: 0.8 % is 0.008, 3 digits 0.03, so 0.038; leads 0.2: 0.0316; together 0.0494
        got = GOOD.measured(1.0, 0.3)
        self.assertAlmostEqual(got.value, 0.8)
        self.assertAlmostEqual(got.u, 0.0494, places=4)

    def test_temperature_is_taken_back_to_20_c(self):
        # 1.12 Ω at 60 C: 1.12 / (1 + 0.005*40) = 0.9333
        self.assertAlmostEqual(corrected(PlugReading(1, 1.32, 60.0), GOOD, LIMITS).value, 0.9333, places=4)

    def test_power_by_hand(self):
        # 11.5 V over 0.84 Ω is 13.69 A; squared times 0.8 is 149.9 W. Over 12.04 Ω: 0.955 A, 10.95 W
        self.assertAlmostEqual(plug_power_w(0.8, 11.5, 0.04), 149.9, places=1)
        self.assertAlmostEqual(plug_power_w(12, 11.5, 0.04), 10.9, places=1)

    def test_the_limits_give_back_their_shares(self):
        for share in (0.5, 0.8, 0.95):
            self.assertAlmostEqual(heat_share(resistance_at_share(share, 0.8, 0.04), 0.8, 0.04), share)

    def test_each_class(self):
        self.assertEqual(classes([1.0, None, 3.0, 1.45, 0.2]), ["sound", "open", "high", "weak", "short"])

    def test_a_kilohm_is_open(self):
        self.assertEqual(classes([1200.0]), ["open"])

    def test_a_reading_under_the_leads_is_implausible(self):
        judged = judge_set([PlugReading(1, 0.05)], GOOD, "rod_12v", LIMITS, 0.8)[0].judgement
        self.assertEqual((judged.verdict, judged.cls), ("implausible", "implausible"))
        self.assertIn("leads", judged.because)

    def test_a_reading_at_the_limit_is_unclear_and_names_the_way_out(self):
        judged = judge_set([PlugReading(1, 1.22)], GOOD, "rod_12v", LIMITS, 0.8)[0].judgement
        self.assertEqual(judged.verdict, "unclear")
        self.assertIn("clamp", judged.because)

    def test_unzeroed_leads_can_only_read_too_high(self):
        loose = Meter(0.8, 3, 0.01, None)
        self.assertEqual(classes([0.9], loose), ["sound"])
        self.assertEqual(classes([1.2], loose), ["unclear"])

    def test_joined_wires_are_seen_and_a_healthy_set_is_not(self):
        self.assertEqual(classes([0.4, 0.41, 0.4, 0.4]), ["bridged"] * 4)
        self.assertEqual(classes([1.0, 1.01, 1.0, 0.99]), ["sound"] * 4)
        self.assertNotIn("bridged", classes([0.4, 0.41, 0.4, 0.4], wires_off=True))

    def test_a_plug_at_twice_its_set_is_suspect_inside_the_range(self):
        self.assertEqual(classes([0.75, 0.76, 0.75, 1.6], nominal=None)[3], "high")
        self.assertEqual(classes([0.4, 0.5, 0.45, 1.15], glow="fast_7v", nominal=0.9)[3], "weak")

    def test_reference_falls_back_from_card_to_set_to_kind(self):
        self.assertEqual(reference("rod_12v", 0.7, [1.0, 1.0], LIMITS).ohm, 0.7)
        self.assertEqual(reference("rod_12v", None, [0.8, 0.9, 12.0], LIMITS).ohm, 0.9)
        self.assertEqual(reference("rod_12v", None, [9.0, 12.0], LIMITS).ohm, 1.0)

    def test_heat_falls_as_resistance_grows(self):
        shares = [heat_share(r, 0.8, 0.04) for r in (0.8, 1.0, 1.5, 3, 12, 100)]
        self.assertEqual(shares, sorted(shares, reverse=True))

    def test_wire_or_plug(self):
        judged = judge_set([PlugReading(1, None), PlugReading(2, 1.0)], GOOD, "rod_12v", LIMITS, 0.8)
        bad, good = judged[0].judgement, judged[1].judgement
        self.assertEqual(
            [harness_or_plug(a, b) for a, b in ((bad, good), (bad, bad), (good, good))],
            ["wire", "plug", "none"],
        )


class OtherMethods(unittest.TestCase):
    ref = reference("rod_12v", 0.8, [], LIMITS)

    def test_a_small_lamp_passes_a_dead_plug_and_is_not_believed(self):
        judged = judge_lamp("lit", 2, self.ref, LIMITS)
        self.assertEqual((judged.verdict, judged.cls), ("unclear", "not_open"))
        self.assertIn("16.8", judged.because)

    def test_a_strong_lamp_tells(self):
        self.assertEqual(judge_lamp("lit", 21, self.ref, LIMITS).verdict, "sound")
        self.assertEqual(judge_lamp("dim", 21, self.ref, LIMITS).cls, "high")

    def test_a_lamp_too_strong_is_dim_on_a_healthy_plug(self):
        self.assertEqual(judge_lamp("dim", 55, self.ref, LIMITS).verdict, "unclear")

    def test_current_counts_the_working_plugs(self):
        # 22 A at 11 A each is two of four; 44 A is all of them; nothing is none
        self.assertEqual(working_plugs(22, 4, self.ref, LIMITS).cls, "open")
        self.assertEqual(working_plugs(44, 4, self.ref, LIMITS).verdict, "sound")
        self.assertEqual(working_plugs(0.0, 4, self.ref, LIMITS).cls, "all_open")

    def test_current_of_one_plug(self):
        self.assertEqual(
            [judge_plug_current(a, 10, self.ref, LIMITS).cls for a in (0.1, 3, 6, 11, 20)],
            ["open", "high", "weak", "sound", "short"],
        )
        self.assertEqual(judge_plug_current(20, 1, self.ref, LIMITS).cls, "sound")
        self.assertIn("no fall", judge_plug_current(20, 10, self.ref, LIMITS, inrush_a=20.5).because)

    def test_dead_in_place_but_glowing_on_the_bench_points_at_the_seat(self):
        self.assertIn("seat", judge_bench_heat("red_tip", 8, True, ROD).because)
        self.assertEqual(judge_bench_heat("red_elsewhere", None, False, ROD).verdict, "failed")
