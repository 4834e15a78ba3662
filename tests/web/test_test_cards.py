"""Every test of the vocabulary can be written down from its page, and what was typed stays."""

import json
import re
from uuid import uuid4

from frosty_piston.knowledge import load_knowledge
from frosty_piston.web.frame.links import bench_link
from tests.cases import MODERN, VACUUM, code, job_file, symptom
from tests.web.test_api import WithClient

K = load_knowledge()


class Cards(WithClient):
    def setUp(self):
        super().setUp()
        for name, engine in (("modern", MODERN), ("vacuum", {**VACUUM, "batteries": 2})):
            self.workshop.tapes.import_file(
                json.dumps(job_file(symptom("limp_mode"), code("P0299"), engine=engine, job_id=name)).encode()
            )

    def post(self, job, path, **fields):
        return self.client.post(
            f"/jobs/{job}/measure/{path}",
            data={"entry_id": str(uuid4()), "bench": "test", **fields},
            follow_redirects=False,
        )

    def tape(self, job="modern"):
        return self.workshop.tapes.job(job).job.tape

    def test_every_test_can_be_written_down(self):
        for test, shape in K.tests.items():
            job = next(
                (
                    j
                    for j in ("modern", "vacuum")
                    if not self.workshop.tapes.job(j).job.engine.rules_out(shape.needs)
                ),
                None,
            )
            self.assertIsNotNone(job, test)
            self.assertEqual(self.client.get(bench_link(K, job, test)).status_code, 200, test)
            page = self.client.get(f"/jobs/{job}/measure/test/{test}")
            self.assertEqual(page.status_code, 200, test)
            self.assertIn("Write down", page.text, test)
            shown = re.search(r'name="node" value="(\w+)"', page.text)
            for caution in K.cautions_at(test, shown[1] if shown else None):
                self.assertIn(K.cautions[caution].says[:30].split("'")[0], page.text, (test, caution))
            before = len(self.tape(job))
            for caution in K.ticks_at(test):
                self.client.post(f"/jobs/{job}/tick", data={"caution": caution})
            if job == "vacuum":
                self.client.post(
                    f"/jobs/{job}/measure/way", data={"how": "board over the intake", "test": test}
                )
                before = len(self.tape(job))
            if test == "code_return":
                answer = self.post(job, "returned", test=test, distance_km="12", codes_back="P0299")
            elif test == "glow_bench_heat":
                answer = self.post(job, "outcome", test=test, outcome="red_tip", cylinder="1")
            elif shape.units:
                where = (
                    {"channel": shape.channels[0]}
                    if shape.channels
                    else (
                        {"pin": shape.pins[0]}
                        if shape.pins
                        else {"point": shape.points[0]}
                        if shape.points
                        else {}
                    )
                )
                where |= {"node": "control_module"} if "node" in shape.where else {}
                answer = self.post(
                    job,
                    "cell",
                    test=test,
                    unit=shape.units[0],
                    value="1.5",
                    **where,
                    **({"cylinder": "1"} if "cylinder" in shape.where else {}),
                )
            elif shape.outcomes:
                answer = self.post(
                    job,
                    "outcome",
                    test=test,
                    outcome=next(iter(shape.outcomes)),
                    **({"cylinder": "2"} if "cylinder" in shape.where else {}),
                )
            else:
                answer = self.post(
                    job,
                    "figures",
                    test=test,
                    **{f: "yes" if f in shape.flags else "10" for f in shape.figures if f != "dosing"},
                )
            self.assertEqual(answer.status_code, 303, (test, answer.text[:300]))
            self.assertGreater(len(self.tape(job)), before, test)
            self.assertTrue(any(v.test == test for v in self.workshop.tapes.job(job).assessed.now), test)

    def test_the_part_goes_on_the_tape(self):
        self.post("modern", "outcome", test="actuator_sweep", outcome="sticks", node="egr_valve")
        self.assertEqual(self.tape()[-1].data.where.node, "egr_valve")
        page = self.client.get("/jobs/modern/measure/test/actuator_sweep?node=egr_valve").text
        self.assertIn('aria-current="true">EGR valve', page)
        self.assertIn("Sticks", page)
        self.assertNotIn(
            "verdict failed",
            self.client.get("/jobs/modern/measure/test/actuator_sweep?node=turbo_actuator").text,
        )

    def test_hot_and_cold_readings_stand_apart(self):
        self.client.post("/jobs/modern/tick", data={"caution": "injector_voltage"})
        for hot, value in (("", "0.5"), ("yes", "1.9")):
            self.post(
                "modern",
                "cell",
                test="injector_resistance",
                unit="ohm",
                value=value,
                cylinder="1",
                part_hot=hot,
            )
        shown = [
            self.client.get(f"/jobs/modern/measure/test/injector_resistance{q}").text
            for q in ("", "?part_hot=yes")
        ]
        self.assertIn('value="0.5"', shown[0])
        self.assertIn('value="1.9"', shown[1])
        self.assertTrue(self.tape()[-1].data.conditions.part_hot)

    def test_a_wrong_figure_is_answered_at_its_field_and_kept(self):
        answer = self.post("modern", "figures", test="vacuum_at_pump", kpa="a lot", seconds="12")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("a lot", answer.text)
        self.assertIn('value="12"', answer.text)
        self.assertIn("is no figure", answer.text)
        self.assertIn(
            "no fault code",
            self.post("modern", "returned", test="code_return", distance_km="12", codes_back="Q1").text,
        )

    def test_a_clear_and_a_drive_say_which_code_is_real(self):
        self.post("modern", "returned", test="code_return", distance_km="12", codes_back="P0299")
        self.assertEqual([x.kind for x in self.tape()][-2:], ["code_clear", "drive"])
        self.assertEqual(
            next(
                v.judgement.cls
                for v in self.workshop.tapes.job("modern").assessed.now
                if v.test == "code_return"
            ),
            "same",
        )

    def test_an_unknown_test_is_not_here(self):
        self.assertEqual(self.client.get("/jobs/modern/measure/test/bogus").status_code, 404)
