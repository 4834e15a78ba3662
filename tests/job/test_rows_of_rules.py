"""Rows for rules that no other test holds at their edges: a pump's own leak, what was learned, sets of
hot and cold parts, one way of a stroke, what a card says of its vacuum, hours, and the names of hoses."""

import math
import unittest
from datetime import time

from pydantic import ValidationError

from frosty_piston.core.air import AirLimits, judge_boost_leak
from frosty_piston.core.circuit import Hose
from frosty_piston.core.holding import without_pump
from frosty_piston.core.learning import minutes
from frosty_piston.core.wires import next_section_mm2
from frosty_piston.job.afterwards.history import _read
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.circuit.on_tape import hose_title
from frosty_piston.job.day.setup import Hours
from frosty_piston.job.engine import EngineCard
from frosty_piston.job.entries.work import FitStep
from frosty_piston.job.next_step import COUNTDOWN, ORDER, _turn
from frosty_piston.job.place import Page, Place
from frosty_piston.job.repair.prove import Missing
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from frosty_piston.knowledge.figures import general
from tests.cases import MODERN, VACUUM, figures, job_file, reading, symptom

K = load_knowledge()


def think(*entries, engine=MODERN):
    return Assessed(job_of(check(job_file(symptom("no_boost"), *entries, engine=engine), K)), K)


class Figures(unittest.TestCase):
    def test_a_leak_is_timed_however_short_it_was(self):
        limits = general(AirLimits)
        self.assertEqual(judge_boost_leak(70, 40, 0.5, limits).verdict, "failed")
        self.assertEqual(judge_boost_leak(70, 40, 0, limits).verdict, "implausible")

    def test_every_section_of_wire_that_is_sold(self):
        sold = (0.35, 0.5, 0.75, 1.0, 1.5, 2.5, 4.0, 6.0, 10.0, 16.0, 25.0, 35.0, 50.0, 70.0)
        for smaller, section in zip((0.0, *sold), sold, strict=False):
            with self.subTest(section):
                self.assertEqual(next_section_mm2((smaller + section) / 2), section)
                self.assertEqual(next_section_mm2(section), section)
        self.assertIsNone(next_section_mm2(70.1))

    def test_a_supply_without_load_clears_half(self):
        for loaded, weight in ((True, 1.0), (False, 0.5)):
            read = reading(
                "supply_pins", 12.3, "V", {"battery_v": 12.4, "loaded": loaded}, node="nox_up", pin="supply"
            )
            job = think(read)
            (found,) = (v for v in job.now if v.test == "supply_pins")
            self.assertEqual((found.judgement.verdict, found.counts), ("sound", weight))

    def test_what_the_hand_pump_loses_is_said_from_a_twentieth_on(self):
        held = {"start_kpa": 60, "end_kpa": 58, "seconds": 60}
        for own_end, said in ((59.97, False), (59.0, True)):
            with self.subTest(own_end):
                capped = figures(
                    "vacuum_hold", {"node": "hand_pump"}, start_kpa=60, end_kpa=own_end, seconds=60
                )
                job = think(capped, figures("vacuum_hold", {"node": "engine_mount"}, **held), engine=VACUUM)
                (mount,) = (v for v in job.now if v.where.get("node") == "engine_mount")
                self.assertEqual("own loss is taken off" in mount.judgement.because, said)

    def test_a_step_of_a_plan_asks_for_the_ticks_of_that_step(self):
        steps = K.repairs["glow_plugs"].steps
        self.assertGreater(len({tuple(s.cautions) for s in steps}), 2)
        for step in steps:
            with self.subTest(step.id):
                done = FitStep(plan="glow_plugs", step=step.id)
                self.assertEqual(done.asks(K), [c for c in step.cautions if K.cautions[c].tick])
                part = FitStep(plan="glow_plugs", step=step.id, state="part")
                self.assertEqual(part.asks(K), [])

    def test_a_countdown_that_runs_comes_before_the_codes_that_stay_while_it_does(self):
        place = Place(Page.PROVE)
        order = [Missing(what, name, place, "") for what, name in (("codes", "codes"), ("reset", COUNTDOWN))]
        self.assertEqual([m.id for m in sorted(order, key=_turn)], [COUNTDOWN, "codes"])
        earlier = [w for w in ORDER if ORDER.index(w) < ORDER.index("codes")]
        first = Missing(earlier[-1], "one before", place, "")
        self.assertEqual(min([*order, first], key=_turn), first)

    def test_a_pump_is_taken_out_of_what_nearly_ran_empty(self):
        # Under one kPa left is still above none; nothing left tells of no hole's size.
        self.assertGreater(without_pump(60, 0.5, 60, 600, 55), 0.5)
        self.assertEqual(without_pump(60, 0, 60, 600, 55), 0)
        self.assertEqual(without_pump(60, 54, 60, math.inf, 55), 54)

    def test_one_job_spreads_by_no_spread_of_its_own(self):
        one = minutes(30.0, 4.0, [30.0])
        two = minutes(30.0, 4.0, [15.0, 60.0])
        self.assertAlmostEqual(one.high / one.low, math.exp(2 * 1.645 * 0.3 / math.sqrt(5)), places=6)
        self.assertAlmostEqual(two.high / two.low, math.exp(2 * 1.645 * math.log(2) / math.sqrt(6)), places=6)


