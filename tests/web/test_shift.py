"""A job handed on: what was done, what lies on the bench, what runs; shown until it is taken over."""

import html
import json
from uuid import uuid4

from frosty_piston.job.afterwards.shift import last_shift, left_by
from tests.cases import MODERN, entry, job_file, outcome, symptom
from tests.job.test_proof import at
from tests.web.test_api import WithClient

OFF = entry(
    "action", action="unplugged", what="injector 2 connector", where={"node": "injector", "cylinder": 2}
)
ON = entry(
    "action", action="plugged_in", what="injector 2 connector", where={"node": "injector", "cylinder": 2}
)
SOAKS = entry("wait", wait="soak", what="Cooler soaks", until="2026-11-02T14:20:00Z")
UP = entry("state", state="raised")


def by(name, one):
    return {**one, "by": name}


class Shifts(WithClient):
    def open(self, *entries):
        self.job = f"shift-{uuid4().hex[:8]}"
        self.workshop.tapes.import_file(
            json.dumps(job_file(*entries, engine=MODERN, job_id=self.job)).encode()
        )

    def post(self, form, **data):
        return self.client.post(f"/jobs/{self.job}/shift/{form}", data={"entry_id": str(uuid4()), **data})

    def page(self, path="shift"):
        return html.unescape(self.client.get(f"/jobs/{self.job}/{path}").text)

    def test_what_is_left_is_made_from_the_tape(self):
        for entries, lines in (
            ([OFF], ("Unplugged: injector, cylinder 2",)),
            ([OFF, ON], ()),
            ([UP], ("Vehicle is raised",)),
            ([UP, entry("state", state="raised", on=False)], ()),
            ([entry("piece", name="plug tip", went="bore")], ("Missing: plug tip",)),
        ):
            with self.subTest(str(entries)):
                self.assertEqual(left_by(at(symptom("misfire"), *entries), "", "x").bench, lines)
        running = left_by(at(symptom("misfire"), SOAKS), "", "x").running
        self.assertTrue(running[0].startswith("Cooler soaks, until Mon"))

    def test_each_says_what_they_did_since_it_was_handed_on(self):
        mine, yours = by("Ylva", outcome("intake_look", "sound")), by("Torvald", outcome("def_look", "clean"))
        handed = by("Torvald", entry("shift", did=["x"], next="y"))
        did = left_by(at(symptom("misfire"), yours, handed, mine), "Ylva", "x").did
        self.assertTrue(any("Intake" in line for line in did), did)
        self.assertFalse(any("DEF" in line for line in did), did)

    def test_one_press_and_the_next_sees_it_until_it_is_taken_over(self):
        self.open(symptom("misfire"), OFF, SOAKS)
        self.assertNotIn("Handed on", self.page("measure"))
        self.assertEqual(self.post("hand", note="bolt 3 is the long one").status_code, 303)
        handed = last_shift(self.workshop.tapes.job(self.job).job)
        self.assertIn("What is left, and take it over", self.page("measure"))
        page = self.page()
        for says in ("bolt 3 is the long one", "Unplugged: injector, cylinder 2", "Cooler soaks"):
            self.assertIn(says, page)
        self.assertEqual(self.post("take", takes=handed.id).status_code, 303)
        self.assertNotIn("Handed on", self.page("measure").split('id="tape"')[0])
        again = self.post("take", takes=handed.id)
        self.assertEqual(again.status_code, 422)
        self.assertIn("taken over already", html.unescape(again.text))
        self.assertEqual(self.post("other").status_code, 404)
