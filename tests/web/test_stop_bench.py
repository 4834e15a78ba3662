"""The vacuum engine stop: what stops it is known before it runs, at every door; its times, its answers, and
what a driver gets until it is mended."""

import json
import unittest

from frosty_piston.job.weighing.stopping import MEASURES
from tests.cases import MODERN, VACUUM, entry, job_file, reading, scan, symptom
from tests.web.test_api import WithClient

TICK = entry("tick", caution="emergency_stop_first")
WAY = entry("tick", caution="emergency_stop_first", how="Board over the intake, Linnea at it")
PUMPED = entry("outcome", test="stop_hand_pump", outcome="stops_holds")


def lever(outcome):
    return entry("outcome", test="stop_lever", outcome=outcome)


class StopBench(WithClient):
    def open(self, *entries, **card):
        self.workshop.tapes.import_file(
            json.dumps(job_file(symptom("wont_stop"), scan(), *entries, engine={**VACUUM, **card})).encode()
        )

    def post(self, name, **data):
        return self.client.post(f"/jobs/case/measure/{name}", data={"bench": "stop", **data})

    def tick(self):
        self.client.post("/jobs/case/tick", data={"caution": "emergency_stop_first"})

    def page(self):
        return self.client.get("/jobs/case/measure/stop").text

    def last(self):
        return self.workshop.tapes.job("case").job.tape[-1].data

    def test_what_opens_the_running_tests(self):
        for card, entries, opens in (
            ({}, [], False),
            ({}, [lever("stops")], True),
            ({}, [lever("does_not")], False),
            ({}, [entry("outcome", test="stop_lever", outcome="not_tried", note="cable gone")], False),
            ({}, [lever("stops"), lever("does_not")], False),
            ({}, [lever("does_not"), WAY], True),
            ({}, [TICK], False),
            ({"stop": "cable"}, [], False),
            ({"stop": None}, [], False),
            ({"stop": None, "injection": "rail_solenoid"}, [], True),
            ({"stop": "electric"}, [], True),
        ):
            with self.subTest(card=card, entries=[e["data"] for e in entries]):
                self.setUp()
                self.open(*entries, **card)
                self.client.post("/jobs/case/tick", data={"caution": "brakes_first"})
                by_form = self.client.post(
                    "/jobs/case/measure/outcome",
                    data={"bench": "test", "test": "brake_pedal_feel", "outcome": "normal"},
                )
                by_api = self.client.post(
                    "/api/v1/jobs/case/entries",
                    json=[{"id": "p", **entry("outcome", test="brake_pedal_feel", outcome="normal")}],
                )
                self.assertEqual(by_form.status_code, 303 if opens else 422)
                self.assertEqual(by_api.status_code, 201 if opens else 422)
                if not opens:
                    self.assertIn("try the emergency lever first", by_form.text)
                    self.assertIn("try the emergency lever first", by_api.text)

    def test_readings_wait_for_it_too_and_files_never_do(self):
        self.open(reading("stop_time", 5.0, "s"))
        self.tick()
        typed = {"test": "stop_time", "unit": "s", "value": "5"}
        self.assertEqual(self.post("cell", **typed).status_code, 422)
        self.assertEqual(
            self.client.post(
                "/api/v1/jobs/case/entries", json=[{"id": "t", **reading("stop_time", 5.0, "s")}]
            ).status_code,
            422,
        )
        self.assertEqual(self.post("way", how="Board over the intake").status_code, 303)
        self.assertEqual(self.post("cell", **{**typed, "value": "6"}).status_code, 303)
        self.assertIn("How it will be stopped: Board over the intake", self.page())

    def test_the_lever_itself_wants_its_tick_and_a_why(self):
        self.open()
        answer = self.post("outcome", test="stop_lever", outcome="stops")
        self.assertIn("Tick the caution above first", answer.text)
        self.tick()
        answer = self.post("outcome", test="stop_lever", outcome="not_tried")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("say why", answer.text)
        self.assertEqual(
            self.post("outcome", test="stop_lever", outcome="not_tried", note="seized").status_code, 303
        )
        self.assertEqual(self.post("way", how="").status_code, 422)

    def test_a_measured_time_beats_the_word(self):
        for seconds, cls in (
            (None, "stops_holds"),
            ("1.9", "stops_holds"),
            ("2", "slow_holds"),
            ("5", "slow_holds"),
        ):
            with self.subTest(seconds):
                self.setUp()
                self.open(lever("stops"))
                self.tick()
                took = {"after_s": seconds} if seconds else {}
                self.post("outcome", test="stop_hand_pump", outcome="stops_holds", **took)
                now = self.workshop.tapes.job("case").assessed.now
                self.assertEqual(next(v for v in now if v.test == "stop_hand_pump").judgement.cls, cls)

    def test_full_vacuum_and_no_stop_is_rack_or_linkage(self):
        self.open(entry("outcome", test="stop_hand_pump", outcome="no_stop"))
        suspects = self.client.get("/api/v1/jobs/case/assessment").json()["suspects"]
        self.assertEqual(suspects[0]["fault"], "stop_rack_linkage")
        self.assertGreater(suspects[0]["probability"], 0.7)

    def test_the_key_switch_has_three_answers_each_tried_or_not(self):
        for given, cls in (
            ({}, None),
            ({"passes_off": "yes"}, "unclear"),
            ({"passes_off": "yes", "seals_on": "yes", "vents": "yes"}, "sound"),
            ({"passes_off": "yes", "seals_on": "yes", "vents": "no"}, "faulty"),
            ({"vents": "no"}, "faulty"),
        ):
            with self.subTest(given):
                self.setUp()
                self.open()
                self.assertEqual(
                    self.post("figures", test="key_switch", **given).status_code, 303 if given else 422
                )
                now = [v for v in self.workshop.tapes.job("case").assessed.now if v.test == "key_switch"]
                self.assertEqual([v.judgement.cls for v in now], [cls] if cls else [])

    def test_stop_time_before_and_after(self):
        self.open(
            reading("stop_time", 6.4, "s"),
            entry("action", action="replaced", what="stop line", repair="stop_line"),
            reading("stop_time", 1.2, "s"),
        )
        page = self.page()
        self.assertRegex(page, r"volts bad[^>]*>before 6.4.s<")
        self.assertRegex(page, r'class="volts"[^>]*>after 1.2.s<')

    def test_a_measure_for_the_driver_is_temporary_and_stands_until_it_is_off(self):
        self.open(entry("action", action="refitted", what="stop line", repair="stop_line"))
        self.assertEqual(self.post("stopgap", measure="pull_cable", at="").status_code, 422)
        self.assertEqual(
            self.post("stopgap", measure="stall_it", at="x", come_back="2026-12-01T08:00").status_code, 422
        )
        told = {"measure": "pull_cable", "at": "left of the column", "come_back": "2026-12-01T08:00"}
        self.assertEqual(self.post("stopgap", **told).status_code, 303)
        measure = self.workshop.tapes.job("case").job.tape[-1]
        self.assertTrue(measure.data.temporary)
        label = self.client.get("/jobs/case/papers/label").text
        for words in (
            "To stop the engine",
            MEASURES["pull_cable"].driver,
            "left of the column",
            "Never stall it in gear",
        ):
            self.assertIn(words, label)
        proof = self.client.get("/api/v1/jobs/case/assessment").json()["proof"]
        self.assertIn("temporary", [m["what"] for m in proof["missing"]])
        self.assertEqual(self.post("stopgap_off", what=measure.data.what).status_code, 303)
        proof = self.client.get("/api/v1/jobs/case/assessment").json()["proof"]
        self.assertNotIn("temporary", [m["what"] for m in proof["missing"]])
        self.assertEqual(self.client.get("/jobs/case/papers/label").status_code, 404)

    def test_an_electric_stop_has_no_such_bench(self):
        self.workshop.tapes.import_file(json.dumps(job_file(symptom("low_power"), engine=MODERN)).encode())
        self.assertNotIn("Vacuum engine stop", self.client.get("/jobs/case/measure").text)

    def test_the_lever_comes_before_what_runs_and_once(self):
        for entries, first in (
            ([], "stop_lever"),
            ([lever("stops")], "brake_pedal_feel"),
            ([lever("does_not")], ""),
        ):
            with self.subTest(first):
                self.setUp()
                self.open(*entries)
                tests = [
                    t["test"] for t in self.client.get("/api/v1/jobs/case/assessment").json()["next_tests"]
                ]
                self.assertEqual(tests.count("stop_lever"), int(first == "stop_lever"))
                if first:
                    self.assertEqual(tests[0], first)


if __name__ == "__main__":
    unittest.main()
