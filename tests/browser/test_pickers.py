"""Lists that are found by a few letters: what begins with them stands first, other words for it are known,
and an open list goes by Escape and by a press beside it."""

import unittest

from tests.browser.pages import BrowserTest

SHOWN = """[...document.querySelectorAll('#symptom-list > li')].filter((x) => !x.hidden)
    .map((x) => x.innerText.trim())"""


class Pickers(BrowserTest):
    def setUp(self):
        super().setUp()
        self.job = self.workshop.tapes.new_job(title="Pickers")
        self.go(f"/jobs/{self.job}/arrive")
        self.field = self.page.locator("#symptom-find")

    def shown(self, letters):
        self.field.fill(letters)
        return self.page.evaluate(SHOWN)

    def test_what_begins_with_the_letters_stands_first(self):
        for letters, first in (
            ("stumb", "Stumbles in the middle of the rev range"),
            ("low", "Low power"),
            ("stall", "Stalls"),
            ("hard cold", "Hard start when cold"),
        ):
            self.assertEqual(self.shown(letters)[0], first, letters)
        self.assertGreater(len(self.shown("glow")), 1)
        self.assertEqual(self.shown("zzz"), [])

    def test_enter_takes_the_one_that_begins_with_what_was_typed(self):
        self.field.press_sequentially("stumb")
        self.field.press("Enter")
        self.page.locator(".picked", has_text="Stumbles in the middle").wait_for()
        said = self.workshop.tapes.job(self.job).job.tape[-1].data
        self.assertEqual(said.symptom, "hesitation_midrange")

    def test_an_open_list_goes_by_escape_and_by_a_press_beside_it(self):
        listed = self.page.locator("#symptom-list.open")
        for away in (
            lambda: self.page.keyboard.press("Escape"),
            lambda: self.page.locator("h1").first.click(),
        ):
            self.page.locator("#symptoms").get_by_role("button", name="All").click()
            listed.wait_for()
            away()
            listed.wait_for(state="detached")
        self.field.fill("cold")
        listed.wait_for()
        self.page.keyboard.press("Escape")
        listed.wait_for(state="detached")
        self.assertEqual(self.field.input_value(), "")


if __name__ == "__main__":
    unittest.main()
