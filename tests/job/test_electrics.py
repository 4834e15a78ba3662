"""Injector sets, contacts and network pairs with physics of their own, judged by the benches."""

import math
import unittest

import numpy as np

from frosty_piston.core.injection import InjectionLimits, injector_u_ohm, judge_injector_resistance
from frosty_piston.core.wiring import WiringLimits, judge_network, judge_unplugged, judge_wiggle
from frosty_piston.knowledge.figures import general
from frosty_piston.rig.electrics import Contact, Module, NetworkPair, injector_set, network_pair

WIRING, INJECTION = general(WiringLimits), general(InjectionLimits)
NAMES = ("engine unit", "gateway", "NOx sensor", "dosing unit")


class Pair(unittest.TestCase):
    def test_the_net_by_hand(self):
        # two of 120 Ω beside each other and four of 30 kΩ: 1 / (2/120 + 4/30000) = 59.5
        self.assertAlmostEqual(network_pair(NAMES).across_ohm("gateway"), 59.5, delta=0.2)
        # behind a joint of 40 Ω, the far terminator is 160: 1 / (1/120 + 1/160) = 68.6
        bad = NetworkPair([Module("a", 0, True), Module("b", 2, True)], 1.0, 40.0)
        self.assertAlmostEqual(bad.across_ohm("a"), 68.4, delta=0.3)

    def test_every_pair_is_told_and_the_module_found(self):
        for seed in range(120):
            rng = np.random.default_rng(seed)
            pair, what = network_pair(NAMES), str(rng.choice(["sound", "none", "many", "short", "partial"]))
            ill = int(rng.integers(1, 3))
            if what == "none":
                ill = int(rng.choice([0, 3]))
                pair.modules[ill].terminates = False
            elif what == "many":
                pair.modules[ill].terminates = True
            elif what in ("short", "partial"):
                pair.modules[ill].across_ohm = 1.5 if what == "short" else float(rng.uniform(10, 70))
            at = str(rng.choice(NAMES))
            with self.subTest(seed=seed, what=what):
                before = pair.across_ohm(at)
                judged = judge_network("pair", before, "ohm", WIRING)
                self.assertEqual(judged.verdict == "sound", what == "sound", judged.because)
                told = {
                    n: judge_unplugged(n, before, pair.without(n).across_ohm(at), WIRING).cls
                    for n in NAMES
                    if n != at
                }
                guilty = NAMES[ill]
                found = {cls: [n for n in told if told[n] == cls] for cls in told.values()}
                if what in ("short", "partial") and guilty != at:
                    self.assertEqual(found["was_it"], [guilty])
                if what == "many":
                    held = {n for n in ("engine unit", "dosing unit", guilty) if n != at}
                    self.assertEqual(set(found["one_of_three"]), held)
                if what == "none":
                    holds = NAMES[3 - ill]
                    self.assertEqual(found.get("holds_one", []), [holds] if holds != at else [])


class InTime(unittest.TestCase):
    def test_the_wiggle_finds_it_and_opening_hides_it(self):
        found = hidden = again = 0
        for seed in range(200):
            rng = np.random.default_rng(seed)
            contact = Contact()
            found += self.judged(contact, rng) == "drops_out"
            contact.opened()
            hidden += self.judged(contact, rng) == "drops_out"
            contact.driven(300)
            again += self.judged(contact, rng) == "drops_out"
        # seven a minute, six of them needed: mostly found; wiped clean hardly ever; worn again, found again
        self.assertGreater(found, 100)
        self.assertLess(hidden, 10)
        self.assertGreater(again, 100)

    @staticmethod
    def judged(contact, rng):
        hits, slips = len(contact.dropouts(60, True, rng)), len(contact.dropouts(60, False, rng))
        return judge_wiggle(hits, 60, slips, 60, WIRING).cls

    def test_dropouts_keep_their_rate_and_their_time(self):
        rng = np.random.default_rng(1)
        moments = [t for _ in range(400) for t in Contact().dropouts(60, True, rng)]
        self.assertAlmostEqual(len(moments) / 400, 7.2, delta=0.4)
        self.assertTrue(all(0 < t <= 60 for t in moments))


class Injectors(unittest.TestCase):
    def classes(self, kind, celsius, **odd):
        rng = np.random.default_rng(7)
        parts = injector_set(kind, 4, rng)
        for name, value in odd.items():
            setattr(parts, name, value)
        ohms = [parts.resistance_ohm(c, celsius) for c in range(1, 5)]
        shown = [None if math.isinf(v) else v for v in ohms]
        u = [injector_u_ohm(v or 0.0, 1.0, INJECTION.kind(kind).floor_ohm) for v in shown]
        judged = judge_injector_resistance(shown, u, kind, INJECTION, celsius > 60)
        return [j.cls for j in judged]

    def test_sound_cold_and_open_hot(self):
        for kind in ("rail_solenoid", "rail_piezo", "hydraulic_unit", "unit_injector"):
            with self.subTest(kind):
                self.assertEqual(self.classes(kind, 20), ["sound"] * 4)
                self.assertEqual(self.classes(kind, 20, opens_at_c={3: 70.0}), ["sound"] * 4)
                hot = self.classes(kind, 85, opens_at_c={3: 70.0})
                self.assertEqual(hot[2], "open")
                self.assertNotIn("open", [*hot[:2], hot[3]])

    def test_copper_and_insulation_by_hand(self):
        parts = injector_set("rail_solenoid", 1, np.random.default_rng(1))
        # 65 K warmer: 25.5 % more
        self.assertAlmostEqual(parts.resistance_ohm(1, 85) / parts.resistance_ohm(1, 20), 1.255, delta=0.001)
        # six tens of degrees: 64 times less
        self.assertAlmostEqual(parts.body_mohm(1, 20) / parts.body_mohm(1, 80), 64, delta=0.1)


if __name__ == "__main__":
    unittest.main()
