"""A figure beside its mark says less than one far from it, and a little more or less of it changes little."""

import math
import unittest

from frosty_piston.core.quantity import Judgement
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.judging.result import Result
from frosty_piston.job.judging.shades import shaded, shifted
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from frosty_piston.knowledge.shapes import EdgeShape
from tests.cases import NORRA, SKARN, code, figures, job_file, meter, plugs, reading, scan, symptom

K = load_knowledge()

EGR = {**NORRA, "egr": ["high_pressure"], "egr_drive": "motor", "turbo": "vgt_vacuum", "vacuum_pump": True}
# The most that a tenth of a figure may move a fault, in bits.
MOST_BITS = 2.5
TENTH = 1.1
# Figures on both sides of a mark: test, unit, where, from, to, card.
ROWS = (
    ("egr_position", "percent", {"point": "engine_off"}, 1.5, 60.0, EGR),
    ("cable_drop", "V", {"point": "positive"}, 0.05, 4.0, NORRA),
    ("fuel_low_pressure", "bar", {}, 0.5, 6.0, NORRA),
    ("rail_pressure_crank", "bar", {}, 60.0, 600.0, NORRA),
    ("stop_time", "s", {}, 0.6, 12.0, NORRA),
    ("rail_pressure_rest", "bar", {}, 2.0, 90.0, NORRA),
)
BESIDE = (
    (2.0, "closed", 1.0),
    (4.9, "closed", 0.05),
    (5.2, "does_not_close", 0.1),
    (10.0, "does_not_close", 1.0),
)


def think(*entries, engine=NORRA):
    return Assessed(job_of(check(job_file(*entries, engine=engine), K)), K)


def bits(job, faults):
    odds = {f: min(max(job.suspicion.odds(f), 1e-4), 1 - 1e-4) for f in faults}
    return {f: math.log2(p / (1 - p)) for f, p in odds.items()}


def at_rest(percent, *more):
    read = reading("egr_position", percent, "percent", point="engine_off")
    return think(symptom("limp_mode"), code("P0401"), scan(), read, *more, engine=EGR)


def told(job, test):
    return [e for e in job.suspicion.evidence if e.finding and e.finding.id.startswith(test)]


class Shades(unittest.TestCase):
    def test_a_tenth_of_a_figure_moves_no_fault_far(self):
        for test, unit, where, low, high, card in ROWS:
            before, value = {}, low
            while value < high:
                job = think(
                    symptom("limp_mode"), scan(), reading(test, round(value, 4), unit, **where), engine=card
                )
                faults = {f for known in K.findings[test] for f in known.finding.shows}
                now = bits(job, faults & set(job.suspicion.space.names))
                for fault, was in before.items():
                    with self.subTest(test, value=value, fault=fault):
                        self.assertLess(abs(now[fault] - was), MOST_BITS)
                before, value = now, value * TENTH

    def test_what_it_says_grows_with_its_distance_from_the_mark(self):
        for percent, called, weight in BESIDE:
            with self.subTest(percent):
                (e,) = told(at_rest(percent), "egr_position")
                self.assertEqual(e.outcome, called)
                self.assertAlmostEqual(e.weight, weight, delta=0.07)

    def test_two_bad_names_share_one_weight(self):
        pieces = told(at_rest(17.0), "egr_position")
        self.assertEqual({e.outcome for e in pieces}, {"does_not_close", "far_open"})
        self.assertAlmostEqual(sum(e.weight for e in pieces), 1.0, delta=0.02)

    def test_beside_its_mark_is_said_and_the_same_is_not_asked_again(self):
        job = at_rest(4.6)
        (e,) = told(job, "egr_position")
        self.assertTrue(e.says.endswith(", beside its mark"))
        self.assertTrue(e.settled)
        self.assertNotIn("egr_position", [x.test for x in job.proposals.next_tests])

    def test_half_a_set_is_still_to_be_read_however_firm(self):
        (e,) = told(think(symptom("hard_start_cold"), meter(), *plugs([0.8, 0.8])), "glow_resistance.at the")
        self.assertEqual((e.weight, e.firm, e.settled), (0.5, 1.0, False))

    def test_figures_of_an_act_have_edges_too(self):
        held = {
            end: figures("vacuum_hold", {"node": "stop_actuator"}, start_kpa=60, end_kpa=end, seconds=60)
            for end in (59.5, 57.2, 40.0)
        }
        jobs = {
            end: think(symptom("slow_stop"), x, engine={**EGR, "stop": "vacuum"}) for end, x in held.items()
        }
        weights = {end: [round(e.weight, 1) for e in told(job, "vacuum_hold")] for end, job in jobs.items()}
        self.assertEqual((weights[59.5], weights[40.0]), ([1.0], [1.0]))
        self.assertLess(sum(weights[57.2]), 1.0)

    def test_an_edge_is_a_share_or_so_much_of_its_unit(self):
        for given in ({}, {"share": 0.2, "by": 1.0}):
            with self.subTest(given), self.assertRaisesRegex(ValueError, "a share of the figure, or so much"):
                EdgeShape(**given)

    def test_what_cannot_be_is_no_class_beside_it(self):
        here = Result(
            "t", {}, Judgement("sound", "sound", 1.0, unit="V", uncertainty=0.0, because="x"), ("e",)
        )
        wild = Result("t", {}, Judgement("implausible", "implausible", None, None, None, because="x"), ("e",))
        self.assertEqual(shaded([here], lambda by: [wild]), [here])

    def test_a_figure_moves_in_the_unit_it_was_typed_in(self):
        job = think(reading("battery_rest", 12600, "mV", point="battery_1"), engine=SKARN)
        (typed,) = [x for x in job.job.live if x.kind == "reading"]
        edge = K.tests["battery_rest"].edges["value"].by
        self.assertAlmostEqual(shifted(typed, K.tests["battery_rest"], -1.0).data.value, 12600 - 1000 * edge)

    def test_an_overload_stays_what_it_is(self):
        (over,) = [x for x in think(*plugs(["OL"])).job.live if x.kind == "reading"]
        self.assertIs(shifted(over, K.tests["glow_resistance"], 1.0), over)


if __name__ == "__main__":
    unittest.main()
