"""The vacuum gauge: its unit is said once, and a slip between units is caught where it is typed."""

import html
import unittest

from tests.cases import VACUUM as BY_VACUUM
from tests.cases import entry
from tests.web.test_second_half import SecondHalf

VACUUM = {**BY_VACUUM, "stop": "electric"}
HIGH = entry("condition", name="altitude_m", value=1500, unit="m")


class Gauge(SecondHalf):
    def pump(self, kpa, test="vacuum_at_pump", **more):
        data = {"test": test, "bench": "test", "kpa": kpa, **more}
        return self.post("measure/figures", **data)

    def figures(self):
        return next(
            x.data.figures
            for x in reversed(self.workshop.tapes.job(self.job).job.tape)
            if x.kind == "outcome"
        )

    def test_units_of_the_gauge(self):
        # 25 inHg, 500 mmHg, 700 mbar are 84.7, 66.7, 70.0 kPa
        for typed, unit, kpa in (
            ("71", "kPa", 71.0),
            ("25", "inHg", 84.66),
            ("500", "mmHg", 66.66),
            ("700", "mbar", 70.0),
            ("-70", "kPa", 70.0),
            ("21,0 inHg", "kPa", 71.11),
            ("20", "kPa", 20.0),
        ):
            with self.subTest(typed, unit=unit):
                self.open(engine=VACUUM)
                self.assertEqual(self.pump(typed, gauge_unit=unit).status_code, 303)
                self.assertAlmostEqual(self.figures()["kpa"], kpa, delta=0.02)

    def test_the_unit_is_said_once_for_job_and_workshop(self):
        self.open(engine=VACUUM)
        self.pump("21", gauge_unit="inHg")
        said = [x for x in self.workshop.tapes.job(self.job).job.tape if x.kind == "instrument"]
        self.assertEqual([(x.data.instrument, x.data.unit) for x in said], [("vacuum_gauge", "inHg")])
        self.assertIn("Vacuum gauge: reads in inHg", self.client.get(f"/jobs/{self.job}/tape").text)
        self.pump("22", gauge_unit="inHg")
        self.pump("22")
        self.assertAlmostEqual(self.figures()["kpa"], 74.5, delta=0.05)
        tape = self.workshop.tapes.job(self.job).job.tape
        self.assertEqual(sum(x.kind == "instrument" for x in tape), 1)
        self.open(engine=VACUUM)
        self.assertIn("Vacuum, inHg", self.client.get(f"/jobs/{self.job}/measure/test/vacuum_at_pump").text)
        self.workshop.settings.save("vacuum_gauge", {})

    def test_slips_are_caught_and_what_was_typed_stays(self):
        self.workshop.settings.save("vacuum_gauge", {})
        for entries, typed, unit, says in (
            ((), "590", "", "590 mmHg is 78.7 kPa"),
            ((), "590", "", "590 mbar is 59 kPa"),
            ((), "590", "kPa", "cannot be"),
            ((), "102", "", "the air is 101.3 kPa"),
            ((HIGH,), "90", "", "the air is 84.5 kPa"),
            ((), "31", "inHg", "cannot be"),
            ((), "20", "", "20 inHg, which is 67.7 kPa?"),
            ((), "40", "psi", "choose"),
            ((), "twenty", "", "no figure"),
            ((), "20 parsec", "", "no unit known"),
        ):
            with self.subTest(typed, unit=unit):
                self.open(*entries, engine=VACUUM)
                answer = self.pump(typed, gauge_unit=unit)
                shown = html.unescape(answer.text).replace("\xa0", " ")
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says, shown)
                self.assertIn(f'value="{typed}"', shown)

    def test_twenty_is_asked_at_the_pump_and_at_the_start_of_a_hold_only(self):
        self.workshop.settings.save("vacuum_gauge", {})
        self.open(engine=VACUUM)
        self.assertEqual(self.pump("20", "vacuum_travel", mm="3").status_code, 303)
        asked = self.post(
            "measure/figures", test="vacuum_hold", bench="test", start_kpa="20", end_kpa="18", seconds="60"
        )
        self.assertEqual(asked.status_code, 422)
        for kpa in ("14.9", "30.6", "20 kPa"):
            self.assertEqual(self.pump(kpa).status_code, 303, kpa)


del SecondHalf

if __name__ == "__main__":
    unittest.main()
