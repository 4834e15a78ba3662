"""A plug measured pin by pin in one pass: the battery beside the feed, what the pins point at."""

import json
import unittest

from frosty_piston.core.pins import points_at
from tests.cases import MODERN, TICKED, job_file, scan, symptom
from tests.web.test_api import WithClient

BENCH = "/jobs/case/measure/pins"
RIGHT = {"supply": "present", "ground": "present"}


class PointsAt(unittest.TestCase):
    def test_the_order_of_a_wiring_diagnosis(self):
        for found, fuse, what in (
            ({}, "", "Measure the supply first"),
            ({"supply": "present"}, "", "Measure the ground first"),
            ({"supply": "unclear", "ground": "present"}, "", "The supply is not clear yet"),
            ({"supply": "missing"}, "", "Fuse and relay first"),
            ({"supply": "missing"}, "sound", "The feed wire"),
            (RIGHT, "blown", "The fuse or relay"),
            ({"supply": "low", "ground": "missing"}, "", "A joint in the feed"),
            ({"supply": "present", "ground": "low"}, "", "The ground wire or its point"),
            ({**RIGHT, "reference": "missing"}, "", "The reference, or a sensor that shares it"),
            ({**RIGHT, "reference": "present", "pair": "off"}, "", "The pair or its terminators"),
            ({**RIGHT, "high": "open_or_short", "low": "sound"}, "", "The network wires"),
            ({**RIGHT, "high": "sound", "low": "sound"}, "", "The part itself, or its signal"),
        ):
            with self.subTest(found, fuse=fuse):
                told = points_at(found, fuse)
                self.assertEqual(told.what, what)
                self.assertTrue(told.because.endswith("."))


class Pins(WithClient):
    def setUp(self):
        super().setUp()
        raw = job_file(symptom("emissions_message"), scan(), *TICKED, engine=MODERN)
        self.workshop.tapes.import_file(json.dumps(raw).encode())

    def typed(self, pin, value, test="supply_pins", node="nox_sensor", **more):
        unit = "ohm" if pin == "pair" else "V"
        sent = {"bench": "pins", "test": test, "unit": unit, "node": node, "pin": pin, "value": value}
        return self.client.post("/jobs/case/measure/cell", data={**sent, **more})

    def page(self, **asked):
        return self.client.get(BENCH, params=asked).text

    def test_one_pass_says_what_it_points_at(self):
        for pin, value, test in (
            ("supply", "12.3", "supply_pins"),
            ("ground", "0.05", "supply_pins"),
            ("pair", "121", "network_pins"),
        ):
            self.assertEqual(self.typed(pin, value, test, battery_v="12.4", loaded="yes").status_code, 303)
        page = self.page(node="NOx sensor", battery_v="12.4")
        self.assertIn("The pair or its terminators", page)
        self.assertIn("one terminator is missing", page)
        tape = self.workshop.tapes.job("case").job.tape
        self.assertEqual(tape[-3].data.conditions.battery_v, 12.4)

    def test_the_battery_of_the_same_minute_judges_the_feed(self):
        for battery, cls in (("12.0", "present"), ("12.9", "low")):
            with self.subTest(battery):
                self.setUp()
                self.typed("supply", "12.0", battery_v=battery, loaded="yes")
                now = self.workshop.tapes.job("case").assessed.now
                self.assertEqual(now[0].judgement.cls, cls)

    def test_any_part_by_its_name_or_freely(self):
        self.assertIn("Plug, pin by pin: EGR valve", self.page(node="egr valve"))
        page = self.page(node="fuel pressure sensor")
        self.assertIn("fuel pressure sensor", page)
        self.assertEqual(self.typed("supply", "4.98", node="fuel pressure sensor").status_code, 303)
        for odd in ("x" * 80, "a\x00b", ""):
            self.assertEqual(self.client.get(BENCH, params={"node": odd}).status_code, 200)
        self.assertIn("6 to 36", self.page(battery_v="99").replace("\xa0", " "))

    def post(self, name, **data):
        return self.client.post(
            f"/jobs/case/measure/{name}", data={"bench": "pins", "node": "nox_sensor", **data}
        )

    def test_the_pair_module_by_module_says_which(self):
        self.assertNotIn("The pair, module by module", self.page(node="nox_sensor"))
        for pin, value in (("supply", "12.3"), ("ground", "0.05")):
            self.typed(pin, value, battery_v="12.4", loaded="yes")
        self.typed("pair", "121", "network_pins")
        self.assertIn("The pair, module by module", self.page(node="nox_sensor"))
        self.assertEqual(self.post("pair_without", module="engine unit", value="OL").status_code, 303)
        page = self.page(node="nox_sensor", battery_v="12.4")
        self.assertIn("The terminator at the other end", page)
        self.assertIn("Engine unit holds the terminator that is left", page)
        kinds = [x.data.action for x in self.workshop.tapes.job("case").job.tape if x.kind == "action"]
        self.assertEqual(kinds, ["unplugged", "plugged_in"])
        # the pair with all plugged in still stands beside it
        self.assertIn('value="121"', page)
        for fields, word in (
            ({"module": "", "value": "60"}, "say which module was unplugged"),
            ({"module": "dosing unit", "value": "much"}, "much"),
        ):
            answer = self.post("pair_without", **fields)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(word, answer.text)

    def test_no_pair_before_the_grounds_are_off(self):
        raw = job_file(symptom("emissions_message"), engine=MODERN, job_id="live")
        self.workshop.tapes.import_file(json.dumps(raw).encode())
        sent = {"bench": "pins", "test": "network_pins", "node": "nox_sensor"}
        for pin, unit, value, status in (("pair", "ohm", "60", 422), ("high", "V", "2.6", 303)):
            answer = self.client.post(
                "/jobs/live/measure/cell", data={**sent, "pin": pin, "unit": unit, "value": value}
            )
            self.assertEqual(answer.status_code, status)

    def test_the_staircase_names_the_step_that_is_too_high(self):
        for point, drop in (("feed", "0.04"), ("fuse", "0,3"), ("connector", "0.02")):
            self.assertEqual(self.post("stretch", point=point, drop_v=drop, current_a="4").status_code, 303)
        page = self.page(node="nox_sensor").replace("\xa0", " ")
        self.assertIn("Fuse, leg to leg takes 0.3 V; 0.05 V is allowed. Look there first.", page)
        self.assertIn('<option value="stud" selected', page)
        by_point = {v.where["point"]: v.judgement.cls for v in self.workshop.tapes.job("case").assessed.now}
        self.assertEqual(by_point, {"feed": "sound", "fuse": "drops", "connector": "sound"})
        for fields in ({"point": "nowhere", "drop_v": "1"}, {"point": "fuse", "drop_v": ""}):
            self.assertEqual(self.post("stretch", **fields).status_code, 422)

    def test_an_engine_without_a_network_has_no_pair(self):
        raw = job_file(symptom("low_power"), engine={**MODERN, "injection": "inline_pump"}, job_id="old")
        self.workshop.tapes.import_file(json.dumps(raw).encode())
        self.assertNotIn("Across the pair", self.client.get("/jobs/old/measure/pins").text)


if __name__ == "__main__":
    unittest.main()
