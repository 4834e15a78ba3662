"""What is typed, chosen or opened stays while another form of the page is answered."""

import unittest

from .pages import BrowserTest


class Kept(BrowserTest):
    def held(self, part):
        """Hold the answers to one form until they are let go; what is typed meanwhile comes before them."""
        waiting = []
        self.page.route(f"**/arrive/{part}", lambda route: waiting.append(route))
        return waiting

    def test_letters_typed_while_the_complaint_is_written_stay(self):
        self.begin("Typing on", ["Cranks slowly"])
        self.unfold("complaint")
        self.unfold("lamps")
        waiting = self.held("complaint")
        self.page.locator("#form-complaint textarea").fill("smokes when cold")
        self.press("Write down", "#form-complaint")
        self.page.get_by_label("Symptoms").press_sequentially("smoke when")
        self.page.locator("#lamp-lamp").fill("Engine")
        self.page.locator("#lamp-state").select_option("flashing")
        self.until("document.getElementById('symptom-find').value === 'smoke when'")
        for route in waiting:
            route.continue_()
        self.sees("smokes when cold", "#tape")
        self.assertEqual(self.page.get_by_label("Symptoms").input_value(), "smoke when")
        self.assertEqual(self.page.locator("#lamp-lamp").input_value(), "Engine")
        self.assertEqual(self.page.locator("#lamp-state").input_value(), "flashing")
        self.assertIsNotNone(self.page.locator("#part-lamps").get_attribute("open"))

    def test_a_row_of_the_circuit_opens_again_after_a_part_was_added(self):
        self.job = self.workshop.tapes.new_job(
            "Rows", {"name": "Rows"}, {"name": "Rows", "vacuum_pump": True}
        )
        self.at("circuit")
        self.press("Make the list")
        row = self.page.locator(".circuitlist .circuitrow").first
        row.click()
        self.page.locator(".circuitlist .opened").wait_for()
        self.page.locator("#add-kind").select_option("tee")
        self.press("Add")
        self.sees("Tee", ".circuitlist")
        self.page.locator(".circuitlist a.circuitrow").first.click()
        self.page.locator(".circuitlist .opened").wait_for()


if __name__ == "__main__":
    unittest.main()
