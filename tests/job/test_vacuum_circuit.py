"""A vacuum circuit of a job, and the simulated one: what leaks where, and what a gauge then shows."""

import math
import random
import unittest

import numpy as np

from frosty_piston.benchmarks.vacuum import measure
from frosty_piston.core.circuit import Circuit, Hose, Part, outward
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.circuit.on_tape import circuit_of, leaking
from frosty_piston.job.entries import Circuit as CircuitEntry
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig.circuits import made_up
from frosty_piston.rig.vacuum_circuit import Plumbing
from tests.cases import VACUUM, entry, figures, job_file, reading

K = load_knowledge()
KINDS = K.circuit.part_kinds
CHAIN = Circuit(
    (
        Part("p", "pump", "Pump"),
        Part("t", "tee", "Tee"),
        Part("v", "check_valve", "Valve"),
        Part("r", "reservoir", "Reservoir"),
        Part("a", "actuator", "Actuator"),
    ),
    (
        Hose("h1", ("p", "out"), ("t", "a")),
        Hose("h2", ("t", "b"), ("v", "pump_side")),
        Hose("h3", ("v", "far_side"), ("r", "a")),
        Hose("h4", ("t", "c"), ("a", "in"), heat="exhaust", age_years=10),
    ),
)


class Leaking(unittest.TestCase):
    def test_every_hose_and_part_is_a_place(self):
        found = leaking(CHAIN, K)
        self.assertEqual(found.ids, ("h1", "t", "h2", "v", "h4", "a", "h3", "r"))
        hangs = {
            i: found.ids[s.hangs_on] if s.hangs_on >= 0 else ""
            for i, s in zip(found.ids, found.branches.sites, strict=True)
        }
        self.assertEqual(
            hangs, {"h1": "", "t": "h1", "h2": "t", "v": "h2", "h3": "v", "r": "h3", "h4": "t", "a": "h4"}
        )
        odds = {i: s.odds for i, s in zip(found.ids, found.branches.sites, strict=True)}
        self.assertAlmostEqual(odds["h4"], 3 * 2 * 3)
        self.assertAlmostEqual(odds["h1"], 3)
        self.assertEqual(found.mask({"h4", "a"}), 0b110000)

    def test_where_the_last_hands_were_comes_first(self):
        touched = Circuit(
            CHAIN.parts,
            (*CHAIN.hoses[:1], Hose("h2", ("t", "b"), ("v", "pump_side"), last_hands=True), *CHAIN.hoses[2:]),
        )
        b = leaking(touched, K)
        self.assertEqual(b.ids[b.branches.next_block_off(b.branches.everything).site], "h2")

    def test_from_an_entry(self):
        entry = CircuitEntry.model_validate(
            {
                "parts": [
                    {"id": "p", "kind": "pump", "title": "Pump"},
                    {"id": "m", "kind": "mount", "title": "M"},
                ],
                "hoses": [
                    {
                        "id": "h",
                        "from": "p.out",
                        "to": "m.in",
                        "length_mm": 300,
                        "heat": "engine",
                        "last_hands": True,
                    }
                ],
            }
        )
        found = circuit_of(entry)
        self.assertEqual(
            found.hoses[0], Hose("h", ("p", "out"), ("m", "in"), 300, None, "engine", None, None, True)
        )
        self.assertEqual(leaking(found, K).ids, ("h", "m"))

    def test_nothing_on_a_pump(self):
        with self.assertRaises(ValueError):
            leaking(Circuit((Part("a", "actuator", "A"),), ()), K)

    def test_made_up_circuits_are_joined_rightly(self):
        rng = random.Random(4)
        for parts in range(8, 26):
            found = outward(made_up(rng, parts), KINDS)
            self.assertEqual(found.wrong, ())


class Around(unittest.TestCase):
    """71 kPa at the pump is low at the sea and sound at 1 500 m; where nobody knows, it is unclear."""

    def judged(self, *entries, **given):
        at_pump = figures("vacuum_at_pump", kpa=71, seconds=9, **given)
        job = job_of(check(job_file(*entries, at_pump, engine=VACUUM), K))
        return next(v.judgement for v in Assessed(job, K).now if v.test == "vacuum_at_pump")

    def test_where_the_air_is_from(self):
        def said(name, value, unit):
            return entry("condition", name=name, value=value, unit=unit)

        high, by_sensor = said("altitude_m", 1500, "m"), "by the barometer"
        for entries, given, cls, words in (
            ((), {}, "unclear", "write down the altitude"),
            ((), {"altitude_m": 1500}, "sound", "at 1\xa0500 m"),
            ((), {"altitude_m": 0}, "low", "at 0 m"),
            ((high,), {}, "sound", "at 1\xa0500 m"),
            ((high, said("barometer", 101, "kPa")), {}, "low", by_sensor),
            ((said("barometer", 845, "mbar"),), {}, "sound", by_sensor),
            ((high, said("sea_level", 1030, "mbar")), {}, "unclear", "in this weather"),
            ((reading("key_on_pressures", 84.4, "kPa", channel="barometer"),), {}, "sound", by_sensor),
        ):
            with self.subTest(entries=entries, given=given):
                judged = self.judged(*entries, **given)
                self.assertEqual(judged.cls, cls, judged.because)
                self.assertIn(words, judged.because)


