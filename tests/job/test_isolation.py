"""A leak on a circuit of the job: one place is one find, what each test clears, where to pump next, when the
whole is wanted again."""

import json
import unittest

from frosty_piston.job.answer import answer
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.circuit.leaks import TESTS
from frosty_piston.job.circuit.on_tape import leaking_on
from frosty_piston.job.tape.jobfile import read
from frosty_piston.knowledge import load_knowledge
from tests.cases import VACUUM, entry, held, job_file, scan, symptom, vacuum_circuit

K = load_knowledge()
STOP = symptom("wont_stop")
MENDED = entry("action", action="refitted", what="hose", repair="stop_line", where={"node": "h3"})


def assessed_job(*entries, engine=VACUUM):
    return Assessed(job_of(read(json.dumps(job_file(*entries, engine=engine)).encode(), K)), K)


def look(at, outcome):
    return entry("outcome", test="vacuum_look", where={"node": at}, outcome=outcome)


class Isolating(unittest.TestCase):
    def on(self, *entries, hoses=None, complaint=STOP, engine=VACUUM):
        self.assessed = assessed_job(
            complaint, scan(), vacuum_circuit(**(hoses or {})), *entries, engine=engine
        )
        return self.assessed.isolation

    def left(self, found):
        ids = found.leaking.ids
        return {i for n, i in enumerate(ids) if found.left >> n & 1}

    def suspects(self):
        return {s["fault"]: s for s in answer(self.assessed)["suspects"]}

    def test_what_each_place_stands_for(self):
        leaking = leaking_on(assessed_job(vacuum_circuit(), engine=VACUUM).job, K)
        faults = dict(zip(leaking.ids, leaking.faults, strict=True))
        hose = ("vacuum_hose_leak", "vacuum_hose_off")
        for at, wanted in (
            ("h1", hose),
            ("h3", ("stop_line_leak",)),
            ("h4", ("stop_line_leak",)),
            ("h9", hose),
            ("t", ("vacuum_hose_leak",)),
            ("k", ("stop_key_switch",)),
            ("s", ("stop_actuator_leak",)),
            ("z", ("boost_solenoid_fault",)),
            ("a", ("turbo_vacuum_actuator",)),
            ("v", ("vacuum_check_valve",)),
            ("r", ("vacuum_reservoir_leak",)),
        ):
            with self.subTest(at):
                self.assertEqual(faults[at], wanted)

    def test_a_hose_off_in_the_stop_line_is_one_find(self):
        for seen in (look("h3", "off"), look("h4", "split"), held("h3", 0.0, start=8.0, test="vacuum_hold")):
            with self.subTest(seen["data"]):
                found = self.on(seen)
                suspects = self.suspects()
                self.assertGreater(suspects["stop_line_leak"]["probability"], 0.9)
                self.assertLess(suspects["vacuum_hose_off"]["probability"], 0.02)
                self.assertEqual(found.found, seen["data"]["where"]["node"])
                first = suspects["stop_line_leak"]["parts"][0]
                self.assertEqual(first["node"], seen["data"]["where"]["node"])
                self.assertGreater(first["probability"], 0.85)

    def test_what_hangs_behind_a_solenoid_without_power_was_not_tested(self):
        behind = {"h9", "a"}
        for powered, reached in ((True, behind), (False, set())):
            with self.subTest(powered=powered):
                tight = held("h8", 59.0, s=2400, conditions={"energised": powered})
                found = self.on(tight, complaint=symptom("limp_mode"))
                cleared = {i for n, i in enumerate(found.leaking.ids) if found.cleared >> n & 1}
                self.assertEqual(cleared & {"h8", "z", *behind}, {"h8", "z"} | reached)
        self.assertFalse(
            self.on(held("h1", 59.0, s=2400, conditions={"energised": False})).whole_holds,
        )

    def test_a_powered_solenoid_is_held_with_what_it_opens_to(self):
        for powered, reached in ((True, {"z", "h9", "a"}), (False, {"z"}), (None, {"z"})):
            more = {} if powered is None else {"conditions": {"energised": powered}}
            found = self.on(held("z", 12.0, test="vacuum_hold", **more), complaint=symptom("limp_mode"))
            ids = found.leaking.ids
            tested = {i for n, i in enumerate(ids) if found.leaks.tried[-1].tested >> n & 1}
            self.assertEqual(tested, reached, powered)

    def test_a_hose_pumped_by_itself_leaks_and_is_not_off(self):
        self.on(held("h9", 0.0, s=3, test="vacuum_hold"), complaint=symptom("no_boost"))
        suspects = self.suspects()
        self.assertGreater(suspects["vacuum_hose_leak"]["probability"], 0.8)
        self.assertLess(suspects["vacuum_hose_off"]["probability"], 0.1)

    def test_the_parts_of_a_suspect_sum_to_it(self):
        self.on(held("h2", 20.0))
        for suspect in self.suspects().values():
            if "parts" in suspect:
                self.assertAlmostEqual(
                    sum(p["probability"] for p in suspect["parts"]), suspect["probability"], delta=0.002
                )

    def test_what_is_left_after_each_answer(self):
        stop, turbo = {"h3", "k", "h4", "s"}, {"h8", "z", "h9", "a"}
        for entries, left, found in (
            ([held("h3", 20.0)], stop, ""),
            ([held("h3", 20.0), held("h4", 59.0)], {"h3", "k"}, ""),
            ([held("h3", 20.0), held("h4", 59.0), held("k", 59.5)], {"h3"}, "h3"),
            ([held("h8", 20.0)], turbo, ""),
            ([held("h8", 20.0), held("a", 20.0, test="vacuum_hold")], {"a"}, "a"),
            ([held("h3", 59.5)], {"h1", "t", "h2", "t2", "h5", "b", "h6", "v", "h7", "r"} | turbo, ""),
            ([held("h2", 20.0, blocked=["h5", "h6"])], {"h2", "t2"}, ""),
        ):
            with self.subTest([e["data"]["where"] for e in entries]):
                found_now = self.on(*entries)
                self.assertEqual(self.left(found_now), left)
                self.assertEqual(found_now.found, found)
                self.assertFalse(found_now.several or found_now.contradicts)

    def test_what_a_short_wait_or_a_reservoir_hides_is_not_cleared(self):
        # a litre and more hangs on h7: twenty seconds tell little of it, two minutes do
        for seconds, cleared in ((20, False), (120, True)):
            with self.subTest(seconds):
                found = self.on(held("h7", 60.0, s=seconds))
                self.assertEqual("h7" not in self.left(found), cleared)

    def test_two_sections_that_share_nothing_are_two_leaks(self):
        found = self.on(held("h3", 20.0), held("h8", 20.0))
        self.assertTrue(found.several)
        self.assertEqual(self.left(found), {"h8", "z", "h9", "a"})

    def test_answers_that_contradict_each_other_are_said(self):
        found = self.on(held("h3", 20.0), held("k", 59.5), held("h3", 59.8, test="vacuum_hold"))
        self.assertTrue(found.contradicts)

    def test_where_the_last_hands_were_is_looked_at_first(self):
        found = self.on(hoses={"h3": {"last_hands": True}})
        self.assertEqual(found.look_first, "h3")
        of_circuit = [t for t in answer(self.assessed)["next_tests"] if t["test"] in TESTS]
        self.assertEqual((of_circuit[0]["test"], of_circuit[0]["where"]), ("vacuum_look", {"node": "h3"}))
        self.assertEqual(self.on(look("h3", "sound"), hoses={"h3": {"last_hands": True}}).look_first, "")

    def test_fewer_steps_and_minutes_than_one_by_one(self):
        found = self.on()
        self.assertLess(found.still.minutes, 0.6 * found.one_by_one.minutes)
        self.assertLess(found.still.steps, found.one_by_one.steps)

    def test_a_part_that_is_not_on_the_list_is_hardly_it(self):
        thump = symptom("low_power")
        without = {s["fault"]: s for s in answer(assessed_job(thump, scan(), engine=VACUUM))["suspects"]}
        self.on(complaint=thump)
        self.assertLess(
            self.suspects()["vacuum_mount_leak"]["probability"],
            0.2 * without["vacuum_mount_leak"]["probability"],
        )

    def test_after_a_mend_the_whole_is_tested_again(self):
        found = self.on(look("h3", "off"), MENDED)
        self.assertTrue(found.mended)
        self.assertFalse(found.whole_holds)
        self.assertEqual(found.found, "")
        self.assertTrue(self.on(look("h3", "off"), MENDED, held("h1", 59.0, s=2400)).whole_holds)
        again = self.on(look("h3", "off"), MENDED, held("h1", 30.0))
        self.assertFalse(again.whole_holds)
        self.assertIn("h9", self.left(again))

    def test_what_was_clamped_off_for_the_last_test_shows_as_blocked(self):
        clamped = held("h2", 20.0, blocked=["h5", "h6"])
        for entries, state in (([clamped], "blocked"), ([clamped, held("h3", 59.0)], "unknown")):
            self.assertEqual(self.on(*entries).states["h5"], state)

    def test_a_job_without_a_circuit_has_none(self):
        self.assertIsNone(assessed_job(STOP, scan(), engine=VACUUM).isolation)
        odd = entry("circuit", parts=[{"id": "x", "kind": "gizmo", "title": "X"}], hoses=[])
        self.assertIsNone(assessed_job(STOP, odd, engine=VACUUM).isolation)


if __name__ == "__main__":
    unittest.main()
