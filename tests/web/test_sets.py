"""Values judged in pairs and sets: one verdict for all of them, at once, and no cell that says it was
not tested beside its value."""

import html
import unittest
from uuid import uuid4

from tests.web.test_second_half import SecondHalf

HTMX = {"HX-Request": "true"}


class Sets(SecondHalf):
    def cell(self, value, **fields):
        data = {"entry_id": str(uuid4()), "value": value, **fields}
        return html.unescape(
            self.client.post(f"/jobs/{self.job}/measure/cell", data=data, headers=HTMX).text
        ).replace("\xa0", " ")

    def typed(self, value, **fields):
        return html.unescape(
            self.client.get(f"/jobs/{self.job}/measure/judge", params={"value": value, **fields}).text
        )

    def test_shut_and_open_have_one_verdict_for_the_pair(self):
        self.open()
        pair = {"test": "egr_air_change", "unit": "mg", "bench": "egr"}
        first = self.cell("450", point="shut", **pair)
        self.assertIn("Read both, shut and open", first)
        self.assertIn('id="set-egr_air_change" hx-swap-oob="true"></div>', first)
        typed = self.typed("438", point="open", **pair)
        self.assertIn('id="set-egr_air_change" hx-swap-oob="true"><div class="verdict whole failed"', typed)
        self.assertIn("read, judged with the others", typed)
        both = self.cell("438", point="open", **pair)
        self.assertEqual(both.count("read, judged with the others"), 2)
        self.assertIn('id="set-egr_air_change" hx-swap-oob="true"><div class="verdict whole failed"', both)
        page = self.client.get(f"/jobs/{self.job}/measure/egr").text
        self.assertEqual(page.count('id="set-egr_air_change"'), 1)

    def test_as_it_is_and_released(self):
        self.open()
        pair = {"test": "swirl_compare", "unit": "s", "bench": "swirl"}
        self.assertIn("Time both", self.cell("3.1", point="released", **pair))
        self.assertIn("read, judged with the others", self.cell("4.6", point="as_is", **pair))

    def test_the_points_of_the_relay(self):
        self.open()
        points = {"test": "glow_relay", "unit": "V", "bench": "relay"}
        for point, volts in (("battery", "12.4"), ("feed", "12.3"), ("supply", "12.2")):
            said = self.cell(volts, point=point, **points)
        self.assertIn('id="set-glow_relay" hx-swap-oob="true"><div class="verdict whole unclear"', said)
        self.cell("0.3", point="command", **points)
        said = self.cell("0.1", point="output", loaded="yes", **points)
        self.assertIn('id="set-glow_relay" hx-swap-oob="true"><div class="verdict whole', said)
        self.assertNotIn("not tested</span>", said.split('id="v-glow_on_time')[0])

    def test_an_empty_cell_is_not_tested(self):
        self.open()
        page = self.client.get(f"/jobs/{self.job}/measure/relay").text
        self.assertEqual(page.count("<span>not tested</span>"), 7)


del SecondHalf

if __name__ == "__main__":
    unittest.main()