class Simulated(unittest.TestCase):
    def test_a_tight_circuit_comes_to_the_pumps_limit_everywhere(self):
        for kpa in Plumbing(CHAIN, KINDS).running().values():
            self.assertAlmostEqual(kpa, 0.93 * 101.3, delta=0.05)
        self.assertAlmostEqual(Plumbing(CHAIN, KINDS, ambient_kpa=84.5).running()["a"], 78.6, delta=0.05)

    def test_a_bigger_leak_never_raises_a_reading(self):
        rng = random.Random(9)
        for _ in range(12):
            circuit = made_up(rng, rng.randint(8, 16))
            ids = [p.id for p in circuit.parts] + [h.id for h in circuit.hoses]
            at, before = rng.choice(ids), None
            for hole in (0.0, 1.0, 5.0, 30.0, 200.0):
                shown = Plumbing(circuit, KINDS, leaks={at: hole}).running()
                for part, kpa in shown.items():
                    self.assertGreaterEqual(kpa, -1e-9)
                    if before is not None:
                        self.assertLessEqual(kpa, before[part] + 1e-6, (at, hole, part))
                before = shown

    def test_a_chain_has_its_closed_form(self):
        # a can of 55 ml on a hose of 4.81 ml, a hole of 0.5 ml/s: v0 exp(-t 0.5/59.8), under 47 % of ambient
        can = Circuit(
            (Part("p", "pump", "Pump"), Part("a", "actuator", "A")), (Hose("h", ("p", "out"), ("a", "in")),)
        )
        start, end = Plumbing(can, KINDS, leaks={"a": 0.5}).hand_pump(0, 40.0, 30.0)
        self.assertAlmostEqual(start, 40.0, delta=0.1)
        volume = 55 + math.pi / 4 * 3.5**2 * 500 / 1000
        self.assertAlmostEqual(end, start * math.exp(-30 * 0.5 / volume), delta=0.15)

    def test_a_choked_leak_draws_at_a_constant_rate(self):
        can = Circuit(
            (Part("p", "pump", "Pump"), Part("a", "actuator", "A")), (Hose("h", ("p", "out"), ("a", "in")),)
        )
        rig = Plumbing(can, KINDS, leaks={"a": 0.3})
        shown = [kpa["a"] for _, kpa in rig.in_time({"a": 80.0, "p": 80.0}, 20.0)]
        steps = np.diff(shown)
        self.assertLess(float(np.ptp(steps[:20])), 1e-3)

    def test_a_one_way_valve_keeps_what_is_behind_it(self):
        rig = Plumbing(CHAIN, KINDS, leaks={"h4": 50.0})
        start = dict.fromkeys("ptvra", 80.0)
        end = rig.in_time(start, 60.0)[-1][1]
        self.assertLess(end["a"], 5)
        self.assertGreater(end["r"], 79)

    def test_the_hand_pump_sees_what_hangs_on_the_hose_and_nothing_before_it(self):
        runs = [r.hose.id for r in outward(CHAIN, KINDS).runs]
        for at, losing in (
            ("h4", {"h1", "h4"}),
            ("a", {"h1", "h4"}),
            ("r", {"h1", "h2", "h3"}),
            ("h1", {"h1"}),
        ):
            rig = Plumbing(CHAIN, KINDS, leaks={at: 20.0})
            lost = {h for n, h in enumerate(runs) if rig.hand_pump(n, 60.0, 60.0)[1] < 50}
            self.assertEqual(lost, losing, at)

    def test_the_bench_measures(self):
        found = measure(12, 5)
        self.assertEqual((found.healthy, len(found.took_ms)), (2, 12))
        self.assertLess(found.named, 0.6 * found.one_by_one)
        if found.solved:
            self.assertLess(found.named_where_solved, 1.05 * found.optimum)


if __name__ == "__main__":
    unittest.main()
