"""Edges of glow plugs: resistance, lamp, clamp, bench. Hand-worked from Ohm's law for a plug of 1 ohm without
a path, whose heat is 1/R: 80 % at 1.25 ohm, half at 2 ohm."""

import unittest

from frosty_piston.core.electrical import contact, lamp_light, lamp_limit_ohm, lamp_share
from frosty_piston.core.glow import (
    GlowLimits,
    Meter,
    PlugReading,
    Reference,
    corrected,
    harness_or_plug,
    judge_set,
    looks_bridged,
    reference,
)
from frosty_piston.core.glow_methods import judge_bench_heat, judge_lamp, judge_plug_current, working_plugs
from frosty_piston.core.plugs import at_20c, heat_share, plug_power_w, resistance_at_share
from frosty_piston.core.quantity import Judgement, Measured
from frosty_piston.knowledge.figures import general
from tests.edges import Edges, exact

LIMITS = general(GlowLimits)
SIMPLE = exact(LIMITS, path_ohm=0.0, short_ohm=0.125, weak_share=0.8, failed_share=0.5)
EXACT = Meter(0.0, 0.0, 0.01, 0.0)
ROD, FAST = LIMITS.kind("rod_12v"), LIMITS.kind("fast_7v")
ONE = reference("rod_12v", 1.0, [], LIMITS)


def plug(ohm, limits=SIMPLE, meter=EXACT, nominal=1.0, others=(), **more):
    plugs = [PlugReading(n + 1, v) for n, v in enumerate((ohm, *others))]
    return judge_set(plugs, meter, "rod_12v", limits, nominal, **more)[0].judgement


