"""A connector mended: its pin map cavity by cavity, what must be seen, and the same wiggle after."""

import json
import unittest

from tests.cases import MODERN, TICKED, code, job_file, scan, symptom
from tests.web.test_api import WithClient

PLAN = "injector_connector_fretted"


class WireRepair(WithClient):
    def setUp(self):
        super().setUp()
        raw = job_file(symptom("misfire_intermittent"), code("P0202"), scan(), *TICKED, engine=MODERN)
        self.workshop.tapes.import_file(json.dumps(raw).encode())

    def post(self, name, **data):
        return self.client.post(f"/jobs/case/fit/{name}", data={"plan": PLAN, **data})

    def page(self):
        return self.client.get("/jobs/case/fit", params={"plan": PLAN}).text

    def pin(self, **data):
        row = {"step": "pin_map", "cavity": "1", "from_colour": "brown-white", "to_colour": "grey"}
        return self.post("pin", **{**row, **data})

    def test_the_pin_map_is_noted_before_the_step_is_done(self):
        answer = self.post("step", step="pin_map", state="done", old_terminal="a", new_terminal="a")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("note each cavity first", answer.text)
        for data in (
            {},
            {"cavity": "2", "from_colour": "yellow", "was_mm2": "0,75", "mm2": "0.75", "barb": "up"},
        ):
            self.assertEqual(self.pin(**data).status_code, 303)
        rows = self.workshop.tapes.job("case").job.tape[-2:]
        self.assertEqual([x.data.pins[0].from_ for x in rows], ["brown-white", "yellow"])
        page = self.page()
        for words in ("brown-white", "yellow", "0.75", "up"):
            self.assertIn(f">{words}", page)
        for odd, word in (
            ({"cavity": ""}, "say which cavity"),
            ({"mm2": "thick"}, "thick"),
            ({"barb": "round"}, "up, down, left, right"),
        ):
            answer = self.pin(**odd)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(word, answer.text)
        self.assertEqual(self.pin(step="click").status_code, 422)

    def test_a_thinner_wire_is_asked_about(self):
        self.pin(was_mm2="1.5", mm2="0.75")
        compared = {"old_terminal": "2.8 mm", "new_terminal": "2.8 mm"}
        answer = self.post("step", step="pin_map", state="done", **compared)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("cavity 1 has a thinner wire", answer.text)
        # the latest word on a cavity stands
        self.pin(was_mm2="1.5", mm2="1.5")
        self.assertEqual(self.post("step", step="pin_map", state="done", **compared).status_code, 303)

    def test_what_must_be_seen_is_ticked_or_explained(self):
        seen = ["Terminal clicked, and held a tug", "Seal on the wire, lock wedge in"]
        answer = self.post("step", step="click", state="done", seen=seen)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("not seen yet: connector clicked, and held a tug", answer.text)
        every = [*seen, "Connector clicked, and held a tug"]
        self.assertEqual(self.post("step", step="click", state="done", seen=every).status_code, 303)
        self.assertEqual(self.workshop.tapes.job("case").job.tape[-1].data.seen, every)
        answer = self.post("step", step="route", state="done", reason="no tape here, tied instead")
        self.assertEqual(answer.status_code, 303)

    def test_a_connector_from_another_harness_is_offered(self):
        options = self.workshop.knowledge.repairs[PLAN].options
        titles = [o.title for o in options.values()]
        for words in ("New terminal", "New connector with tail", "Connector from another harness"):
            self.assertTrue(any(t.startswith(words) for t in titles), words)


class InjectorPlan(WithClient):
    def test_it_waits_for_pressure_charge_and_starter(self):
        steps = {s.id: s for s in self.workshop.knowledge.repairs["injector_nozzle_worn"].steps}
        for step, wait, caution in (
            ("fuel_pressure_gone", "cool_down", "fuel_injection_pressure"),
            ("charge_gone", "charge", "injector_voltage"),
            ("bleed", "starter", "fuel_injection_pressure"),
        ):
            self.assertEqual(steps[step].wait, wait)
            self.assertIn(caution, steps[step].cautions)
        order = list(steps)
        self.assertLess(order.index("charge_gone"), order.index("injectors_out"))
        self.assertIn("never a hand", steps["leaks"].does)
        self.assertIn("fuel_injection_pressure", steps["leaks"].cautions)
        raw = job_file(symptom("rough_idle"), code("P0263"), scan(), engine=MODERN)
        self.workshop.tapes.import_file(json.dumps(raw).encode())
        sent = {"plan": "injector_nozzle_worn", "wait": "charge", "step": "charge_gone", "hours": "5 min"}
        self.assertEqual(self.client.post("/jobs/case/fit/wait", data=sent).status_code, 303)
        self.assertEqual(self.workshop.tapes.job("case").job.tape[-1].data.wait, "charge")


if __name__ == "__main__":
    unittest.main()
