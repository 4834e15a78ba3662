"""What comes and goes: the wiggle before anything is unplugged, the face of a connector cavity by cavity."""

import json
import unittest

from tests.cases import MODERN, TICKED, code, entry, job_file, scan, symptom
from tests.web.test_api import WithClient

PLACE = {"node": "injector", "cylinder": "2"}


class ComesAndGoes(WithClient):
    def setUp(self):
        super().setUp()
        raw = job_file(
            symptom("misfire_intermittent"),
            code("P0202"),
            scan(),
            *TICKED,
            engine=MODERN,
        )
        self.workshop.tapes.import_file(json.dumps(raw).encode())

    def page(self, **asked):
        return self.client.get("/jobs/case/measure/intermittent", params={**PLACE, **asked}).text

    def post(self, name, **data):
        return self.client.post(f"/jobs/case/measure/{name}", data={"bench": "intermittent", **PLACE, **data})

    def last(self):
        return self.workshop.tapes.job("case").job.tape[-1].data

    def test_the_rate_is_said_while_it_is_counted(self):
        # 6 in 60 s and none in 60 s: 1 in 64; 4: 1 in 16; 3 in 60 s and 1 in 240 s: 1 in 37; 1 and 1: 3 in 4
        for wiggled, dropouts, rest, slips, says in (
            (60, 6, 60, 0, "about 1 in 64"),
            (60, 4, 60, 0, "about 1 in 16"),
            (60, 3, 240, 1, "about 1 in 37"),
            (60, 1, 60, 1, "about 3 in 4"),
            (60, 0, 60, 0, "steady for now"),
        ):
            with self.subTest(dropouts=dropouts, slips=slips):
                figures = {"wiggle_s": wiggled, "dropouts": dropouts, "rest_s": rest, "rest_dropouts": slips}
                answer = self.client.get(
                    "/jobs/case/measure/figures", params={"test": "wiggle", **PLACE, **figures}
                )
                self.assertEqual(answer.status_code, 200)
                self.assertIn(says, answer.text.replace("\xa0", " "))
        before = len(self.workshop.tapes.job("case").job.tape)
        for odd in ({"test": "nothing"}, {"test": "wiggle", "wiggle_s": "long"}, {}):
            self.assertEqual(self.client.get("/jobs/case/measure/figures", params=odd).status_code, 200)
        self.assertEqual(len(self.workshop.tapes.job("case").job.tape), before)

    def test_what_was_wiggled_is_kept(self):
        answer = self.post(
            "figures",
            test="wiggle",
            wiggle_s="60",
            dropouts="6",
            rest_s="60",
            rest_dropouts="0",
            note="loom at the bulkhead",
        )
        self.assertEqual(answer.status_code, 303)
        self.assertEqual((self.last().where.cylinder, self.last().note), (2, "loom at the bulkhead"))
        self.assertIn("Wiggled: loom at the bulkhead", self.page())

    def test_it_opens_on_what_the_codes_and_suspects_name(self):
        page = self.client.get("/jobs/case/measure/intermittent").text
        self.assertIn("Wiggle: injector, cylinder 2", page)

    def test_the_log_of_returns_feeds_the_drive(self):
        for after, first in (("60", "P0202"), ("80", "")):
            sent = {"symptom": "misfire_intermittent", "after": after, "axis": "distance_km", "first": first}
            self.assertEqual(self.post("came_back", **sent, cleared="Tuesday").status_code, 303)
        self.assertEqual([r.distance_km for r in self.last().returns], [60, 80])
        self.assertEqual((self.last().returns[0].first, self.last().returns[0].cleared), ("P0202", "Tuesday"))
        page = self.page().replace("\xa0", " ")
        self.assertIn("Came back after 70 km on average", page)
        # what Arrive writes of the same list keeps what was noted of each
        sent = {"symptom": "misfire_intermittent", "after": "60 90", "axis": "distance_km"}
        self.client.post("/jobs/case/arrive/returns", data=sent)
        self.assertEqual([(r.distance_km, r.first) for r in self.last().returns], [(60, "P0202"), (90, None)])
        for odd in ({"axis": "starts"}, {"after": "0"}, {"first": "X1"}, {"symptom": "low_power"}):
            sent = {"symptom": "misfire_intermittent", "after": "70", "axis": "distance_km", **odd}
            self.assertEqual(self.post("came_back", **sent).status_code, 422)

    def test_running_clean_in_between_clears_the_body(self):
        odds = lambda: self.workshop.tapes.job("case").assessed.suspicion.odds("injector_nozzle_worn")  # noqa: E731
        before = odds()
        self.assertEqual(self.post("clean", present="yes").status_code, 303)
        self.assertLess(odds(), 0.5 * before)
        self.assertIn("it speaks for the contact", self.page())
        self.post("clean", present="no")
        self.assertAlmostEqual(odds(), before, delta=0.01)
        self.assertEqual(self.post("clean", present="perhaps").status_code, 422)

    def test_what_was_opened_is_marked(self):
        self.assertNotIn("Disturbed", self.page())
        self.post("outcome", test="connector_look", outcome="dust")
        self.assertIn("Disturbed", self.page())
        self.assertNotIn("Disturbed", self.client.get("/jobs/case/measure/intermittent?cylinder=3").text)

    def test_unplugging_before_the_wiggle_is_warned_of(self):
        self.assertIn("Not wiggled yet", self.page())
        self.post("figures", test="wiggle", wiggle_s="60", dropouts="0", rest_s="60", rest_dropouts="0")
        self.assertNotIn("Not wiggled yet", self.page())
        self.assertIn("Not wiggled yet", self.page(cylinder="3"))

    def test_grip_cavity_by_cavity_on_a_face_that_is_numbered_as_said(self):
        self.assertEqual(
            self.post("connector", rows="2", each="3", latch="left", from_right="yes").status_code, 303
        )
        page = self.page(pin="4")
        self.assertIn("2 rows of 3, latch left", page)
        self.assertEqual(page.count('class="cavity'), 6)
        self.assertRegex(page, r'aria-label="Cavity 1: not tested"><rect x="126" y="6"')
        self.assertRegex(page, r'name="pin" type="text" value="4"')
        self.post("outcome", test="terminal_fit", outcome="loose", pin="4")
        self.assertEqual((self.last().where.pin, self.last().outcome), ("4", "loose"))
        self.assertIn("Cavity 4: loose", self.page())
        self.assertIn("Cavity 4: not tested", self.page(cylinder="1"))
        for data, says in (
            ({"rows": "", "each": "2"}, "say how many"),
            ({"rows": "9", "each": "2"}, "1 to 6"),
            ({"rows": "x", "each": "2"}, "no figure"),
        ):
            answer = self.post("connector", latch="top", **data)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(says, answer.text.replace("\xa0", " "))

    def test_a_swap_that_follows_is_the_part(self):
        self.post("outcome", test="swap_parts", outcome="follows")
        self.assertIn("Follows", self.page())
        self.post("outcome", test="connector_look", outcome="dust", note="grey-black")
        self.assertIn("Dust", self.page())

    def test_any_part_with_a_plug(self):
        page = self.page(node="egr_valve")
        self.assertIn("Wiggle: EGR valve", page)
        self.assertNotIn('id="place-cylinder"', page)
        self.assertEqual(
            self.client.get("/jobs/case/measure/intermittent?node=no&cylinder=99&pin=x").status_code, 200
        )

    def test_dropouts_speak_for_the_plug(self):
        figures = {"wiggle_s": 60.0, "dropouts": 9.0, "rest_s": 60.0, "rest_dropouts": 0.0}
        seen = entry("outcome", test="wiggle", where={"node": "injector", "cylinder": 2}, figures=figures)
        self.client.post("/api/v1/jobs/case/entries", json=[{"id": "w", **seen}])
        suspects = self.client.get("/api/v1/jobs/case/assessment").json()["suspects"]
        self.assertEqual(suspects[0]["fault"], "injector_connector_fretted")


if __name__ == "__main__":
    unittest.main()
