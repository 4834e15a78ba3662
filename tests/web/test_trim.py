"""Trim codes: no slip between two entries goes unseen, case never changes, what is not read back is open."""

import json
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from frosty_piston.core.trim import ALPHABETS, cleaned, difference, groups
from tests.cases import MODERN, job_file, scan, symptom
from tests.web.test_api import WithClient

CODES = st.text(ALPHABETS["mixed"], min_size=1, max_size=30)
quiet = settings(max_examples=200, deadline=None, database=None, derandomize=True)


class Slips(unittest.TestCase):
    @quiet
    @given(CODES, st.data())
    def test_every_single_slip_is_caught(self, code, data):
        at = data.draw(st.integers(0, len(code) - 1))
        other = data.draw(st.sampled_from([c for c in ALPHABETS["mixed"] if c != code[at]]))
        slipped = code[:at] + other + code[at + 1 :]
        self.assertIn(f"place {at + 1}", difference(code, slipped))
        self.assertTrue(difference(code, code[:at] + code[at + 1 :]))
        self.assertTrue(difference(code, code[:at] + other + code[at:]))

    @quiet
    @given(CODES, st.data())
    def test_every_swap_of_unlike_neighbours_is_caught(self, code, data):
        unlike = [n for n in range(len(code) - 1) if code[n] != code[n + 1]]
        if not unlike:
            return
        at = data.draw(st.sampled_from(unlike))
        swapped = code[:at] + code[at + 1] + code[at] + code[at + 2 :]
        self.assertIn("swapped", difference(code, swapped))

    @quiet
    @given(CODES)
    def test_case_and_signs_stay(self, code):
        self.assertEqual(cleaned(code), code)
        self.assertEqual("".join(s.sign for g in groups(code) for s in g), code)
        self.assertEqual(difference(code, code), "")
        if code != code.swapcase():
            self.assertTrue(difference(code, code.swapcase()))
        spaced = " ".join(code[n : n + 4] for n in range(0, len(code), 4))
        self.assertEqual(cleaned(spaced), code)


class Page(WithClient):
    def setUp(self):
        super().setUp()
        self.open()

    def open(self, **limits):
        raw = job_file(symptom("rough_idle"), scan(), engine={**MODERN, "limits": limits})
        self.workshop.tapes.import_file(json.dumps(raw).encode())

    def post(self, name="write", **data):
        sent = {"cylinder": "2", "where": "part", "code": "7B0A 91cD", **data}
        return self.client.post(f"/jobs/case/trim/{name}", data=sent)

    def page(self):
        return self.client.get("/jobs/case/trim").text.replace("\xa0", " ")

    def test_typed_twice_and_kept_as_typed(self):
        self.assertEqual(self.post(again="7b0A91cD").status_code, 422)
        self.assertIn("large and small", self.post(again="7b0A91cD").text)
        self.assertIn("look alike", self.post(again="780A91cD").text)
        self.assertIn("are swapped", self.post(again="70BA91cD").text)
        self.assertIn("a second time", self.post(again="").text)
        self.assertEqual(self.post(again="7B0A91cD").status_code, 303)
        self.assertEqual(self.workshop.tapes.job("case").job.tape[-1].data.code, "7B0A91cD")
        page = self.page()
        self.assertIn('class="alike">B<', page)
        self.assertIn("not read back yet", page)

    def test_a_pasted_one_is_not_typed_twice(self):
        self.assertEqual(self.post(where="part", pasted="yes").status_code, 422)
        self.assertEqual(self.post(where="sheet").status_code, 422)
        self.assertEqual(self.post(where="sheet", pasted="yes").status_code, 303)

    def test_read_back_agrees_or_differs(self):
        self.post(again="7B0A91cD")
        self.post(where="unit", code="7B0A91cE")
        self.assertIn("the control unit differs: place 8: D and E", self.page())
        self.post(where="unit", code="7B0A 91cD")
        self.assertIn("the control unit has it", self.page())
        self.assertIn("read back, the same", self.client.get("/jobs/case/papers/trim").text)

    def test_the_cards_alphabet_and_length(self):
        for limits, code, says in (
            ({"trim_alphabet": "hex"}, "7G0A", "at place 2 cannot be"),
            ({"trim_alphabet": "digits"}, "12a4", "at place 3 cannot be"),
            ({"trim_length": "6"}, "12345", "5 signs; the engine card says 6"),
            ({"trim_alphabet": "hex", "trim_length": "6"}, "7FA012", ""),
        ):
            with self.subTest(limits, code=code):
                super().setUp()
                self.open(**limits)
                answer = self.post(code=code, again=code)
                self.assertEqual(answer.status_code, 422 if says else 303)
                self.assertIn(says, answer.text)

    def test_two_alike_are_asked_about_and_swapped_ones_carry_theirs(self):
        self.post(again="7B0A91cD")
        answer = self.post(cylinder="3", again="7B0A91cD")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("cylinder 2 has the same code", answer.text)
        self.assertEqual(self.post(cylinder="3", again="7B0A91cD", really="yes").status_code, 303)
        self.post(cylinder="1", code="AAAA", again="AAAA")
        self.assertEqual(self.post("swap", first="1", second="4").status_code, 422)
        self.assertEqual(self.post("swap", first="1", second="1").status_code, 422)
        self.assertEqual(self.post("swap", first="1", second="2").status_code, 303)
        page = self.page()
        self.assertRegex(page, r'id="trim-1".{0,200}Code of cylinder 1: 7B0A91cD')
        self.assertRegex(page, r'id="trim-2".{0,200}Code of cylinder 2: AAAA')
        self.assertIn("before:", page)

    def test_what_is_missing_is_said_where_it_was_typed(self):
        for data, says in (
            ({"cylinder": ""}, "choose the cylinder"),
            ({"code": ""}, "as it stands on the injector"),
            ({"where": "memory"}, "choose one of"),
            ({"cylinder": "9"}, "1 to 4"),
        ):
            answer = self.post(**{"again": "7B0A91cD", **data})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(says, answer.text.replace("\xa0", " "))


if __name__ == "__main__":
    unittest.main()