class Resistance(Edges, unittest.TestCase):
    def test_one_plug(self):
        self.held(
            plug,
            (
                (None, "open"),
                (1000.0, "high"),
                (1000.1, "open"),
                (2.1, "high"),
                (1.9, "weak"),
                (1.3, "weak"),
                (1.2, "sound"),
                (0.5, "sound"),
                (0.49, "unclear"),
                (0.124, "short"),
                (0.126, "unclear"),
            ),
        )
        # general: a short under 0.1 ohm; with a path of 0.04 ohm weak from 1.28 and failed from 2.09
        self.held(
            lambda ohm: plug(ohm, LIMITS),
            (
                (0.09, "short"),
                (0.11, "unclear"),
                (1.26, "sound"),
                (1.30, "weak"),
                (2.05, "weak"),
                (2.12, "high"),
            ),
        )

    def test_the_meter_decides_whether_it_can_tell(self):
        rough = Meter(0.0, 1.0, 0.125, 0.0)
        self.held(
            lambda ohm: plug(ohm, meter=rough),
            (
                (1.0, "sound"),
                (1.2, "unclear"),
                (1.3, "unclear"),
                (1.5, "weak"),
                (1.9, "unclear"),
                (2.25, "high"),
            ),
        )
        # what it cannot be all the same: rough reads 0.125 either way; short under 0.125, weak from 1.25
        for ohm, cannot_be in (
            (0.2, {"open", "weak", "high", "sound"}),
            (0.24, {"open", "weak", "high", "sound"}),
            (1.2, {"open", "short", "high"}),
            (1.9, {"open", "short"}),
            (1.0, set()),
        ):
            self.assertEqual(set(plug(ohm, meter=rough).not_these), cannot_be, ohm)
        self.assertEqual(plug(0.49).not_these, (), "another kind of plug, or wires still joined")
        # leads never zeroed may hold 0.3 ohm
        unzeroed = Meter(0.0, 0.0, 0.01, None)
        self.held(
            lambda ohm: plug(ohm, meter=unzeroed),
            ((1.24, "sound"), (1.26, "unclear"), (1.54, "unclear"), (1.56, "weak"), (1.9, "weak")),
        )
        self.assertIn("lead zero first", plug(1.3, meter=unzeroed).because)
        self.assertNotIn("lead zero first", plug(1.3, meter=rough).because)
        self.assertEqual(plug(0.1, meter=Meter(0, 0, 0.01, 0.2)).cls, "implausible")

    def test_under_the_range_of_its_kind(self):
        # without a nominal the range of the kind counts: 0.5 ohm for a rod plug
        self.held(lambda ohm: plug(ohm, nominal=None), ((0.51, "sound"), (0.49, "unclear")))
        # with one, half of it
        self.held(lambda ohm: plug(ohm, nominal=0.8), ((0.41, "sound"), (0.39, "unclear")))

    def test_apart_from_its_set(self):
        # a set in the middle of 0.5 ohm: over twice that stands apart
        others = (0.5, 0.5)
        self.held(lambda ohm: plug(ohm, others=others), ((0.99, "sound"), (1.01, "weak")))
        self.assertEqual(plug(1.01, others=(0.5,)).cls, "sound")

    def test_joined_plugs(self):
        def joined(ohm, count=3, nominal=1.0, spread=0.0):
            values = [Measured(ohm + n * spread, ohm + n * spread, ohm + n * spread) for n in range(count)]
            return looks_bridged(values, reference("rod_12v", nominal, [], LIMITS), LIMITS)

        self.held(
            joined,
            (
                (0.69, True),
                (0.71, False),
                (0.69, 2, False),
                (0.011, True),
                (0.01, False),
                (0.69, 3, 1.0, 0.001, False),
                (0.49, 3, None, True),
                (0.71, 3, None, False),
            ),
        )
        three = (0.3, 0.3)
        self.assertEqual(plug(0.3, others=three).cls, "bridged")
        self.assertEqual(plug(0.3, others=three, wires_off=True).cls, "unclear")
        self.assertEqual(plug(0.3, others=(0.3, None)).cls, "unclear")

    def test_what_a_healthy_plug_reads(self):
        for nominal, of_set, ohm in (
            (0.7, [1.0, 1.0], 0.7),
            (None, [0.5, 0.5], 0.5),
            (None, [0.49, 0.49], 1.0),
            (None, [1.5, 1.5], 1.5),
            (None, [1.51, 1.51], 1.0),
            (None, [0.8], 1.0),
        ):
            self.assertEqual(reference("rod_12v", nominal, of_set, LIMITS).ohm, ohm)
        for glow, ohm in (("fast_7v", 0.6), ("fast_5v", 0.375), ("ceramic", 0.55), ("unheard of", 1.0)):
            self.assertAlmostEqual(reference(glow, None, [], LIMITS).ohm, ohm)

    def test_heat_by_hand(self):
        # 12 V over 1 + 0.2 ohm is 10 A: 100 W in the plug
        self.assertAlmostEqual(plug_power_w(1.0, 12.0, 0.2), 100.0)
        self.assertEqual(plug_power_w(0.0, 12.0, 0.0), 0.0)
        self.assertAlmostEqual(heat_share(2.0, 1.0, 0.0), 0.5)
        self.assertAlmostEqual(resistance_at_share(0.5, 1.0, 0.0), 2.0)
        self.assertAlmostEqual(resistance_at_share(1.0, 1.0, 0.0), 1.0)
        for share in (0.0, 1.01, -0.1):
            with self.assertRaises(ValueError):
                resistance_at_share(share, 1.0, 0.0)
        for ohm, path in ((-0.1, 0.0), (1.0, -0.1)):
            with self.assertRaises(ValueError):
                plug_power_w(ohm, 12.0, path)

    def test_temperature(self):
        self.assertAlmostEqual(at_20c(1.1, 40), 1.0)
        self.assertAlmostEqual(at_20c(0.6, -60), 1.0)
        self.assertAlmostEqual(at_20c(1.65, 150), 1.0)
        for celsius in (-60.1, 150.1):
            with self.assertRaises(ValueError):
                at_20c(1.0, celsius)
        self.assertIsNone(corrected(PlugReading(1, 1000.1), EXACT, LIMITS))
        self.assertEqual(corrected(PlugReading(1, 1000.0), EXACT, LIMITS).value, 1000.0)

    def test_wire_or_plug(self):
        def at(verdict, ohm=None, u=0.05):
            return Judgement(verdict, "x" if ohm else "open", ohm, "ohm", u, "")

        self.held(
            lambda a, b: harness_or_plug(at(*a), at(*b)),
            (
                (("failed", 2.0), ("failed", 1.99), "plug"),
                (("failed", 2.07), ("failed", 2.0), "plug"),
                (("failed", 2.08), ("failed", 2.0), "both"),
                (("failed",), ("failed", 2.0), "both"),
                (("failed",), ("failed",), "plug"),
                (("sound", 0.7), ("failed",), "against"),
                (("sound", 0.7), ("failed", 2.0), "against"),
                (("sound", 1.45), ("marginal", 1.5), "plug"),
                (("failed", 2.0), ("failed",), "against"),
            ),
        )

        def alone(verdict):
            return Judgement(verdict, "x", None, None, None, "")

        self.held(
            lambda a, b: harness_or_plug(alone(a), alone(b)),
            (
                ("failed", "sound", "wire"),
                ("marginal", "sound", "wire"),
                ("sound", "marginal", "plug"),
                ("failed", "failed", "plug"),
                ("sound", "sound", "none"),
                ("unclear", "sound", "unclear"),
                ("failed", "unclear", "unclear"),
            ),
        )


