"""What passes while a complaint is away clears little of what is away with it, and what is looked at itself
is hardly ever missed."""

import unittest

from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.tape.jobfile import check
from frosty_piston.job.weighing.presence import comes_and_goes, lasts
from frosty_piston.knowledge import load_knowledge
from tests.cases import MODERN, entry, job_file, outcome, scan, symptom

K = load_knowledge()
GOES = entry("symptom", symptom="low_power", comes_and_goes=True)
MOTOR = "turbo_actuator_motor"


def think(*entries, engine=MODERN):
    return Assessed(job_of(check(job_file(*entries, engine=engine), K)), K)


def watched(came_to, present=None):
    made = outcome("actuator_watch", came_to, node="turbo_actuator")
    if present is not None:
        made["data"]["conditions"] = {"present": present}
    return made


def odds(*entries, fault=MOTOR):
    return think(*entries).suspicion.odds(fault)


class WhileAway(unittest.TestCase):
    def test_a_pass_while_it_is_away_clears_less_than_one_while_it_is_there(self):
        before = odds(GOES, scan())
        away, unsaid, there = (odds(GOES, scan(), watched("full_stroke", x)) for x in (False, None, True))
        self.assertLess(there, unsaid)
        self.assertLess(unsaid, away)
        self.assertGreater(away, 0.7 * before)
        self.assertLess(there, 0.3 * before)

    def test_a_fail_weighs_in_full_whenever_it_comes(self):
        self.assertAlmostEqual(
            odds(GOES, scan(), watched("erratic", False)), odds(GOES, scan(), watched("erratic", True))
        )

    def test_a_pass_while_it_is_away_takes_nothing_from_a_fail_while_it_was_there(self):
        failed = odds(GOES, scan(), watched("erratic", True))
        both = odds(GOES, scan(), watched("erratic", True), watched("full_stroke", False))
        self.assertAlmostEqual(both, failed)
        mended = odds(GOES, scan(), watched("erratic", True), watched("full_stroke", True))
        self.assertLess(mended, failed)

    def test_only_what_the_coming_and_going_complaint_speaks_for_is_away_with_it(self):
        stays, goes = symptom("low_power"), entry("symptom", symptom="misfire_hot", comes_and_goes=True)
        passed = (scan(), watched("full_stroke"))
        self.assertNotIn(MOTOR, comes_and_goes(think(stays, goes).job, K).faults)
        self.assertLess(odds(stays, goes, *passed), odds(GOES, goes, *passed))

    def test_a_code_that_stands_now_says_that_it_is_there(self):
        vane = {"code": "P0045"}
        passed = watched("full_stroke")
        stored, now = (
            odds(GOES, entry("code", **vane, status=s), scan(), passed) for s in ("stored", "current")
        )
        self.assertLess(now, stored)

    def test_a_fault_that_lasts_is_less_likely_behind_a_complaint_that_goes(self):
        self.assertEqual(K.faults["air_filter_blocked"].quiet, 1)
        self.assertLess(
            odds(GOES, scan(), fault="air_filter_blocked"),
            odds(symptom("low_power"), scan(), fault="air_filter_blocked"),
        )

    def test_what_is_seen_on_a_part_lasts_and_what_it_does_is_of_its_moment(self):
        of = {(f.test, f.shape.name): lasts(f) for of_test in K.findings.values() for f in of_test}
        for place, wanted in (
            (("connector_look", "turbo actuator"), True),
            (("wiggle", "turbo actuator"), True),
            (("actuator_sweep", "turbo actuator"), False),
            (("actuator_watch", "turbo lever"), False),
        ):
            with self.subTest(place):
                self.assertEqual(of[place], wanted)


class LookedAtItself(unittest.TestCase):
    def test_what_is_looked_at_itself_is_missed_once_in_a_hundred(self):
        rows = [
            (f, s.fault)
            for of_test in K.findings.values()
            for f in of_test
            for s in f.shape.speaks
            if s.itself
        ]
        self.assertGreater(len(rows), 30)
        for known, fault in rows:
            with self.subTest((known.test, known.shape.name, fault)):
                self.assertAlmostEqual(known.finding.shows[fault][0], known.witness.wrong_share)

    def test_fluid_that_reads_in_range_is_good(self):
        opened = [symptom("restart_countdown"), entry("context", context="def_from_cans"), scan()]
        read = entry("reading", test="def_concentration", value=32.5, unit="percent")
        self.assertGreater(odds(*opened, fault="def_quality_poor"), 0.2)
        self.assertLess(odds(*opened, read, fault="def_quality_poor"), 0.02)


if __name__ == "__main__":
    unittest.main()
