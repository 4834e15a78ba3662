"""What is still to do on a job, as the day plan lays it out: in order, with its waits, cold and countdown."""

import unittest
from datetime import UTC, datetime, timedelta

from frosty_piston.core.day import Person
from frosty_piston.job.day.setup import Break, DaySetup, Hours, windows
from frosty_piston.job.day.steps import job_day, offers_of
from frosty_piston.job.repair.decide import Prices
from frosty_piston.job.stages import standing
from tests.cases import NORRA, entry, outcome, plugs, symptom
from tests.job.test_countdown import COUNTS, SHORT
from tests.job.test_next_step import DONE, FOUND, PICKED, SURE, SWEPT, YES, K, at

NOW = datetime(2026, 11, 4, 8, tzinfo=UTC)  # a Wednesday


def laid(*entries, engine=NORRA, now=NOW):
    stands = standing(at(*entries, engine=engine))
    return job_day(stands, "Van", now, offers_of(stands, Prices())), stands


def titles(made):
    return list(dict.fromkeys(p.title for p in made.work.pieces))


def wait(kind, hours=None, step=None, **more):
    until = {"until": (NOW + timedelta(hours=hours)).isoformat()} if hours else {}
    return entry("wait", wait=kind, what="it", **until, **({"step": step} if step else {}), **more)


class Chain(unittest.TestCase):
    def test_the_first_piece_is_the_next_step_wherever_a_job_stands(self):
        for entries in (
            [],
            [symptom("no_start")],
            FOUND,
            SURE,
            [*SURE, PICKED],
            [*SURE, PICKED, YES],
            [*SURE, DONE],
        ):
            made, stands = laid(*entries)
            with self.subTest(stands.after_waits.does):
                self.assertEqual(made.work.pieces[0].title, stands.after_waits.does)

    def test_from_a_suspicion_to_the_handover_in_order(self):
        made, _ = laid(*SURE)
        said = titles(made)
        wanted = [
            "Decide",
            "Ask the owner",
            "Wait for the owner's word",
            "Read again",
            "Start it cold",
            "Hand over",
        ]
        places = [next(i for i, t in enumerate(said) if t.startswith(w)) for w in wanted]
        self.assertEqual(places, sorted(places))
        self.assertEqual(len({p.id for p in made.work.pieces}), len(made.work.pieces))

    def test_what_was_asked_and_done_is_not_asked_again(self):
        self.assertNotIn("Ask the owner", titles(laid(*SURE, PICKED, YES)[0]))
        done = titles(laid(*SURE, DONE)[0])
        self.assertFalse([t for t in done if "plug" in t and "Read" not in t], done)

    def test_nothing_found_is_handed_over_and_not_repaired(self):
        made, stands = laid(symptom("hard_start_cold"), entry("code_scan"))
        self.assertGreater(len(made.work.pieces), 2)
        self.assertLessEqual(sum(p.id.split("/")[1].startswith("test-") for p in made.work.pieces), 5)
        self.assertEqual(stands.after_waits.kind, "test")

    def test_before_the_codes_are_read_nothing_more_is_guessed(self):
        made, _ = laid(symptom("no_start"))
        self.assertEqual((len(made.work.pieces), len(made.notes)), (1, 1))

    def test_long_work_may_be_parted_and_waits_never_are(self):
        made, _ = laid(*SWEPT, outcome("actuator_sweep", "stuck"))
        self.assertTrue(all(p.wait or p.minutes <= 45 for p in made.work.pieces))