class Readings(unittest.TestCase):
    def test_hot_parts_are_a_set_of_their_own(self):
        cold = [reading("injector_resistance", 0.4, "ohm", cylinder=c) for c in range(1, 5)]
        hot = [
            reading("injector_resistance", 0.55, "ohm", {"part_hot": True}, cylinder=c) for c in range(1, 5)
        ]
        of_test = [v for v in think(*cold, *hot).now if v.test == "injector_resistance"]
        self.assertEqual(
            sorted((v.hot, v.where["cylinder"]) for v in of_test),
            [(h, c) for h in (False, True) for c in range(1, 5)],
        )

    def test_the_way_that_can_be_judged_speaks_for_a_stroke(self):
        down = [
            figures("vacuum_travel", {"node": "turbo_actuator"}, kpa=k, mm=m, stroke_up=False)
            for k, m in ((60, 12), (40, 8), (20, 1), (0, 0))
        ]
        up = figures("vacuum_travel", {"node": "turbo_actuator"}, kpa=10, mm=0, stroke_up=True)
        alone = next(v for v in think(*down, engine=VACUUM).now if v.test == "vacuum_travel").judgement
        both = next(v for v in think(up, *down, engine=VACUUM).now if v.test == "vacuum_travel").judgement
        self.assertNotEqual(alone.verdict, "unclear")
        self.assertEqual(both.verdict, alone.verdict)

    def test_a_visit_keeps_ash_and_the_drop_and_nothing_else_of_the_filter(self):
        state = [
            reading("dpf_state", g, "g", channel=c) for c, g in (("ash_mass", 24.0), ("soot_mass", 11.0))
        ]
        drops = [figures("dpf_pressure", q_m3h=q, dp_kpa=d) for q, d in ((60, 1.0), (120, 2.2), (180, 3.6))]
        other = figures("boost_leak", start_kpa=70, end_kpa=66, seconds=60)
        read = _read(think(*state, *drops, other))
        self.assertEqual(read[("Ash in the filter", "g")], 24.0)
        self.assertEqual(len(read), 2)


class Cards(unittest.TestCase):
    def test_what_a_card_says_of_its_vacuum(self):
        none = {
            "turbo": "none",
            "egr_cooler_bypass": "none",
            "inlet_flap": "none",
            "swirl_flaps": "none",
            "stop": "electric",
        }
        self.assertFalse(EngineCard(**none, egr_drive="motor").vacuum_consumers)
        self.assertFalse(EngineCard(**none, egr=[], egr_drive=None).vacuum_consumers)
        self.assertIsNone(EngineCard(**none, egr_drive=None).vacuum_consumers)
        self.assertTrue(EngineCard(**none, egr_drive="vacuum").vacuum_consumers)
        with self.assertRaises(ValidationError):
            EngineCard(batteries=3)

    def test_hours_know_seven_days(self):
        self.assertEqual(Hours(days=(6,)).days, (6,))
        with self.assertRaises(ValidationError):
            Hours(days=(7,))
        with self.assertRaises(ValidationError):
            Hours(since=time(9), until=time(9))

    def test_a_hose_is_called_by_its_two_ends(self):
        hose = Hose("h1", ("pump", "out"), ("tee", "in"))
        self.assertEqual(hose_title(hose, {"pump": "vacuum pump"}), "vacuum pump to tee")


if __name__ == "__main__":
    unittest.main()
