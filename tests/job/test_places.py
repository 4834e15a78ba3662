"""What is read at a part decides about it, whatever was read of it from afar; the rest lies between."""

import unittest

from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.tape.jobfile import check
from frosty_piston.job.weighing.failed import condemned
from frosty_piston.knowledge import load_knowledge
from tests.cases import (
    MODERN,
    SKARN,
    entry,
    job_file,
    meter,
    outcome,
    plugs,
    reading,
    relay_read,
    scan,
    symptom,
)

K = load_knowledge()
FOUR = {**SKARN, "cylinders": 4, "glow_control": "relay_module"}


def think(*entries, engine=FOUR):
    return weighed(symptom("hard_start_cold"), *entries, engine=engine)


def weighed(*entries, engine=MODERN):
    return Assessed(job_of(check(job_file(*entries, engine=engine), K)), K)


def odds(job):
    return {x.fault: x.probability for x in job.suspicion.suspects}


def lamp(cylinder, ends, point="plug"):
    return outcome("glow_lamp_test", ends, point=point, cylinder=cylinder)


TIRED_FROM_AFAR = (meter(), *plugs([0.9, 0.9, 5.1, 0.9]))
LOW_CURRENT = reading("glow_current", 2.2, "A", {"after_s": 10}, cylinder=3)


class Places(unittest.TestCase):
    def test_a_plug_sound_at_itself_leaves_its_wire(self):
        before = odds(think(*TIRED_FROM_AFAR, LOW_CURRENT))
        after = odds(
            think(
                *TIRED_FROM_AFAR,
                LOW_CURRENT,
                reading("glow_resistance", 0.9, "ohm", point="plug", cylinder=3),
            )
        )
        self.assertGreater(before["glow_plugs_high_resistance"], 0.75)
        self.assertGreater(before["glow_harness_open"], 0.05)
        self.assertLess(after["glow_plugs_high_resistance"], 0.05)
        self.assertGreater(after["glow_harness_open"], 0.85)

    def test_a_plug_dead_at_itself_is_not_acquitted_by_its_neighbours(self):
        dead = reading("glow_resistance", "OL", "ohm", point="plug", cylinder=2)
        job = think(meter(), *plugs([1.0, "OL", 1.0, 1.0]), dead)
        self.assertGreater(odds(job)["glow_plugs_open"], 0.97)
        self.assertLess(odds(job)["glow_harness_open"], 0.1)

    def test_a_wire_and_a_plug_are_two_faults(self):
        small = entry("instrument", instrument="lamp", rated_w=2.0)
        afar = [lamp(c, "dark", "relay_connector") for c in (1, 3)]
        job = think(small, *afar, lamp(1, "lit"), lamp(3, "dark"))
        self.assertGreater(odds(job)["glow_harness_open"], 0.8)
        self.assertGreater(odds(job)["glow_plugs_open"], 0.8)
        self.assertEqual(condemned(K, "glow_plugs", job.now).cylinders, (3,))

    def test_a_nearer_witness_is_believed_and_both_are_named(self):
        job = think(
            meter(),
            reading("glow_resistance", "OL", "ohm", point="plug", cylinder=2),
            outcome("glow_bench_heat", "red_tip", cylinder=2),
        )
        self.assertEqual(condemned(K, "glow_plugs", job.now).cylinders, ())
        self.assertIn("The nearer one is believed", job.suspicion.conflicts[0].because)
        self.assertLess(odds(job)["glow_plugs_open"], 0.3)

    def test_a_plug_that_glows_on_the_bench_leaves_its_wire(self):
        job = think(*TIRED_FROM_AFAR, outcome("glow_bench_heat", "red_tip", cylinder=3))
        self.assertGreater(odds(job)["glow_harness_open"], 0.85)
        self.assertLess(odds(job)["glow_plugs_high_resistance"], 0.05)

    def test_what_flows_and_what_is_open_cannot_both_be(self):
        flows = [reading("glow_current", 11.0, "A", {"after_s": 10}, cylinder=c) for c in range(1, 5)]
        job = think(meter(), *flows, reading("glow_resistance", "OL", "ohm", point="plug", cylinder=2))
        self.assertIn("explains both", job.suspicion.conflicts[0].because)

    def test_single_points_conclude_nothing_of_a_relay(self):
        feed = odds(think(*relay_read(battery=12.4, feed=12.4)))
        whole = odds(think(*relay_read(battery=12.4, feed=12.4, supply=12.3, command=0.2, output=12.2)))
        nothing = odds(think())
        self.assertLess(feed["glow_feed_lost"], nothing["glow_feed_lost"] / 3)
        self.assertGreater(feed["glow_relay_contacts"], 0.9 * nothing["glow_relay_contacts"])
        self.assertLess(whole["glow_relay_contacts"], nothing["glow_relay_contacts"] / 3)

    def test_two_batteries_in_series_stand_for_one(self):
        lorry = {**FOUR, "system_voltage": 24, "batteries": 2}
        rest = [reading("battery_rest", 12.0 + 0.5 * n, "V", point=f"battery_{n + 1}") for n in (0, 1)]
        supply = reading("supply_pins", 24.3, "V", {"loaded": True}, node="egr_valve", pin="supply")
        for given in (rest, rest[:1]):
            judged = next(v for v in think(*given, supply, engine=lorry).now if v.test == "supply_pins")
            self.assertEqual(judged.judgement.verdict, "sound", len(given))


