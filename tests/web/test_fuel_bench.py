"""The fuel bench: along the fuel's way, who steals the pressure."""

import json
import unittest

from tests.cases import MODERN, TICKED, job_file, outcome, reading, scan, symptom
from tests.web.test_api import WithClient

BENCH = "/jobs/case/measure/fuel"


class Fuel(WithClient):
    def job(self, *entries, job_id="case", **engine):
        raw = job_file(symptom("no_start"), scan(), *entries, engine={**MODERN, **engine}, job_id=job_id)
        self.workshop.tapes.import_file(json.dumps(raw).encode())

    def test_the_rail_is_low_and_one_injector_steals_it(self):
        self.job(
            *TICKED,
            outcome("fuel_prime_air", "clear"),
            reading("fuel_low_pressure", 4.8, "bar"),
            reading("rail_pressure_crank", 95, "bar"),
            *(reading("injector_leakoff", v, "ml", cylinder=c) for c, v in enumerate((12, 11, 64, 12), 1)),
        )
        page = self.client.get(BENCH).text.replace("\xa0", " ")
        self.assertIn("<b>An injector</b>. Cylinder 3 gives back", page)
        for words in ("95 bar", "4.8 bar", "returns: cylinder 3"):
            self.assertIn(words, page)

    def test_nothing_is_opened_before_the_caution(self):
        self.job()
        sent = {"bench": "fuel", "test": "fuel_filter_drop", "before_bar": "4.9", "after_bar": "1.2"}
        answer = self.client.post("/jobs/case/measure/figures", data=sent)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("Tick the caution above first", answer.text)
        page = self.client.get(BENCH).text
        self.assertEqual(page.count('value="fuel_injection_pressure"'), 1)
        self.client.post("/jobs/case/tick", data={"caution": "fuel_injection_pressure", "back": BENCH})
        self.assertEqual(self.client.post("/jobs/case/measure/figures", data=sent).status_code, 303)
        self.assertIn("<b>The fuel filter</b>", self.client.get(BENCH).text)

    def test_an_engine_without_a_rail_has_none(self):
        self.job(injection="inline_pump", job_id="old")
        page = self.client.get("/jobs/old/measure/fuel").text
        self.assertNotIn("Rail, cranking", page)
        self.assertIn("Clear line", page)


if __name__ == "__main__":
    unittest.main()
