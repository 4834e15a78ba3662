"""Own odds: what a proven job teaches, when it moves anything, and that a proof is never hidden; the year."""

import csv
import io
import json
import unittest
from datetime import UTC, datetime

from frosty_piston.job.afterwards.case import Case, case_of
from frosty_piston.job.afterwards.experience import Experience
from frosty_piston.job.afterwards.learned import comebacks_learned, repairs_learned, tests_learned
from frosty_piston.job.afterwards.year import year_of
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.engine import EngineCard
from frosty_piston.job.weighing.own_odds import Counts, Own, capped
from frosty_piston.rig.demo.year import made_up_year
from tests.cases import NORRA, entry, job_file, plugs, symptom
from tests.job.test_next_step import DONE, SURE, K, at
from tests.web.test_api import WithClient

CARD = EngineCard.model_validate(NORRA)
PROOF = [
    entry("proof_step", repair="glow_plugs", step=s, result="pass") for s in ("remeasure", "clear", "codes")
]
COLD = entry(
    "proof_step", repair="glow_plugs", step="cold_start", result="pass", soaked_h=10, hours_sure=True
)
PROVEN = [*SURE, DONE, *plugs([1.0] * 4), *PROOF, COLD]
WHEN = datetime(2026, 6, 1, 12, tzinfo=UTC)


def timed(entries, minutes=5):
    """Entries so many minutes apart."""
    return [
        {**e, "at": f"2026-06-01T{8 + n * minutes // 60:02}:{n * minutes % 60:02}:00Z"}
        for n, e in enumerate(entries)
    ]


def of(n, fault="glow_plugs_open", system="glow", **more):
    return {f"j{i}": ("Norra D4-22", system, {fault: 1.0}) for i in range(n)} | more


class OneCase(unittest.TestCase):
    def case(self, *entries):
        return case_of(at(*entries).job, K, WHEN)

    def test_a_proven_job_teaches_what_was_mended_and_what_was_said(self):
        case = self.case(*timed(PROVEN))
        self.assertTrue(case.proven and case.right)
        self.assertAlmostEqual(sum(case.faults.values()), 1.0)
        self.assertEqual(max(case.faults, key=case.faults.get), "glow_plugs_open")
        self.assertGreater(case.stated, 0.8)
        self.assertEqual(case.repairs, [("glow_plugs", "replaced", True)])
        self.assertEqual(set(case.stages), {"arrive", "measure", "fit", "prove"})
        self.assertIn("glow_resistance", case.tests)
        self.assertEqual(Case.of_json(json.loads(json.dumps(case.as_json()))), case)

    def test_one_that_is_not_proven_teaches_no_rate_and_one_without_a_repair_nothing(self):
        case = self.case(*SURE, DONE)
        self.assertEqual((case.proven, case.faults, case.right), (False, {}, False))
        self.assertIsNone(self.case(*SURE))

    def test_the_second_repair_that_took_makes_the_first_a_wrong_one(self):
        battery = entry("action", action="replaced", what="battery", repair="battery_weak")
        case = self.case(*SURE[:2], battery, *SURE[2:], DONE, *plugs([1.0] * 4), *PROOF, COLD)
        self.assertFalse(case.right)
        self.assertEqual([took for _, _, took in case.repairs], [False, case.proven])