class Lamp(Edges, unittest.TestCase):
    def test_brightness_by_hand(self):
        # a lamp of 12 W at 12 V draws 1 A; at 70 % of its power it stands at 0.7^(1/1.55) of 12 V, 9.534 V,
        # draws 0.7945^0.55 A, 0.8812 A, and leaves 2.466 V: 2.799 ohm
        self.assertAlmostEqual(lamp_limit_ohm(12, 0.7), 2.799, delta=0.002)
        self.assertAlmostEqual(lamp_share(12, 2.799), 0.7, delta=0.001)
        self.assertAlmostEqual(lamp_share(12, 0.0), 1.0, delta=1e-6)
        self.assertEqual(lamp_limit_ohm(12, 0.7, supply_v=9.0), 0.0)
        # at half its voltage it takes 0.5^1.55 of its power and gives 0.5^3.4 of its light
        self.assertAlmostEqual(lamp_light(0.5**1.55), 0.5**3.4)
        self.assertEqual((lamp_light(0.0), lamp_light(1.0)), (0.0, 1.0))
        for watts, ohm in ((0, 1.0), (5, -0.1)):
            with self.assertRaises(ValueError):
                lamp_share(watts, ohm)
        with self.assertRaises(ValueError):
            lamp_limit_ohm(0, 0.7)

    def test_what_was_seen(self):
        # half of a 1-ohm plug's heat, with its path, is at 2.09 ohm. A lamp of 21 W looks full to 1.60 ohm,
        # one of 16 W up to 2.10, one of 18 W up to 1.87 (nine tenths of 2.09), one of 5 W up to 6.7
        self.held(
            lambda seen, watts: judge_lamp(seen, watts, ONE, LIMITS),
            (
                ("dark", 21, "open"),
                ("lit", 16.5, "sound"),
                ("lit", 15.5, "not_open"),
                ("dim", 17.5, "high"),
                ("dim", 18.5, "unclear"),
                ("dim", 33, "unclear"),
                ("dim", 34, "unclear"),
                ("dim", 5, "high"),
            ),
        )
        for seen, watts, cannot_be in (("dim", 33, ("open",)), ("dim", 34, ("open",)), ("dark", 21, ())):
            self.assertEqual(judge_lamp(seen, watts, ONE, LIMITS).not_these, cannot_be)
        self.assertIn("tired or worse", judge_lamp("dim", 33, ONE, LIMITS).because)
        self.assertIn("even through a healthy", judge_lamp("dim", 34, ONE, LIMITS).because)

    def test_contact(self):
        burnt = contact(12.0, 11.0, 50.0)
        self.assertEqual((burnt.resistance_ohm, burnt.heat_w), (0.02, 50.0))
        with self.assertRaises(ValueError):
            contact(12.0, 11.0, 0.0)


