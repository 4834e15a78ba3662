"""Simulated vehicles: physics of their own; every test can be made; they show what a workshop would see."""

import unittest
from pathlib import Path

import numpy as np

import frosty_piston.rig
from frosty_piston.benchmarks.trust import run_on_circuit
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.engine import EngineCard
from frosty_piston.job.judging import ANSWERS, OF_EVERY_JUDGE
from frosty_piston.job.tape import jobfile
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig import physics
from frosty_piston.rig.condition import EFFECTS, afflict, sound
from frosty_piston.rig.demo import world
from frosty_piston.rig.driver import codes, truths
from frosty_piston.rig.testing import MAKERS, perform
from frosty_piston.rig.vehicles import job_file, simulated

K = load_knowledge()


def condition(card=0, fault="", severity=0.8, ambient=5.0, seed=1):
    engine = EngineCard.model_validate(world.CARDS[card])
    vehicle = sound(engine, ambient, np.random.default_rng(seed))
    if fault:
        afflict(vehicle, fault, severity, np.random.default_rng(seed))
    return vehicle


def verdicts(vehicle, card, test, where=None):
    entries = perform(vehicle, test, where or {}, np.random.default_rng(3))
    job = Assessed(job_of(jobfile.check(job_file(world.CARDS[card], entries), K)), K)
    for v in job.now:
        allowed = {*ANSWERS.get(v.test, ()), *OF_EVERY_JUDGE, *K.tests[v.test].outcomes}
        if v.judgement.cls not in allowed:
            raise AssertionError(f"the judge of {v.test} answers {v.judgement.cls}, which it does not name")
    return [v.judgement for v in job.now]


class Rig(unittest.TestCase):
    def test_every_fault_has_an_effect_and_every_test_can_be_made(self):
        self.assertEqual(set(EFFECTS), set(K.faults))
        self.assertEqual(set(MAKERS), set(K.tests))

    def test_physics_reads_no_likelihood(self):
        folder = Path(frosty_piston.rig.__file__).parent
        for name in ("condition", "physics", "testing", "driver"):
            text = (folder / f"{name}.py").read_text()
            for word in ("findings", "suspicion", "shows", "symptom_findings", "per_thousand"):
                self.assertNotIn(word, text, name)

    def test_what_is_written_passes_the_door_and_a_sound_vehicle_reads_sound(self):
        judged = []
        for card in range(len(world.CARDS)):
            vehicle = condition(card, ambient=12.0)
            for test in MAKERS:
                if not vehicle.card.rules_out(K.tests[test].needs):
                    nodes = {n for f in K.findings[test] for n in f.shape.nodes}
                    fitted = sorted(n for n in nodes if not vehicle.card.rules_out(K.nodes[n].needs))
                    for node in fitted or [None]:
                        judged += verdicts(vehicle, card, test, {"node": node} if node else {})
        self.assertGreater(len(judged), 300)
        bad = [j for j in judged if j.verdict == "failed"]
        self.assertLess(len(bad) / len(judged), 0.03, [j.because for j in bad])

    def test_a_leak_on_the_list_of_the_circuit_is_found_at_its_place(self):
        runs = [r for seed in range(4711, 4751) if (r := run_on_circuit(seed))]
        self.assertGreater(len(runs), 1)
        self.assertTrue(all(r.right for r in runs))
        self.assertGreaterEqual(sum(r.placed for r in runs), len(runs) - 1)

    def test_faults_show_where_they_must(self):
        for fault, card, test, where, cls in (
            ("glow_plugs_open", 0, "glow_resistance", {"point": "plug"}, "open"),
            ("glow_harness_open", 0, "glow_resistance", {"point": "harness_connector"}, "open"),
            ("battery_cable_drop", 0, "cable_drop", {}, "drops"),
            ("glow_relay_contacts", 0, "glow_relay", {}, "glow_relay_contacts"),
            ("glow_control_missing", 0, "glow_relay", {}, "glow_control_missing"),
            ("egr_stuck_open", 0, "egr_position", {}, "far_open"),
            ("egr_passage_blocked", 0, "egr_air_change", {}, "no_change"),
            ("boost_hose_split", 0, "boost_leak", {}, "leaks"),
            ("dpf_soot", 0, "dpf_state", {}, "too_high"),
            ("def_quality_poor", 0, "def_concentration", {}, "wrong"),
            ("manifold_pressure_wrong", 0, "key_on_pressures", {}, "manifold_odd"),
            ("vacuum_pump_weak", 0, "vacuum_at_pump", {}, "low"),
            ("network_wires", 0, "network_pins", {"node": "control_module"}, "open_or_short"),
            ("fuel_filter_blocked", 0, "fuel_filter_drop", {}, "drop"),
        ):
            with self.subTest(fault):
                seen = {j.cls for j in verdicts(condition(card, fault), card, test, where)}
                self.assertIn(cls, seen)

    def test_physics_by_hand(self):
        vehicle = condition()
        # 273 A at 12.72 V through 5.5 milliohm, warmer than 10 degrees: 11.2 V
        warm = condition(ambient=12.0)
        self.assertAlmostEqual(physics.starter_a(warm), 273.0)
        self.assertAlmostEqual(physics.crank_v(warm), 11.22, delta=0.01)
        # four plugs of 0.8 ohm, a third hotter, on 12.2 V: 11 A each
        self.assertAlmostEqual(physics.plug_a(vehicle, 0), 11.0, delta=0.8)
        dead = condition(fault="glow_plugs_open")
        self.assertLess(physics.start_quality(condition(ambient=-14.0, fault="glow_plugs_open")), 0.9)
        self.assertEqual(min(physics.heat(dead, i) for i in range(4)), 0.0)
        # at 24 degrees a direct engine needs no heat, a prechamber some
        self.assertEqual(physics.needs_heat(condition(ambient=24.0)), 0.0)
        self.assertGreater(physics.needs_heat(condition(card=2, ambient=12.0)), 0.5)

    def test_a_driver_tells_some_of_what_is_true(self):
        told, true = 0, 0
        for seed in range(60):
            vehicle = simulated(seed, K)
            named = {e["data"]["symptom"] for e in vehicle.arrival if e["kind"] == "symptom"}
            facts = {s for s, holds in truths(vehicle.condition).items() if holds}
            told, true = told + len(named & facts), true + len(facts)
            self.assertTrue(named)
            if vehicle.ills:
                self.assertTrue(facts or codes(vehicle.condition, np.random.default_rng(0), 1.0))
            cured = vehicle.mended(vehicle.faults)
            self.assertFalse({s for s, holds in truths(cured.condition).items() if holds}, vehicle.faults)
        self.assertTrue(0.5 < told / true < 0.95, told / true)

    def test_the_same_seed_is_the_same_vehicle(self):
        one, two = simulated(7, K), simulated(7, K)
        self.assertEqual((one.ills, one.arrival, one.scan), (two.ills, two.arrival, two.scan))
        made = [perform(v.condition, "glow_resistance", {}, np.random.default_rng(1)) for v in (one, two)]
        self.assertEqual(made[0], made[1])
