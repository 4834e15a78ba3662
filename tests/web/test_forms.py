"""Every form with what people and robots type: a clear answer, nothing lost, never a broken page."""

import json
import re
import unittest
from unittest import mock
from uuid import uuid4

from tests.cases import NORRA, entry, job_file, meter, plugs, symptom
from tests.web.test_api import WithClient

BAD = [
    "",
    "many",
    "12 parsecs",
    "1e9",
    "-1e9",
    "<script>alert(1)</script>",
    "x" * 10_000,
    "🔥",
    "1,2,3",
    "NaN",
    "\x00",
    "../..",
    "{{7*7}}",
    "9" * 400,
]


class WithJob(WithClient):
    def setUp(self):
        super().setUp()
        found = [
            symptom("hard_start_cold"),
            entry("code_scan", module="all"),
            meter(),
            *plugs([1.0, "OL", 1.02, 1.01]),
            entry("option", option="glow_dead", title="Dead", price=100000, chosen=True),
            entry("consent", answer="yes", ceiling=200000, who="Owner", how="phone"),
        ]
        self.workshop.tapes.import_file(json.dumps(job_file(*found, engine=NORRA)).encode())

    def post(self, path, **fields):
        if path.startswith("vehicle/"):
            fields = {"seen": self.seen(), **fields}
        return self.client.post(f"/jobs/case/{path}", data={"entry_id": str(uuid4()), **fields})

    def seen(self, job_id="case"):
        record = self.workshop.tapes.job(job_id)
        return str(self.workshop.garage.seen(record.job, record.vehicle_id))

    def tape(self):
        return [(x.kind, x.data) for x in self.workshop.tapes.job("case").job.tape]


class EveryField(WithJob):
    FORMS = {
        "arrive/complaint": {"text": "long crank", "since": "autumn"},
        "arrive/symptom": {"symptom": "slow_crank"},
        "arrive/context": {"context": "short_trips"},
        "arrive/code": {"code": "P0671", "status": "stored", "text": ""},
        "arrive/block": {"block": "P0671 stored"},
        "arrive/lamp": {"lamp": "Glow", "state": "on"},
        "arrive/conditions": {"ambient": "-8", "coolant": "20", "odometer": "1000"},
        "arrive/before": {"text": "somebody"},
        "arrive/deadline": {"until": "2030-01-01T10:00", "standstill": "100", "why": "snow"},
        "measure/cell": {
            "test": "glow_resistance",
            "point": "plug",
            "cylinder": "1",
            "unit": "ohm",
            "bench": "glow",
            "method": "ohm",
            "at": "plug",
            "value": "1.0",
            "part_c": "20",
        },
        "measure/instrument": {
            "instrument": "meter",
            "bench": "glow",
            "lead_zero": "0.1",
            "accuracy_percent": "1",
            "accuracy_digits": "3",
            "resolution": "0.01",
        },
        "measure/outcome": {"test": "glow_relay", "point": "relay", "outcome": "click", "bench": "relay"},
        "measure/figures": {
            "test": "wiggle",
            "wiggle_s": "10",
            "dropouts": "2",
            "bench": "test",
            "node": "injector",
        },
        "measure/returned": {"distance_km": "12", "codes_back": "P0671", "conditions": "cold"},
        "narrow/state": {"state": "raised", "on": "yes"},
        "narrow/tools": {"tool": "meter"},
        "decide/price": {
            "option": "glow_dead",
            "part": "380",
            "hours": "0.4",
            "access": "0",
            "consumables": "0",
            "days": "0",
            "warranty": "24",
        },
        "decide/rates": {"rate": "900", "tax_percent": "25", "currency": "kr"},
        "decide/pick": {"option": "glow_dead", "reason": "agreed"},
        "decide/consent": {
            "answer": "yes",
            "who": "Owner",
            "how": "phone",
            "ceiling": "1000",
            "declined": "",
        },
        "decide/warning": {"text": "brake line", "urgency": "stop", "owner": "declined", "place": "rear"},
        "fit/step": {"step": "ground_on", "state": "done", "torque": "6", "reason": "x"},
        "fit/fitted": {"temporary": "", "come_back": ""},
        "prove/wait": {"hours": "10"},
        "prove/end_wait": {"reason": "snow"},
        "prove/step": {"step": "clear", "result": "pass", "reason": "x", "soaked_h": "9"},
        "prove/handover": {"to": "Owner", "note": "told"},
        "tape/note": {"text": "hello"},
        "tape/correct": {"corrects": "e1", "reason": "slip"},
        "vehicle/new": {"name": "Van 9", "plate": "X", "owner": "Y", "odometer_km": "100"},
        "vehicle/known": {"vehicle_id": "1"},
        "vehicle/use_card": {"card_id": "1"},
        "vehicle/card": {
            "name": "Card",
            "cylinders": "4",
            "glow": "rod_12v",
            "compression_ratio": "17",
            "limit_glow_plug_fitting_nm": "15",
            "limit_glow_plug_thread": "M10",
            "egr": "none",
        },
    }

    def test_no_field_of_any_form_breaks_the_page(self):
        for path, fields in self.FORMS.items():
            for at, name in enumerate(fields):
                for bad in BAD[at % 2 :: 2]:
                    answer = self.post(path, **{**fields, name: bad})
                    self.assertIn(answer.status_code, (200, 303, 404, 422), (path, name, bad[:20]))
                    self.assertNotIn("<script>alert", answer.text)
                    self.assertNotIn("Traceback", answer.text)
        self.assertTrue(self.client.get("/jobs/case/report").status_code == 200)

    def test_a_missing_form_and_a_missing_job(self):
        self.assertEqual(self.post("arrive/nope").status_code, 404)
        self.assertEqual(self.client.post("/jobs/nope/arrive/complaint", data={"text": "x"}).status_code, 404)