class ValveThatStands(unittest.TestCase):
    def test_a_valve_that_does_not_move_is_told_by_where_it_stands(self):
        stuck = outcome("actuator_sweep", "stuck", node="egr_valve")
        told = [symptom("black_smoke"), entry("code", code="P0404"), scan()]
        for percent, wanted, other in (
            (2.0, "egr_stuck_closed", "egr_stuck_open"),
            (85.0, "egr_stuck_open", "egr_stuck_closed"),
        ):
            with self.subTest(percent):
                at_rest = reading("egr_position", percent, "percent", point="engine_off")
                job = weighed(*told, at_rest, stuck)
                self.assertGreater(job.suspicion.odds(wanted), 0.6)
                self.assertLess(job.suspicion.odds(other), 0.05)
        blind = weighed(*told, stuck).suspicion
        self.assertGreater(min(blind.odds("egr_stuck_open"), blind.odds("egr_stuck_closed")), 0.1)


if __name__ == "__main__":
    unittest.main()


def currents(amps):
    return [reading("glow_current", a, "A", {"after_s": 10}, cylinder=n) for n, a in enumerate(amps, 1)]


OF_EACH = {
    "glow_harness_open",
    "glow_plugs_open",
    "glow_plugs_high_resistance",
    "glow_plug_short",
    "glow_plugs_wrong",
}


class WhatAllShare(unittest.TestCase):
    def test_no_current_at_any_sound_plug_is_what_they_share_and_not_four_wires(self):
        at_the_plugs = plugs([0.9, 0.9, 0.9, 0.9], "plug")
        job = odds(think(meter(), *currents([0.0, 0.1, 0.0, 0.1]), *at_the_plugs))
        before_the_plugs = [f for f in job if f.startswith("glow_") and f not in OF_EACH]
        self.assertLess(job["glow_harness_open"], 0.15)
        self.assertGreater(sum(job[fault] for fault in before_the_plugs), 0.8)

    def test_too_little_at_each_by_different_names_is_shared_all_the_same(self):
        at_the_plugs = plugs([0.9, 0.9, 0.9, 0.9], "plug")
        job = odds(think(meter(), *currents([4.5, 3.4, 4.4, 3.5]), *at_the_plugs))
        self.assertGreater(job["glow_relay_contacts"], job["glow_harness_open"])

    def test_one_without_current_is_its_own_wire(self):
        at_the_plugs = plugs([0.9, 0.9, 0.9, 0.9], "plug")
        job = odds(think(meter(), *currents([11, 11, 0.0, 11]), *at_the_plugs))
        self.assertGreater(job["glow_harness_open"], 0.85)

    def test_current_through_the_wires_clears_them_whether_or_not_the_plugs_were_read_too(self):
        drawn = currents([11, 11, 11, 11])
        without = odds(think(meter(), *drawn))["glow_harness_open"]
        with_plugs = odds(think(meter(), *drawn, *plugs([0.9, 0.9, 0.9, 0.9], "plug")))["glow_harness_open"]
        self.assertLess(with_plugs, 0.05)
        self.assertLess(with_plugs, 2 * without)


class OnlyOneLeft(unittest.TestCase):
    def test_too_low_for_any_plug_and_near_a_short_is_nearly_a_short(self):
        self.assertGreater(odds(think(meter(), *plugs([0.9, 0.29, 0.9, 0.9])))["glow_plug_short"], 0.5)

    def test_unclear_between_sound_and_bad_is_neither(self):
        self.assertLess(
            odds(think(meter(), *plugs([0.9, 1.05, 0.9, 0.9])))["glow_plugs_high_resistance"], 0.5
        )