class Clamp(Edges, unittest.TestCase):
    def test_near_a_limit_it_says_what_the_plug_is_not(self):
        for amps, cannot_be in (
            (7.95, {"open", "short"}),
            (14.05, {"open", "high", "weak"}),
            (11.0, set()),
        ):
            judged = judge_plug_current(amps, 10.0, ONE, LIMITS, None, 0.0)
            self.assertEqual(set(judged.not_these), cannot_be, amps)

    def test_one_plug(self):
        # a rod plug draws 8 to 14 A after ten seconds; a clamp of no error
        self.held(
            lambda amps, after=10.0: judge_plug_current(amps, after, ONE, LIMITS, None, 0.0),
            (
                (1.0, "open"),
                (1.01, "high"),
                (3.9, "high"),
                (4.0, "weak"),
                (7.89, "weak"),
                (7.95, "unclear"),
                (8.1, "sound"),
                (13.9, "sound"),
                (14.05, "unclear"),
                (14.11, "short"),
                (400.0, "short"),
                (400.1, "implausible"),
                (-0.1, "open"),
                (-0.11, "implausible"),
                (20.0, 7.9, "sound"),
                (20.0, 8.0, "short"),
                (14.9, 1.0, "unclear"),
                (15.1, 1.0, "sound"),
                (29.9, 1.0, "sound"),
                (30.2, 1.0, "short"),
            ),
        )
        # 3 % of 14.2 A reach the limit, of 14.5 A do not
        self.held(
            lambda amps: judge_plug_current(amps, None, ONE, LIMITS), ((14.4, "unclear"), (14.5, "short"))
        )

    def test_no_fall_from_the_inrush(self):
        def says(amps, inrush):
            return "no fall" in judge_plug_current(amps, 10.0, ONE, LIMITS, inrush, 0.0).because

        self.held(says, ((17.1, 20.0, True), (17.0, 20.0, False), (17.1, None, False)))

    def test_another_kind_is_estimated(self):
        # 7 V over 0.7 ohm is 10 A cold: 3.5 to 15 A after ten seconds, 6 to 15 at once
        ref = Reference(0.7, "the engine card's nominal", FAST, True)
        self.held(
            lambda amps, after: judge_plug_current(amps, after, ref, LIMITS, None, 0.0),
            (
                (3.35, 10.0, "weak"),
                (3.65, 10.0, "sound"),
                (14.8, 10.0, "sound"),
                (15.2, 10.0, "short"),
                (5.85, 1.0, "weak"),
                (6.15, 1.0, "sound"),
            ),
        )

    def test_how_many_work(self):
        # one draws 8 to 14 A: four of them 32 to 56; sound from eight tenths of four times 11
        self.held(
            lambda amps, count=4: working_plugs(amps, count, ONE, LIMITS, 0.0),
            (
                (0.0, "all_open"),
                (11.0, "open"),
                (23.9, "open"),
                (31.9, "open"),
                (32.0, "unclear"),
                (35.1, "unclear"),
                (38.4, "unclear"),
                (38.5, "sound"),
                (44.0, "sound"),
                (78.3, "sound"),
                (78.5, "implausible"),
                (-0.1, "implausible"),
            ),
        )
        self.assertIn("2 of 4 plugs work", working_plugs(22, 4, ONE, LIMITS, 0.0).because)
        self.assertIn("could be 2)", working_plugs(22, 4, ONE, LIMITS, 0.0).because)
        self.assertIn("could be 3 to 4)", working_plugs(36, 4, ONE, LIMITS, 0.0).because)
        self.assertEqual(working_plugs(22, 4, ONE, LIMITS).uncertainty, 0.66)

    def test_on_the_bench(self):
        self.held(
            lambda seen, after, kind: judge_bench_heat(seen, after, False, kind),
            (
                ("red_tip", 20.0, ROD, "sound"),
                ("red_tip", 20.1, ROD, "weak"),
                ("red_tip", 6.0, FAST, "sound"),
                ("red_tip", 6.1, FAST, "weak"),
                ("red_tip", None, ROD, "sound"),
                ("red_elsewhere", None, ROD, "red_elsewhere"),
                ("cold", None, ROD, "open"),
            ),
        )
        for glow in ("fast_5v", "ceramic"):
            kind = LIMITS.kind(glow)
            self.held(
                lambda s, k=kind: judge_bench_heat("red_tip", s, False, k), ((6.0, "sound"), (6.1, "weak"))
            )
