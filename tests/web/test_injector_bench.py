"""Injectors cylinder beside cylinder: which stands out, which explanation fits, kilohms as a meter shows."""

import json
import unittest

from frosty_piston.core.cylinders import fits, standings
from tests.cases import MODERN, TICKED, code, job_file, scan, symptom
from tests.web.test_api import WithClient

BENCH = "/jobs/case/measure/injectors"
WEAK = {"injector_balance": "failed"}


class Cylinders(unittest.TestCase):
    def test_which_explanation_fits(self):
        for found, replaced, what in (
            ({}, False, None),
            ({"injector_resistance": "sound", "relative_compression": "sound"}, False, None),
            ({"injector_resistance": "failed"}, False, "Electrical: the injector or its plug"),
            ({"injector_insulation": "failed", "wiggle": "failed"}, False, "The connector"),
            ({"connector_look": "marginal"}, False, "The connector"),
            ({**WEAK, "relative_compression": "failed"}, False, "Compression"),
            ({**WEAK, "injector_leakoff": "failed"}, False, "Leak-off"),
            (WEAK, False, "The nozzle"),
            ({"cylinder_cutout": "marginal", "relative_compression": "sound"}, False, "The nozzle"),
            (WEAK, True, "The trim code"),
        ):
            with self.subTest(found, replaced=replaced):
                told = fits(found, replaced)
                self.assertEqual(told.what if told else None, what)
        self.assertIn("not read yet", fits(WEAK).because)
        self.assertIn("compression is sound", fits({**WEAK, "relative_compression": "sound"}).because)

    def test_how_far_each_stands_from_its_set(self):
        for values, u, said in (
            ([1.0, 1.0, 1.0, 4.0], 1.0, [0.0, 0.0, 0.0, 3.0]),
            ([1.0, 1.0, 1.0, -20.0], 1.0, [0.0, 0.0, 0.0, -6.0]),
            ([1.0, None, None], 1.0, [0.0, None, None]),
            ([], 1.0, []),
        ):
            self.assertEqual(standings(values, u), said)


