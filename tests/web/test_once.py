"""Written once, whatever the network does: the same press again writes nothing, other content is told."""

import unittest
from uuid import uuid4

from sqlalchemy import text
from sqlalchemy.exc import DatabaseError

from tests.web import test_forms
from tests.web.test_forms import WithJob


class Once(WithJob):
    def sent(self, path, times=2, **fields):
        """Send the same form so many times; the entries that came of it."""
        before = len(self.tape())
        fields = {"entry_id": str(uuid4()), **fields}
        answers = [
            self.client.post(f"/jobs/case/{path}", data=fields, follow_redirects=False) for _ in range(times)
        ]
        self.assertEqual({a.status_code for a in answers}, {answers[0].status_code}, path)
        return self.tape()[before:]

    def test_every_form_sent_twice_writes_what_it_writes_once(self):
        for path, fields in test_forms.EveryField.FORMS.items():
            with self.subTest(path):
                once = self.sent(path, 1, **fields)
                again = self.sent(path, 3, **fields)
                self.assertLessEqual(len(again), max(1, len(once)))

    def test_an_emptied_cell_sent_twice_takes_back_one_reading(self):
        cell = test_forms.EveryField.FORMS["measure/cell"]
        for value in ("1.0", "1.4"):
            self.sent("measure/cell", 1, **{**cell, "value": value})
        taken = self.sent("measure/cell", 3, **{**cell, "value": ""})
        self.assertEqual([kind for kind, _ in taken], ["correction"])

    def test_a_cell_typed_again_before_its_answer_is_a_reading_of_its_own(self):
        cell, key = test_forms.EveryField.FORMS["measure/cell"], str(uuid4())
        before = len(self.tape())
        for value in ("1.0", "1.1", "1.1", "1.0"):
            self.post("measure/cell", **{**cell, "value": value, "entry_id": key})
        values = [d.value for kind, d in self.tape()[before:] if kind == "reading"]
        self.assertEqual(values, [1.0, 1.1])

    def test_a_known_key_with_other_content_is_told_and_keeps_what_was_typed(self):
        key = str(uuid4())
        self.post("tape/note", text="first", entry_id=key)
        before = len(self.tape())
        answer = self.post("tape/note", text="second", entry_id=key)
        self.assertEqual(answer.status_code, 409)
        self.assertIn("sent before with other content", answer.text)
        self.assertIn("second", answer.text)
        self.assertEqual(len(self.tape()), before)

    def test_a_refused_form_uses_up_no_key(self):
        key = str(uuid4())
        self.assertEqual(self.post("tape/note", text="", entry_id=key).status_code, 422)
        before = len(self.tape())
        self.post("tape/note", text="now", entry_id=key)
        self.assertEqual(len(self.tape()), before + 1)

    def test_a_correction_sent_twice_is_taken_twice_and_written_once(self):
        self.post("tape/note", text="slip")
        target = self.workshop.tapes.job("case").job.tape[-1].id
        made = self.sent("tape/correct", 2, corrects=target, reason="a slip of the hand")
        self.assertEqual([kind for kind, _ in made], ["correction"])


class Unchanged(WithJob):
    def test_a_tape_can_be_added_to_and_nothing_else(self):
        for act in ("UPDATE entries SET raw = '{}'", "DELETE FROM entries"):
            with self.assertRaises(DatabaseError), self.workshop.engine.begin() as connection:
                connection.execute(text(act))
        self.assertGreater(len(self.tape()), 5)


if __name__ == "__main__":
    unittest.main()
