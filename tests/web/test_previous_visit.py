"""The same vehicle again: the visit before in one panel, and what the codes of now have to do with it."""

import json
import unittest
from datetime import UTC, datetime, timedelta

from frosty_piston.job.afterwards.previous_visit import visit_before
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.repair.prove import prove
from frosty_piston.job.tape.jobfile import check
from tests.cases import MODERN, code, entry, job_file, outcome, scan, symptom
from tests.job.test_proof import K
from tests.web.test_api import WithClient

ODOMETER = {"name": "odometer", "unit": "km"}
BEFORE = [
    symptom("misfire_intermittent"),
    code("P0202"),
    scan(),
    entry("condition", value=184000.0, **ODOMETER),
    outcome("connector_look", "dust", node="injector", cylinder=2),
    {
        **entry("action", action="replaced", what="EGR valve", repair="egr_valve"),
        "by": "Sunniva",
        "at": "2026-01-14T09:00:00Z",
    },
]


def assessed(*entries, job_id):
    return Assessed(job_of(check(job_file(*entries, engine=MODERN, job_id=job_id), K)), K)


class Held(unittest.TestCase):
    def hows(self, *codes):
        before = assessed(*BEFORE, job_id="before")
        now = assessed(symptom("low_power"), *(code(c) for c in codes), scan(), job_id="now")
        return visit_before(before, prove(before), now)

    def test_the_same_a_consequence_or_new(self):
        for name, how, why in (
            ("P0202", "same", "it was there at the visit before"),
            ("P0300", "same", "injector connector worn"),
            ("P0401", "consequence", "hands were there"),
            ("P20EE", "new", "nothing that was wrong or touched"),
        ):
            with self.subTest(name):
                (found,) = self.hows(name).codes
                self.assertEqual(found.how, how, found)
                self.assertIn(why, found.because)

    def test_what_it_comes_to(self):
        for codes, says in (
            ((), "Read the codes"),
            (("P20EE",), "A new fault"),
            (("P0401", "P20EE"), "Likely a consequence"),
            (("P0202", "P0401"), "Likely the same fault"),
        ):
            self.assertIn(says, self.hows(*codes).said)

    def test_what_was_done_and_where_hands_were(self):
        found = self.hows("P0202")
        self.assertEqual([(d.what, d.by) for d in found.done], [("EGR valve", "Sunniva")])
        self.assertEqual(set(found.hands), {"EGR valve", "Injectors"})
        self.assertEqual(found.suspects[0][0], K.faults["injector_connector_fretted"].title)
        self.assertEqual(found.proven, "On trial")


class OnArrive(WithClient):
    def setUp(self):
        super().setUp()
        self.workshop.garage.add_vehicle({"name": "Van"}, None)

    def visit(self, days, *entries, job_id):
        raw = job_file(*entries, engine=MODERN, job_id=job_id)
        opened = datetime.now(UTC) - timedelta(days=days)
        raw["job"]["opened_at"] = opened.strftime("%Y-%m-%dT%H:%M:%SZ")
        self.workshop.tapes.import_file(json.dumps(raw).encode())

    def test_one_panel_with_days_and_distance(self):
        self.visit(30, *BEFORE, job_id="before")
        self.visit(
            0,
            symptom("misfire_intermittent"),
            code("P0202"),
            scan(),
            entry("condition", value=184350.0, **ODOMETER),
            job_id="now",
        )
        page = self.client.get("/jobs/now/arrive").text.replace("\xa0", " ")
        for words in (
            "Here 30 days ago, 350 km",
            "Likely the same fault",
            "EGR valve, Sunniva",
            "the same</b>",
        ):
            self.assertIn(words, page)
        self.assertNotIn("Back again", page)
        self.assertNotIn('id="again"', self.client.get("/jobs/before/arrive").text)

    def test_long_ago_is_only_a_line(self):
        self.visit(400, *BEFORE, job_id="before")
        self.visit(0, symptom("low_power"), job_id="now")
        page = self.client.get("/jobs/now/arrive").text
        self.assertNotIn('id="again"', page)
        self.assertIn("Back again", page)


if __name__ == "__main__":
    unittest.main()