class Moves(unittest.TestCase):
    def odds(self, own, fault="glow_relay_contacts", job="case"):
        assessed = at(symptom("hard_start_cold"), entry("code_scan"))
        mine = Assessed(assessed.job, K, Experience(own=own))
        self.assertEqual(mine.job.id, job)
        return mine.suspicion.odds(fault), mine

    def test_only_when_it_is_switched_on_and_it_is_named_where_it_moves(self):
        plain_odds, _ = self.odds(Own())
        many = of(30, "glow_relay_contacts")
        self.assertEqual(self.odds(Own(False, many))[0], plain_odds)
        moved, assessed = self.odds(Own(True, many))
        self.assertGreater(moved, plain_odds)
        up, _ = assessed.suspicion.moved_by("glow_relay_contacts")
        named = [m for m in up if m.says.startswith("Own odds")]
        self.assertEqual((len(named), named[0].pattern), (1, True))
        self.assertIn("30 proven jobs", named[0].because)

    def test_under_three_jobs_nothing_and_never_more_than_four_times(self):
        self.assertEqual(Own(True, of(2)).times(CARD, K), {})
        learned = Own(True, of(3000)).times(CARD, K)
        self.assertGreater(learned["glow_plugs_open"].times, 1)
        self.assertEqual([capped(t) for t in (0.01, 0.25, 1.0, 4.0, 90.0)], [0.25, 0.25, 1.0, 4.0, 4.0])

    def test_a_job_never_teaches_itself(self):
        own = Own(True, of(3, case=("Norra D4-22", "glow", {"glow_relay_contacts": 1.0})))
        self.assertEqual(own.learned(CARD, K)["glow_relay_contacts"].jobs, 4)
        self.assertEqual(own.learned(CARD, K, "case")["glow_relay_contacts"].jobs, 3)
        without = Own(True, of(3))
        self.assertEqual(self.odds(own)[0], self.odds(without)[0])

    def test_what_other_workshops_counted_counts_too(self):
        pooled = {"Norra D4-22": (Counts({"glow": 10}, {"glow_plugs_open": 9}, "Far shore"),)}
        learned = Own(True, of(3), pooled).learned(CARD, K)["glow_plugs_open"]
        self.assertEqual(learned.jobs, 13)

    def test_a_proof_at_the_part_is_asked_for_all_the_same(self):
        strong = Own(True, of(500, "battery_weak"))
        _, assessed = self.odds(strong, "battery_weak")
        self.assertFalse(assessed.proposals.sure.enough)
        self.assertTrue(assessed.proposals.next_tests)


