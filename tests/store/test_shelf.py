"""What the workshop adds: kept, capped, taken down with who and when, and felt by the open jobs at once."""

from frosty_piston.core.errors import BadInput, NotHere
from frosty_piston.job.afterwards.experience import OwnCode
from tests.cases import MODERN, code, job_file, scan, symptom
from tests.store.test_workshop import WithWorkshop

WHY = "four of the last five"


class Shelf(WithWorkshop):
    def job(self):
        import json

        self.workshop.tapes.import_file(
            json.dumps(
                job_file(symptom("limp_mode"), code("P2263"), code("P1662"), scan(), engine=MODERN)
            ).encode()
        )

    def odds(self, fault="turbo_actuator_motor"):
        return next(
            s.probability
            for s in self.workshop.tapes.job("case").assessed.suspicion.suspects
            if s.fault == fault
        )

    def test_a_pattern_moves_open_jobs_and_the_yard_at_once_and_comes_down_again(self):
        self.job()
        before, shown = self.odds(), self.workshop.yard.jobs()[0].suspect
        number = self.workshop.shelf.add_pattern("Norra D4-22", "turbo_actuator_motor", 5.0, "Sunniva", WHY)
        self.assertGreater(self.odds(), 2 * before)
        self.assertTrue(self.workshop.tapes.settle())
        self.assertNotEqual(self.workshop.yard.jobs()[0].suspect, shown)
        self.assertEqual(self.reopened().shelf.experience.patterns[0].why, WHY)
        self.workshop.shelf.end_pattern(number, "Ylva")
        self.assertAlmostEqual(self.odds(), before)
        ((pattern, by, _),) = self.workshop.shelf.ended_patterns()
        self.assertEqual((pattern.fault, by), ("turbo_actuator_motor", "Ylva"))
        with self.assertRaises(NotHere):
            self.workshop.shelf.end_pattern(99, "x")

    def test_all_that_is_wrong_with_a_pattern_is_said_at_once(self):
        with self.assertRaises(BadInput) as caught:
            self.workshop.shelf.add_pattern(" ", "nope", 50, "", "x")
        self.assertEqual({f.path for f in caught.exception.faults}, {"engine", "fault", "times", "by", "why"})
        self.assertEqual(self.workshop.shelf.experience.patterns, ())

    def test_a_code_of_a_makers_own_gets_the_workshops_text(self):
        self.job()
        seen = lambda: next(c for c in self.workshop.tapes.job("case").assessed.codes if c.code == "P1662")  # noqa: E731
        self.assertIn("not known here", seen().why)
        self.workshop.shelf.save_code(OwnCode("P1662", "Winch lock", "wiring", "plausibility", "Ylva"))
        self.assertEqual((seen().title, seen().kind), ("Winch lock", "plausibility"))
        self.workshop.shelf.save_code(
            OwnCode("P1662", "Winch lock: speed held", "wiring", "plausibility", "Ylva")
        )
        self.assertEqual(self.reopened().shelf.experience.codes["P1662"].text, "Winch lock: speed held")
        self.workshop.shelf.drop_code("P1662")
        self.assertEqual(self.workshop.shelf.experience.codes, {})

    def test_tools_that_are_not_here(self):
        self.job()
        self.workshop.shelf.lack(["smoke", "no such tool"])
        self.assertEqual(self.reopened().shelf.experience.lacking, {"smoke"})
        self.assertNotIn(
            "boost_leak", [n.test for n in self.workshop.tapes.job("case").assessed.proposals.next_tests]
        )

    def test_jobs_are_found_by_every_word(self):
        self.job()
        self.assertEqual([r.id for r in self.workshop.yard.find(["case", "van"], 5)], ["case"])
        self.assertEqual(self.workshop.yard.find(["case", "tractor"], 5), [])
        self.assertEqual(self.workshop.yard.find(["%"], 5), [])
