"""Every cell of every bench writes what it stands for: its test, its place, its conditions, and nothing
else."""

import json
import unittest
from unittest import mock
from uuid import uuid4

import lxml.html

from frosty_piston.web.benches import BENCHES
from frosty_piston.web.job import cells
from tests.cases import NORRA, entry, job_file, symptom
from tests.web.test_api import WithClient

OLDER = {
    **NORRA,
    "name": "Older",
    "glow_control": "timer_relay",
    "injection": "rail_piezo",
    "batteries": 2,
    "stop": "vacuum",
    "vacuum_pump": True,
}
ASKED = {
    "glow": ("?method=ohm&part_c=31.5", "?method=current"),
    "injectors": ("", "?cold_c=18&hot_c=92"),
    "battery": ("?soaked_h=9.5",),
    "pins": ("?battery_v=12.45", "?loaded=no"),
}
VALUES = {
    **{
        "ohm": "1.2",
        "kohm": "150",
        "Mohm": "5",
        "V": "4.9",
        "A": "14",
        "rpm": "210",
        "percent": "40",
        "s": "5",
    },
    **{"bar": "300", "ml": "20", "mm3": "1", "degC": "11", "kPa": "80", "mg": "420", "g": "12", "km": "300"},
}


class Cells(WithClient):
    def open(self, name, engine):
        ticks = [entry("tick", caution=caution) for caution in self.workshop.knowledge.cautions]
        stops = entry("outcome", test="stop_lever", outcome="stops")
        file = job_file(symptom("no_start"), *ticks, stops, engine=engine, job_id=name)
        self.workshop.tapes.import_file(json.dumps(file).encode())

    def shown(self, path):
        """The cells of a page by their ids, each with the fields that its form sends."""
        made, plain = {}, cells.Filled

        def filled(cell, *rest, **named):
            made[cell.id] = cell
            return plain(cell, *rest, **named)

        with mock.patch.object(cells, "Filled", filled):
            page = self.client.get(path)
        self.assertEqual(page.status_code, 200, path)
        forms = lxml.html.fromstring(page.text).xpath("//form[@class='cell']")
        sent = {}
        for form in forms:
            fields = {
                x.get("name"): x.get("value", "") for x in form.iter("input") if x.get("type") == "hidden"
            }
            sent[form.get("id").removeprefix("cell-")] = fields
        return [(made[key], fields) for key, fields in sent.items()]

    def written(self, job, cell, fields):
        """What stands on the tape once a value was typed into a cell."""
        value = VALUES[cell.unit]
        data = {**fields, "value": value, "again": "yes", "entry_id": str(uuid4())}
        answer = self.client.post(f"/jobs/{job}/measure/cell", data=data)
        self.assertEqual(answer.status_code, 303, (cell, answer.text[-2500:]))
        last = self.workshop.tapes.job(job).job.tape[-1]
        return last.data.model_dump(exclude_none=True)

    def test_every_cell_of_every_bench_on_an_engine_that_has_all(self):
        filled = set()
        for number, engine in enumerate((OLDER,)):
            job = f"job-{number}"
            self.open(job, engine)
            paths = [f"measure/{bench}{asked}" for bench in BENCHES for asked in ASKED.get(bench, ("",))]
            benched = {test for test, _ in self.workshop.knowledge.bench_of}
            paths += [f"measure/test/{test}" for test in self.workshop.knowledge.tests if test not in benched]
            paths += [
                f"measure/test/{test}?part_hot=yes" for test in ("injector_insulation", "glow_resistance")
            ]
            for path in paths:
                for cell, fields in self.shown(f"/jobs/{job}/{path}"):
                    with self.subTest(path=path, cell=cell.id):
                        wrote = self.written(job, cell, fields)
                        self.assertEqual(wrote["test"], cell.test)
                        self.assertEqual(wrote.get("where", {}), cell.where)
                        self.assertEqual(wrote.get("conditions", {}), cell.conditions)
                        filled.add((cell.test, *cell.conditions))
        for told in (
            ("injector_resistance",),
            ("injector_resistance", "part_hot"),
            ("glow_current", "after_s"),
        ):
            self.assertIn(told, filled)
        self.assertTrue(any("loaded" in x for x in filled) and any("battery_v" in x for x in filled))
        self.assertGreater(len(filled), 25)

    def test_the_hot_resistance_stands_beside_the_cold_one(self):
        self.open("case", NORRA)
        for cell, fields in self.shown("/jobs/case/measure/injectors"):
            if cell.test == "injector_resistance" and cell.where == {"cylinder": 1}:
                fields["value"] = "0.9" if cell.conditions else "0.4"
                self.client.post("/jobs/case/measure/cell", data={**fields, "entry_id": str(uuid4())})
        page = lxml.html.fromstring(self.client.get("/jobs/case/measure/injectors").text)
        read = [
            page.get_element_by_id(f"in-injector_resistance-1{hot}").get("value")
            for hot in ("", "-part_hot1")
        ]
        self.assertEqual(read, ["0.4", "0.9"])

    def test_a_word_that_no_condition_knows_is_refused_and_nothing_is_written(self):
        self.open("case", NORRA)
        sent = {
            "test": "injector_resistance",
            "cylinder": "1",
            "unit": "ohm",
            "value": "0.4",
            "part_hot": "True",
        }
        before = len(self.workshop.tapes.job("case").job.tape)
        answer = self.client.post("/jobs/case/measure/cell", data={**sent, "entry_id": str(uuid4())})
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(len(self.workshop.tapes.job("case").job.tape), before)


if __name__ == "__main__":
    unittest.main()