class Pages(WithClient):
    def finish(self, job_id="done"):
        file = job_file(*timed([*PROVEN, entry("handover", to="Owner")]), job_id=job_id)
        self.workshop.tapes.import_file(json.dumps(file).encode())

    def test_a_finished_job_is_read_once_and_counts_stand_with_their_intervals(self):
        for n in range(4):
            self.finish(f"done-{n}")
        page = self.client.get("/shelf/own").text
        for says in (
            "4 proven of 4 finished jobs",
            "Norra D4-22",
            "Glow plugs open circuit",
            "They move nothing yet",
        ):
            self.assertIn(says, page)
        self.assertEqual(len(self.workshop.cases.all()), 4)
        self.client.get("/shelf/own")
        self.assertEqual(len(self.workshop.cases.all()), 4)

    def test_switched_on_it_moves_open_jobs_and_says_so(self):
        for n in range(4):
            self.finish(f"done-{n}")
        self.client.get("/shelf/own")
        new = job_file(symptom("hard_start_cold"), entry("code_scan"), job_id="new")
        self.workshop.tapes.import_file(json.dumps(new).encode())
        before = self.workshop.tapes.job("new").assessed.suspicion.odds("glow_plugs_open")
        self.client.post("/shelf/own/switch", data={"on": "yes"})
        after = self.workshop.tapes.job("new").assessed.suspicion.odds("glow_plugs_open")
        self.assertGreater(after, before)
        self.assertIn("Own odds: the proven jobs", self.client.get("/jobs/new/why/glow_plugs_open").text)
        self.client.post("/shelf/own/switch", data={"on": "no"})
        self.assertEqual(self.workshop.tapes.job("new").assessed.suspicion.odds("glow_plugs_open"), before)

    def test_out_as_a_file_and_in_again_elsewhere_marked(self):
        for n in range(3):
            self.finish(f"done-{n}")
        self.workshop.settings.save("letterhead", {"name": "Far shore"})
        given = self.client.get("/shelf/own.json")
        sent = given.json()
        self.assertEqual(
            (sent["workshop"], sent["cards"]["Norra D4-22"]["jobs"]), ("Far shore", {"glow": 3.0})
        )
        self.assertNotIn("Van", given.text)
        for _ in range(2):
            answer = self.client.post("/shelf/own/pool", files={"file": ("own-odds.json", given.content)})
            self.assertEqual(answer.status_code, 303)
        self.assertEqual(len(self.workshop.cases.pooled), 1)
        self.assertIn("with Far shore", self.client.get("/shelf/own").text)
        self.assertEqual(self.workshop.cases.export("x")["cards"], sent["cards"])
        self.client.post("/shelf/own/drop", data={"workshop": "Far shore"})
        self.assertEqual(self.workshop.cases.pooled, [])

    def test_files_that_are_none(self):
        def file(**more):
            return json.dumps(
                {"format": "frosty-piston/own-odds", "version": 1, "workshop": "x", "cards": {}, **more}
            )

        card = {"jobs": {"start": 1}, "faults": {}}
        for data, says in (
            ("", "choose the file"),
            ("no", "is no JSON"),
            ("[" * 5000, "is no JSON"),
            (json.dumps([1]), "does not say"),
            (file(version=2), "does not say"),
            (file(workshop=""), "names its workshop"),
            (file(cards={"A": 3}), "jobs and faults are wanted"),
            (file(cards={"A": {"jobs": 1, "faults": {}}}), "a count for each name"),
            (file(cards={"A": {**card, "faults": {"poem": 1}}}), "a known name with 0 to 100 000"),
            (file(cards={"A": {**card, "jobs": {"start": -1}}}), "a known name with 0 to 100 000"),
            (file(cards={"A": {**card, "jobs": {"start": True}}}), "a known name with 0 to 100 000"),
            ("x" * 2_000_001, "larger than 2 MB"),
        ):
            with self.subTest(says):
                answer = self.client.post("/shelf/own/pool", files={"file": ("f.json", data.encode())})
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says, answer.text.replace("&#39;", "'"))
        self.assertEqual(self.workshop.cases.pooled, [])

    def test_the_year_on_a_page_and_as_csv(self):
        self.assertIn("Nothing finished yet", self.client.get("/year").text)
        self.finish()
        page = self.client.get("/year?y=2026").text
        for says in ("The year 2026", "1 finished jobs, 1 proven, 1 cured by the first repair"):
            self.assertIn(says, page)
        rows = list(csv.DictReader(io.StringIO(self.client.get("/year.csv?y=2026").text)))
        self.assertEqual((len(rows), rows[0]["first_time"], rows[0]["system"]), (1, "True", "glow"))
        self.assertEqual(self.client.get("/year?y=1999").status_code, 404)
        self.assertEqual(self.client.get("/year?y=x").status_code, 404)


class MadeUp(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.cases = list(made_up_year(K, {"Norra D4-22": CARD}, WHEN, 400))

    def test_a_year_of_four_hundred_jobs_adds_up(self):
        years = [year_of(self.cases, y, K) for y in (2025, 2026)]
        self.assertEqual(sum(y.jobs for y in years), 400)
        for y in years:
            self.assertEqual((sum(s.jobs for s in y.systems), sum(y.months)), (y.jobs, y.jobs))
            self.assertLessEqual(y.first_time, y.proven)
            self.assertTrue(0 < y.brier < 0.25)
        self.assertTrue(any(y.comebacks for y in years) and any(y.silent for y in years))

    def test_times_repairs_and_comebacks_are_learned(self):
        for lines in (tests_learned(self.cases, K), repairs_learned(self.cases, K)):
            self.assertTrue(lines)
            for line in lines:
                self.assertTrue(line.learned.low <= line.learned.own <= line.learned.high, line.title)
        back = comebacks_learned(self.cases)
        self.assertTrue(0 < back.own < 0.4)


if __name__ == "__main__":
    unittest.main()