class Waits(unittest.TestCase):
    def test_a_running_wait_comes_first_and_lets_the_vehicle_out_only_when_it_can_roll(self):
        for kind, hours, lets_out in (("parts", 30, True), ("parts", 0.5, False), ("soak", 30, False)):
            with self.subTest(kind=kind, hours=hours):
                first = laid(*SURE, PICKED, YES, wait(kind, hours))[0].work.pieces[0]
                self.assertEqual((first.wait, first.minutes, first.lets_out), (True, hours * 60, lets_out))

    def test_a_wait_without_a_date_is_said_and_nothing_is_laid_out(self):
        made, _ = laid(*SURE, PICKED, YES, wait("parts"))
        self.assertIn("no date is known", made.notes[0])
        self.assertEqual([p.wait for p in made.work.pieces], [True])

    def test_a_step_that_has_waited_does_not_wait_again(self):
        steps = [s.id for s in K.repairs["glow_plugs"].steps if s.wait]
        fresh = laid(*SURE, PICKED, YES)[0].work.pieces
        ended = [wait("soak", -2, steps[0]), entry("wait", wait="soak", what="it", state="ended", ends="e9")]
        again = laid(*SURE, PICKED, YES, *ended)[0].work.pieces
        self.assertEqual(
            len([p for p in fresh if p.wait]) - len([p for p in again if p.wait]), 1, [p.id for p in again]
        )

    def test_a_cold_start_waits_until_it_is_cold_unless_it_is(self):
        reread = [*SURE, DONE, *plugs([1.0] * 4)]
        cold = entry("state", state="engine_cold", on=True)
        for entries, waits in (([*reread], 1), ([*reread, cold], 0), ([*reread, wait("cold_soak", 6)], 1)):
            with self.subTest(len(entries)):
                pieces = laid(*entries)[0].work.pieces
                start = next(p for p in pieces if p.title.startswith("Start it cold"))
                before = [p for p in pieces[: pieces.index(start)] if p.wait]
                self.assertEqual(len(before), waits)
                self.assertIn("Nobody starts it before", start.why)


class Paid(unittest.TestCase):
    def test_what_the_countdown_cannot_pay_is_not_laid_out(self):
        near = {**COUNTS, "data": {**COUNTS["data"], "value": 20.0}}
        for counts, cut in ((COUNTS, False), (near, True)):
            made, _ = laid(symptom("restart_countdown"), entry("code_scan"), counts, SHORT)
            said = [n for n in made.notes if "countdown has not enough" in n]
            self.assertEqual(bool(said), cut, made.notes)
            self.assertEqual("Hand over" in titles(made), not cut)

    def test_standing_still_costs_what_the_owner_says_and_never_nothing(self):
        for per_day, coin in ((0, 50), (24_000, 50), (240_000, 500)):
            due = entry("deadline", until=(NOW + timedelta(hours=3)).isoformat(), standstill_per_day=per_day)
            work = laid(*SURE, due)[0].work
            self.assertEqual((work.deadline, work.coin_per_min), (180, coin))


class There(unittest.TestCase):
    def test_windows_of_a_week_with_breaks_and_days_off(self):
        hours = Hours(breaks=(Break(since="12:00", until="12:45"),), off=("2026-11-05",))
        at_nine = datetime(2026, 11, 4, 9, tzinfo=UTC)
        found = windows(hours, at_nine)
        self.assertEqual(found[:3], ((0, 180), (225, 450), (2 * 1440 - 90, 2 * 1440 + 180)))
        self.assertEqual(windows(hours, datetime(2026, 11, 4, 16, 16, tzinfo=UTC))[0][0], 2 * 1440 - 526)

    def test_hours_that_cannot_be(self):
        for wrong in (
            {"since": "16:00", "until": "08:00"},
            {"breaks": [{"since": "06:00", "until": "07:00"}]},
            {"breaks": [{"since": "13:00", "until": "12:00"}]},
        ):
            with self.assertRaises(ValueError):
                Hours.model_validate(wrong)

    def test_only_those_who_are_there_stand_on_the_plan(self):
        setup = DaySetup(hours={"Odd": Hours(there=False), "Ylva": Hours(may=("measure",))})
        people = setup.people(["Odd", "Ylva", "Sif"], NOW)
        self.assertEqual([p.name for p in people], ["Ylva", "Sif"])
        self.assertIsInstance(people[0], Person)
        self.assertEqual(people[0].tasks, {"measure"})


if __name__ == "__main__":
    unittest.main()