class Bench(WithClient):
    def setUp(self):
        super().setUp()
        self.workshop.tapes.import_file(
            json.dumps(job_file(symptom("rough_idle"), scan(), *TICKED, engine=MODERN)).encode()
        )

    def typed(self, test, values, unit, **more):
        for cylinder, value in enumerate(values, 1):
            sent = {
                "bench": "injectors",
                "test": test,
                "unit": unit,
                "cylinder": str(cylinder),
                "value": str(value),
                **more,
            }
            self.assertEqual(self.client.post("/jobs/case/measure/cell", data=sent).status_code, 303)

    def page(self):
        return self.client.get(BENCH).text.replace("\xa0", " ")

    def test_the_odd_one_is_seen_and_explained(self):
        self.assertIn("two cylinders of a test", self.page())
        self.typed("injector_resistance", (0.41, 0.42, 0.40, 0.43), "ohm")
        self.assertNotIn("pointsat", self.page())
        self.typed("injector_leakoff", (22, 24, 61, 23), "ml")
        page = self.page()
        self.assertIn("Cylinder 3: leak-off", page)
        self.assertEqual(page.count('class="over tone'), 2)
        self.assertIn('class="fuel" x="134" y="14.0" width="32" height="90.0"', page)
        self.assertNotIn("good injector</b>", page)

    def test_cold_and_hot_stand_beside_each_other(self):
        self.typed("injector_resistance", (0.41, 0.42, 0.40, 0.43), "ohm")
        self.typed("injector_resistance", (0.5, 0.51, "OL", 0.5), "ohm", part_hot="yes")
        page = self.page()
        self.assertIn("Resistance hot", page)
        self.assertIn("Cylinder 3: electrical", page)
        verdicts = [
            v for v in self.workshop.tapes.job("case").assessed.now if v.test == "injector_resistance"
        ]
        self.assertEqual(
            {(v.hot, v.judgement.cls) for v in verdicts if v.where["cylinder"] == 3},
            {(False, "sound"), (True, "open")},
        )

    def test_counters_stand_in_the_picture_with_the_others(self):
        sent = {"bench": "injectors", "revolutions": "2000", "count_1": "2", "count_2": "84", "count_3": "0"}
        self.assertEqual(self.client.post("/jobs/case/measure/counts", data=sent).status_code, 303)
        by_cylinder = {
            v.where["cylinder"]: v.judgement.cls for v in self.workshop.tapes.job("case").assessed.now
        }
        # 84 in 2 000 revolutions is 42 in 1 000; five is the mark
        self.assertEqual(by_cylinder, {1: "quiet", 2: "misfires", 3: "quiet"})
        page = self.client.get("/jobs/case/measure/injectors").text
        self.assertIn(">Misfires</text>", page)
        self.assertIn("Cylinder 2: the nozzle", page)
        for odd in ({"revolutions": "0", "count_1": "2"}, {"revolutions": "2000"}, {"count_1": "2"}):
            answer = self.client.post("/jobs/case/measure/counts", data={"bench": "injectors", **odd})
            self.assertEqual(answer.status_code, 422)

    def test_a_hot_complaint_plans_the_hot_retest_as_a_wait(self):
        raw = job_file(symptom("misfire_hot"), code("P0203"), scan(), *TICKED, engine=MODERN, job_id="hot")
        self.workshop.tapes.import_file(json.dumps(raw).encode())
        base = "/jobs/hot/measure/"
        for c, ohm in enumerate((0.41, 0.42, 0.40, 0.43), 1):
            sent = {"bench": "injectors", "test": "injector_resistance", "unit": "ohm", "cylinder": c}
            self.client.post(base + "cell", data={**sent, "value": ohm})
        page = self.client.get(base + "injectors").text
        self.assertIn("in range cold says nothing of that", page)
        self.assertIn("Codes name cylinder 3", page)
        self.assertIn('<option value="3" selected', page)
        for odd in ({"cylinder": "9"}, {"wanted_c": "900"}, {"hours": "soon"}):
            sent = {"bench": "injectors", "cylinder": "3", "wanted_c": "80", "hours": "20 min", **odd}
            self.assertEqual(self.client.post(base + "warm", data=sent).status_code, 422)
        sent = {"bench": "injectors", "cylinder": "3", "wanted_c": "80", "hours": "20 min"}
        self.assertEqual(self.client.post(base + "warm", data=sent).status_code, 303)
        wait = self.workshop.tapes.job("hot").job.tape[-1].data
        self.assertEqual(
            (wait.wait, wait.test, wait.where.cylinder, wait.wanted_c),
            ("warm_up", "injector_resistance", 3, 80),
        )
        step = self.client.get("/api/v1/jobs/hot/assessment").json()["next_step"]
        self.assertEqual((step["stage"], step["kind"], step["where"]["cylinder"]), ("measure", "wait", 3))
        self.assertIn("Read cylinder 3 hot now", self.client.get(base + "injectors").text)

    def test_the_temperature_of_the_part_is_taken_or_guessed_and_said(self):
        for asked, hot, says in (
            ({}, True, "at 80 °C, guessed"),
            ({"hot_c": "95"}, True, "at 95 °C; that is it at 20 °C"),
            ({}, False, ""),
        ):
            with self.subTest(asked, hot=hot):
                self.setUp()
                page = self.client.get("/jobs/case/measure/injectors", params=asked).text
                if asked:
                    self.assertIn('name="part_c" value="95', page)
                sent = {"bench": "injectors", "test": "injector_resistance", "unit": "ohm", "cylinder": 1}
                sent |= {"value": "0.95", **({"part_hot": "yes"} if hot else {})}
                sent |= {"part_c": asked["hot_c"]} if asked else {}
                self.assertEqual(self.client.post("/jobs/case/measure/cell", data=sent).status_code, 303)
                (found,) = self.workshop.tapes.job("case").assessed.now
                # 0.95 Ω is too much at 20 °C; copper at 80 °C has 23.6 % more, so it was 0.77
                self.assertEqual(found.judgement.verdict == "failed", not hot)
                self.assertEqual(found.judgement.value, 0.95)
                self.assertIn(says, found.judgement.because.replace("\xa0", " "))

    def test_kilohms_as_a_meter_shows_them(self):
        raw = job_file(
            symptom("rough_idle"), *TICKED, engine={**MODERN, "injection": "rail_piezo"}, job_id="piezo"
        )
        self.workshop.tapes.import_file(json.dumps(raw).encode())
        for typed in ("185k", "185", "0.185M"):
            sent = {
                "bench": "injectors",
                "test": "injector_resistance",
                "unit": "kohm",
                "cylinder": "1",
                "value": typed,
            }
            self.assertEqual(self.client.post("/jobs/piezo/measure/cell", data=sent).status_code, 303)
            now = self.workshop.tapes.job("piezo").assessed.now
            self.assertAlmostEqual(now[0].judgement.value, 185_000.0, delta=1)

    def test_an_injection_pump_has_no_such_bench(self):
        raw = job_file(symptom("low_power"), engine={**MODERN, "injection": "inline_pump"}, job_id="old")
        self.workshop.tapes.import_file(json.dumps(raw).encode())
        self.assertNotIn("cylinder beside cylinder", self.client.get("/jobs/old/measure").text)


if __name__ == "__main__":
    unittest.main()