class KeptAndNamed(WithJob):
    def test_what_was_typed_stays_and_the_fault_stands_at_its_field(self):
        answer = self.post("arrive/conditions", ambient="minus eight", coolant="20")
        self.assertEqual(answer.status_code, 422)
        self.assertIn('value="minus eight"', answer.text)
        self.assertIn('aria-describedby="fault-conditions-ambient"', answer.text)
        self.assertIn("no figure; write one in °C", answer.text.replace("&#39;", "'"))
        card = self.post(
            "vehicle/card",
            name="Card",
            cylinders="40",
            compression_ratio="17",
            limit_glow_plug_fitting_nm="900",
        )
        self.assertIn("1 to 16 is allowed", card.text)
        self.assertIn('value="17"', card.text)
        self.assertIn("3 to 40 N m is allowed", card.text)

    def test_units_and_commas_are_understood(self):
        self.post("arrive/conditions", ambient="17,6 °F", odometer="184 200")
        self.post(
            "measure/cell", test="battery_rest", point="battery_1", unit="V", bench="battery", value="12,61V"
        )
        kinds = {
            getattr(d, "name", None) or getattr(d, "test", ""): (d.value, d.unit)
            for k, d in self.tape()
            if k in ("condition", "reading") and k
        }
        self.assertEqual(kinds["ambient"], (17.6, "degF"))
        self.assertEqual(kinds["battery_rest"], (12.61, "V"))
        self.assertIn('value="17.6 °F"', self.client.get("/jobs/case/arrive").text)
        before = len(self.tape())
        self.post("arrive/conditions", ambient="17.6 degF", odometer="184200")
        self.assertEqual(len(self.tape()), before)

    def test_a_cell_is_written_once_changed_and_emptied(self):
        cell = {
            "test": "glow_resistance",
            "point": "plug",
            "cylinder": "2",
            "unit": "ohm",
            "bench": "glow",
            "method": "ohm",
            "at": "plug",
        }
        one = str(uuid4())
        for _ in range(2):
            self.client.post("/jobs/case/measure/cell", data={**cell, "entry_id": one, "value": "ol"})
        self.assertEqual(len([1 for k, d in self.tape() if k == "reading" and d.where.point == "plug"]), 1)
        self.client.post("/jobs/case/measure/cell", data={**cell, "entry_id": one, "value": "1.0"})
        self.assertEqual(
            [d.value for k, d in self.tape() if k == "reading" and d.where.point == "plug"], ["OL", 1.0]
        )
        self.client.post("/jobs/case/measure/cell", data={**cell, "entry_id": str(uuid4()), "value": ""})
        self.assertEqual(self.tape()[-1][0], "correction")

    def test_out_of_reach_is_refused_with_what_is_allowed(self):
        answer = self.post(
            "measure/cell",
            test="glow_resistance",
            point="plug",
            cylinder="1",
            unit="ohm",
            bench="glow",
            method="ohm",
            at="plug",
            value="1e12",
        )
        self.assertEqual(answer.status_code, 422)
        self.assertIn("-10 to 100 000 000 000 Ω is allowed", answer.text)
        self.assertIn('value="1e12"', answer.text)

    def test_judged_while_typing_without_writing(self):
        before = len(self.tape())
        answer = self.client.get(
            "/jobs/case/measure/judge",
            params={
                "test": "glow_resistance",
                "point": "plug",
                "cylinder": "1",
                "unit": "ohm",
                "value": "3.2",
            },
        )
        self.assertIn("high", answer.text)
        self.assertIn("3.00 ± 0.06", answer.text)
        self.assertIn(
            "no figure",
            self.client.get(
                "/jobs/case/measure/judge", params={"test": "glow_resistance", "value": "abc", "unit": "ohm"}
            ).text,
        )
        self.assertEqual(len(self.tape()), before)


class Rules(WithJob):
    def test_clearing_before_recording_warns_first(self):
        self.workshop.tapes.import_file(json.dumps(job_file(symptom("no_start"), job_id="fresh")).encode())
        refused = self.client.post("/jobs/fresh/arrive/clear", data={"entry_id": "a"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("evidence lost", refused.text)
        self.assertEqual(
            self.client.post("/jobs/fresh/arrive/clear", data={"entry_id": "b", "anyway": "yes"}).status_code,
            303,
        )
        self.assertTrue(self.workshop.tapes.job("fresh").job.codes_lost)

    def test_a_symptom_that_comes_and_goes_keeps_its_returns(self):
        self.post("arrive/symptom", symptom="no_start")
        self.post("arrive/returns", symptom="no_start", after="60 100", axis="distance_km")
        for goes, kept in (("no", 0), ("yes", 0)):
            self.post("arrive/symptom", symptom="no_start", goes=goes)
            data = self.tape()[-1][1]
            self.assertEqual((data.comes_and_goes, len(data.returns)), (goes == "yes", kept))
        self.post("arrive/returns", symptom="no_start", after="60 100", axis="distance_km")
        self.post("arrive/symptom", symptom="no_start", goes="yes")
        self.assertEqual([r.distance_km for r in self.tape()[-1][1].returns], [60, 100])
        self.assertIn("Comes back after 60, 100", self.client.get("/jobs/case/arrive").text)
        self.post("arrive/symptom", symptom="no_start", present="no")
        self.assertFalse(self.tape()[-1][1].comes_and_goes)

    def test_a_pasted_block_keeps_what_was_not_understood(self):
        self.post("arrive/block", block="P0671 pending\nFreeze frame: 3 rows\nPO672")
        kinds = [k for k, _ in self.tape()]
        self.assertEqual(kinds[-5:], ["code", "code", "code_scan", "note", "note"])
        self.assertIn("Freeze frame", self.tape()[-2][1].text)

    def test_cautions_are_ticked_before_the_act(self):
        self.assertIn(
            "Tick the caution",
            self.post(
                "measure/outcome",
                test="glow_bench_heat",
                cylinder="2",
                outcome="cold",
                bench="glow",
                method="heat",
            ).text,
        )
        self.client.post("/jobs/case/tick", data={"caution": "plug_voltage", "entry_id": str(uuid4())})
        self.assertEqual(
            self.post(
                "measure/outcome",
                test="glow_bench_heat",
                cylinder="2",
                outcome="cold",
                bench="glow",
                method="heat",
            ).status_code,
            303,
        )
        self.assertIn("tick the caution first", self.post("fit/step", step="ground_off", state="done").text)
        self.assertEqual(
            self.post("fit/step", step="ground_off", state="done", tick="battery_ground_off").status_code, 303
        )

    def test_a_plug_is_not_forced_and_last_off_goes_on_first(self):
        self.assertIn(
            "stop at 35 N m",
            self.post(
                "fit/step", step="plugs_out", state="done", tick="foreign_objects", torque="50", pieces="1"
            ).text,
        )
        for step in ("covers_off", "wires_off"):
            self.post("fit/step", step=step, state="done", hardware="bolt M6, front, long")
        refused = self.post("fit/step", step="covers_on", state="done")
        self.assertIn("still off", refused.text)
        self.assertEqual(
            self.post(
                "fit/step", step="covers_on", state="done", reason="wires go under the cover"
            ).status_code,
            303,
        )

    def test_no_cranking_until_the_count_closes(self):
        steps = self.workshop.knowledge.repairs["glow_plugs"].step_ids
        for step in steps:
            done = self.post(
                "fit/step",
                step=step,
                state="done",
                tick=["battery_ground_off", "foreign_objects"],
                torque={"plugs_in": "15", "wires_on": "2", "ground_on": "6"}.get(step, ""),
                pieces="1" if step == "plugs_out" else "0",
                old_type="rod",
                new_type="rod",
            )
            self.assertEqual(done.status_code, 303, (step, re.findall(r'role="alert">([^<]+)', done.text)))
        self.assertIn("the count does not close", self.post("fit/fitted").text)

    def test_a_part_that_differs_is_questioned(self):
        self.assertIn(
            "differ in thread",
            self.post("fit/step", step="compare", state="done", old_thread="M10", new_thread="M12").text,
        )

    def test_the_dearer_option_needs_a_reason(self):
        self.assertIn("expected to cost less", self.post("decide/pick", option="glow_set").text)
        said = {"option": "glow_set", "reason": "needed all winter"}
        refused = self.post("decide/pick", **said)
        self.assertEqual(refused.status_code, 422)
        before = re.search('name="instead" value="([^"]+)"', refused.text)[1]
        self.assertIn("is picked already", refused.text)
        self.assertEqual(self.post("decide/pick", **said, instead=before).status_code, 303)

    def test_handing_over_unproven_needs_a_word(self):
        self.assertIn("it is not proven", self.post("prove/handover", to="Owner").text)

    def test_taking_back_and_taking_that_back(self):
        self.post("tape/correct", corrects="e4", reason="slip")
        correction = self.workshop.tapes.job("case").job.tape[-1]
        self.assertIn("e4", self.workshop.tapes.job("case").job.gone)
        self.post("tape/correct", corrects=correction.id, reason="it was right")
        self.assertNotIn("e4", self.workshop.tapes.job("case").job.gone)
        self.assertIn(
            "taken back already", self.post("tape/correct", corrects=correction.id, reason="again").text
        )

    def test_every_page_of_a_job_without_a_word_on_it_says_what_to_do(self):
        place = self.client.post("/jobs").headers["location"].removesuffix("/arrive")
        for page in (
            "",
            "/arrive",
            "/vehicle",
            "/narrow",
            "/measure",
            "/measure/glow",
            "/measure/glow?method=lamp",
            "/measure/glow?method=current",
            "/measure/glow?method=heat",
            "/measure/relay",
            "/measure/battery",
            "/measure/test/wiggle",
            "/decide",
            "/fit",
            "/prove",
            "/tape",
            "/report",
        ):
            answer = self.client.get(place + page)
            self.assertIn(answer.status_code, (200, 303), page)
        self.assertIn("Pick an option", self.client.get(place + "/fit").text)
        self.assertIn("Nothing to weigh yet", self.client.get(place + "/narrow").text)
        for odd in ("/measure/nope", "/measure/test/nope"):
            self.assertEqual(self.client.get(place + odd).status_code, 404)
        for odd in (
            "/measure/glow?method=nope&point=nope",
            "/measure/glow?part_c=hot",
            "/measure/battery?soaked_h=-1",
            "/vehicle?copy=99",
            "/measure/judge",
            "/measure/judge?test=nope&value=1",
        ):
            self.assertEqual(self.client.get(place + odd).status_code, 200, odd)
        self.assertEqual(self.client.get(place + "/vehicle?copy=x").status_code, 422)

    def test_a_double_press_opens_one_job(self):
        one = str(uuid4())
        places = {self.client.post("/jobs", data={"job_id": one}).headers["location"] for _ in range(2)}
        self.assertEqual(places, {f"/jobs/{one}/arrive"})
        self.assertEqual(self.workshop.yard.count(), 2)


class Cards(WithJob):
    def test_an_odometer_in_miles_stays_in_miles(self):
        self.post("vehicle/new", name="Van 9", odometer_km="230 mi")
        vehicle = self.workshop.tapes.job("case").job.vehicle
        self.assertEqual((round(vehicle.odometer_km, 2), vehicle.odometer), (370.15, "230 mi"))
        for place in ("arrive", "vehicle"):
            page = self.client.get(f"/jobs/case/{place}").text
            self.assertIn("230 mi", page)
            if place == "vehicle":  # it says its own unit
                self.assertNotRegex(page, r'value="230 mi"[^>]*>\s*<span class="unit">')
            self.assertNotIn("370.1", page)
        self.post("vehicle/new", name="Van 9", odometer_km="120000")
        self.assertEqual(self.workshop.tapes.job("case").job.vehicle.odometer, "120\u00a0000 km")

    def test_a_card_is_made_copied_and_used(self):
        self.post("vehicle/new", name="Van 9", odometer_km="120000")
        self.assertEqual(
            self.post(
                "vehicle/card",
                name="Tind X",
                cylinders="3",
                glow="ceramic",
                batteries="2",
                dpf="yes",
                egr="both",
                system_voltage="24",
                limit_glow_plug_thread="M8",
            ).status_code,
            303,
        )
        card = self.workshop.tapes.job("case").job.engine
        self.assertEqual(
            (card.cylinders, card.glow, card.dpf, card.egr, card.system_voltage, card.limits),
            (3, "ceramic", True, ["high_pressure", "low_pressure"], 24, {"glow_plug_thread": "M8"}),
        )
        self.assertEqual(self.tape()[-1][0], "card_change")
        card_id = next(i for i, c in self.workshop.garage.cards() if c.name == "Tind X")
        self.assertIn("Tind X copy", self.client.get(f"/jobs/case/vehicle?copy={card_id}").text)
        self.workshop.tapes.import_file(json.dumps(job_file(job_id="second")).encode())
        vehicle_id = self.workshop.garage.vehicles()[0].id
        self.assertIn(
            "is known already", self.client.post("/jobs/second/vehicle/new", data={"name": "Van 9"}).text
        )
        self.assertIn(
            "is known already",
            self.client.post("/jobs/second/vehicle/card", data={"name": "Tind X", "cylinders": "9"}).text,
        )
        self.client.post("/jobs/second/vehicle/known", data={"vehicle_id": str(vehicle_id)})
        self.assertEqual(self.workshop.tapes.job("second").job.engine.name, "Tind X")
        self.assertEqual([v.id for v in self.workshop.yard.visits(vehicle_id, "second")], ["case"])


class TwoAtOnce(WithJob):
    """Vehicle and engine card, changed from two pages that were open at the same time."""

    def setUp(self):
        super().setUp()
        self.post("vehicle/new", name="Van 9")
        self.post("vehicle/card", name="Tind X", cylinders="4", displacement_l="2")

    def card(self):
        return next(c for _, c in self.workshop.garage.cards() if c.name == "Tind X")

    def test_the_second_writer_sees_what_changed_and_both_values(self):
        seen = self.seen()
        first = self.post("vehicle/card", seen=seen, name="Tind X", cylinders="6", displacement_l="2")
        second = self.post("vehicle/card", seen=seen, name="Tind X", cylinders="5", displacement_l="2")
        self.assertEqual((first.status_code, second.status_code), (303, 409))
        self.assertIn("stands as 6 now; you sent 5", second.text)
        self.assertNotIn("stands as 2 now", second.text)
        self.assertIn('value="5"', second.text)
        self.assertEqual(self.card().cylinders, 6)
        again = self.post("vehicle/card", name="Tind X", cylinders="5", displacement_l="2")
        self.assertEqual((again.status_code, self.card().cylinders), (303, 5))

    def test_two_jobs_of_one_card(self):
        self.workshop.tapes.import_file(json.dumps(job_file(job_id="second")).encode())
        card_id = next(i for i, c in self.workshop.garage.cards() if c.name == "Tind X")
        self.client.post(
            "/jobs/second/vehicle/use_card", data={"card_id": card_id, "seen": self.seen("second")}
        )
        sent = {"seen": self.seen("second"), "name": "Tind X", "cylinders": "4", "displacement_l": "3"}
        self.post(
            "vehicle/card", name="Tind X", cylinders="4", displacement_l="2", limit_glow_plug_thread="M8"
        )
        late = self.client.post("/jobs/second/vehicle/card", data=sent)
        self.assertEqual(late.status_code, 409)
        self.assertIn("stands as M8 now; you sent nothing", late.text)
        taken = self.client.post("/jobs/second/vehicle/card", data={**sent, "seen": self.seen("second")})
        self.assertEqual(taken.status_code, 303)
        self.assertEqual((self.card().displacement_l, self.card().limits), (3, {"glow_plug_thread": "M8"}))

    def test_a_new_card_of_the_same_name_from_two_pages(self):
        seen = self.seen()
        first = self.post("vehicle/card", seen=seen, name="Tind Y", cylinders="3")
        second = self.post("vehicle/card", seen=seen, name="Tind Y", cylinders="6")
        self.assertEqual((first.status_code, second.status_code), (303, 409))
        self.workshop.tapes.import_file(json.dumps(job_file(job_id="second")).encode())
        other = self.client.post("/jobs/second/vehicle/card", data={"name": "Tind Y", "cylinders": "8"})
        self.assertIn("is known already", other.text)
        self.assertEqual([c.cylinders for _, c in self.workshop.garage.cards() if c.name == "Tind Y"], [3])

    def test_the_vehicle_too_and_a_pick_after_a_pick(self):
        seen = self.seen()
        self.post("vehicle/new", seen=seen, name="Van 9", owner="Hamna rescue")
        late = self.post("vehicle/new", seen=seen, name="Van 9", plate="XY 1")
        self.assertEqual(late.status_code, 409)
        self.assertIn("stands as Hamna rescue now; you sent nothing", late.text)
        card_id = next(i for i, c in self.workshop.garage.cards() if c.name == "Tind X")
        self.assertEqual(self.post("vehicle/use_card", seen=seen, card_id=str(card_id)).status_code, 409)

    def test_one_press_one_change_and_nothing_half_written(self):
        key, seen = str(uuid4()), self.seen()
        sent = {"entry_id": key, "seen": seen, "name": "Tind X", "cylinders": "6"}
        self.assertEqual([self.post("vehicle/card", **sent).status_code for _ in range(2)], [303, 303])
        self.assertEqual(self.post("vehicle/card", **sent | {"cylinders": "8"}).status_code, 409)
        changes = [kind for kind, _ in self.tape()].count("card_change")
        with mock.patch("frosty_piston.store.tapes._show", side_effect=RuntimeError):
            self.assertEqual(self.post("vehicle/card", name="Tind X", cylinders="3").status_code, 500)
        self.workshop.tapes.forget()
        self.assertEqual(self.card().cylinders, 6)
        self.assertEqual([kind for kind, _ in self.tape()].count("card_change"), changes)


if __name__ == "__main__":
    unittest.main()
