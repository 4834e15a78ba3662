"""The list of a vacuum circuit as its editor, the drawing made from it, and the bench that searches on it."""

import json
import random
import unittest

from frosty_piston.core.circuit import outward
from frosty_piston.job.circuit import editing as edit
from frosty_piston.job.circuit.on_tape import circuit_of, leaking
from frosty_piston.job.entries import Circuit
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig.circuits import made_up
from frosty_piston.web.drawing.circuit_drawing import crossings, draw_circuit
from tests.cases import VACUUM, entry, held, job_file, scan, symptom, vacuum_circuit
from tests.web.test_api import WithClient

K = load_knowledge()
ELECTRIC = {**VACUUM, "stop": "electric"}
HIGH = entry("condition", name="altitude_m", value=1500, unit="m")


class Editing(WithClient):
    def open(self, *entries, engine=VACUUM, job="case"):
        self.job = job
        raw = job_file(symptom("low_power"), scan(), *entries, engine=engine, job_id=job)
        self.workshop.tapes.import_file(json.dumps(raw).encode())

    def post(self, name, **data):
        return self.client.post(f"/jobs/{self.job}/circuit/{name}", data=data)

    @property
    def listed(self):
        last = self.workshop.tapes.job(self.job).job.last(Circuit)
        return edit.listed(last.data if last else None)

    def titles(self):
        return [p["title"] for p in self.listed["parts"]]

    def page(self):
        return self.client.get(f"/jobs/{self.job}/circuit").text

    def test_a_list_from_the_card_hangs_together(self):
        for wanted in (
            edit.OFFERED,
            ("booster",),
            ("stop",),
            ("turbo",),
            ("booster", "stop", "turbo", "reservoir"),
        ):
            with self.subTest(wanted):
                made = circuit_of(Circuit.model_validate(edit.from_template(K, wanted)))
                found = outward(made, K.circuit.part_kinds)
                self.assertEqual(found.wrong, ())
                self.assertEqual(found.reached, {p.id for p in made.parts})
                kinds = {p.kind for p in made.parts}
                self.assertEqual("stop_actuator" in kinds, "stop" in wanted)
                self.assertEqual("reservoir" in kinds, "reservoir" in wanted)

    def test_what_the_card_says_is_ticked(self):
        for card, ticked in (
            ({}, {"booster", "reservoir", "stop", "turbo", "egr"}),
            ({"stop": "electric", "turbo": "none", "egr": []}, {"booster"}),
            (
                {"egr_cooler_bypass": "vacuum", "swirl_flaps": "vacuum", "inlet_flap": "vacuum"},
                {"bypass", "swirl", "inlet"},
            ),
        ):
            with self.subTest(card):
                self.setUp()
                self.open(engine={**VACUUM, **card})
                on = set(edit.on_card(self.workshop.tapes.job("case").job.engine))
                self.assertTrue(ticked <= on, on)

    def test_the_stop_is_tapped_off_the_booster_line(self):
        made = edit.from_template(K, ("booster", "stop"))
        tap = next(p["id"] for p in made["parts"] if p["title"] == "Tap for the stop")
        ends = {(h["from"].split(".")[0], h["to"].split(".")[0]) for h in made["hoses"]}
        reached = {b.partition("_")[0] for a, b in ends if a == tap}
        self.assertEqual(reached, {"key", "check"})

    def test_add_connect_rename_move_remove_undo(self):
        self.open()
        self.assertEqual(self.post("add", kind="pump").status_code, 303)
        self.assertEqual(self.post("add", kind="booster", title="Servo", on="pump_1.out").status_code, 303)
        self.assertEqual(self.titles(), ["Pump", "Servo"])
        self.assertEqual(
            [(h["from"], h["to"]) for h in self.listed["hoses"]], [("pump_1.out", "booster_1.in")]
        )
        self.post("add", kind="mount", on="hose_1")
        self.assertEqual(self.titles(), ["Pump", "Servo", "Tee", "Engine mount"])
        self.assertEqual(
            outward(circuit_of(Circuit.model_validate(self.listed)), K.circuit.part_kinds).wrong, ()
        )
        self.post("part", item="mount_1", title="Left mount", kind="mount")
        self.assertIn("Left mount", self.titles())
        self.post(
            "hose",
            item="hose_1",
            near="pump_1.out",
            far="tee_1.a",
            mark="red",
            length_mm="400",
            heat="exhaust",
            age_years="9",
            access_min="4",
            last_hands="yes",
        )
        self.assertEqual(
            {k: self.listed["hoses"][0][k] for k in ("mark", "length_mm", "heat", "age_years", "last_hands")},
            {"mark": "red", "length_mm": 400.0, "heat": "exhaust", "age_years": 9.0, "last_hands": True},
        )
        self.assertIn(
            "red, 400 mm, near the exhaust, 9 years, 4 min to reach, last hands were here", self.page()
        )
        self.post("remove", item="mount_1")
        self.assertEqual(self.titles(), ["Pump", "Servo", "Tee"])
        self.post("add", kind="solenoid")
        self.post("connect", near="tee_1.c", far="solenoid_1.supply")
        self.assertEqual(self.listed["hoses"][-1]["to"], "solenoid_1.supply")
        for _ in range(3):
            self.post("undo")
        self.assertEqual(self.titles(), ["Pump", "Servo", "Tee", "Left mount"])

    def test_what_cannot_be_is_refused_where_it_was_typed(self):
        self.open(vacuum_circuit())
        for name, data, says in (
            ("add", {"kind": "gizmo"}, "choose one of"),
            ("add", {"kind": "mount", "on": "p.nowhere"}, "choose one of"),
            ("connect", {"near": "z.vent", "far": "z.vent"}, "another port than the first"),
            ("connect", {"near": "", "far": "b.in"}, "choose one of"),
            ("part", {"item": "p", "title": "", "kind": "pump"}, "a name is wanted"),
            ("hose", {"item": "h1", "near": "p.out", "far": "t.a", "length_mm": "2"}, "10 to 20"),
            ("hose", {"item": "h1", "near": "p.out", "far": "t.a", "age_years": "old"}, "no figure"),
            ("remove", {"item": "nothing"}, "choose one of"),
            ("start", {}, "tick what hangs on the pump"),
            ("take", {"where": "card"}, "no circuit is kept there"),
        ):
            with self.subTest(name, **data):
                before = len(self.workshop.tapes.job("case").job.tape)
                answer = self.post(name, **data)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says, answer.text.replace("\xa0", " "))
                self.assertEqual(len(self.workshop.tapes.job("case").job.tape), before)
        self.assertEqual(self.post("gizmo").status_code, 404)

    def test_wrong_joints_are_pointed_out_and_still_written(self):
        for hoses, says in (
            ({"h6": {"to": "v.far_side"}, "h7": {"from": "v.pump_side"}}, "One-way valve is backwards"),
            ({"h4": {"to": "z.output"}, "h9": {"from": "r.c"}}, "Outlet to outlet"),
            ({"h9": {"to": "b.in"}}, "two hoses on in"),
        ):
            with self.subTest(says):
                self.setUp()
                self.open(vacuum_circuit(**hoses))
                page = self.page()
                self.assertIn("Joined wrongly", page)
                self.assertIn(says, page)
        self.setUp()
        raw = vacuum_circuit()
        raw["data"]["hoses"] = raw["data"]["hoses"][:-1]
        self.open(raw)
        self.assertIn("No vacuum reaches Turbo actuator", self.page())

    def test_kept_with_the_vehicle_and_copied_to_the_card(self):
        self.open(vacuum_circuit())
        self.client.post("/jobs/case/circuit/keep")
        self.assertIsNotNone(self.workshop.garage.circuit_of(VACUUM["name"]))
        self.open(job="next")
        page = self.page()
        self.assertIn("Take the circuit of this engine card", page)
        self.post("take", where="card")
        self.assertEqual(len(self.listed["parts"]), 10)
        self.workshop.garage.add_vehicle({"name": "Van", "odometer_km": 1}, None)
        for job in ("first", "second"):
            self.open(*([vacuum_circuit()] if job == "first" else []), job=job)
        self.assertIn("from its last visit", self.page())
        self.post("take", where="vehicle")
        self.assertEqual(len(self.listed["hoses"]), 9)

    def test_one_page_with_its_legend(self):
        self.open()
        self.assertEqual(self.client.get("/jobs/case/papers/circuit").status_code, 404)
        self.open(vacuum_circuit(h3={"mark": "black", "last_hands": True}), job="drawn")
        page = self.client.get("/jobs/drawn/papers/circuit").text
        for words in (
            "joined wrongly, or reached by no pump",
            "the last hands were here",
            "Switch at the key",
            "black",
        ):
            self.assertIn(words, page)

    def test_a_drawing_without_crossings_and_every_part_opens_its_test(self):
        rng = random.Random(5)
        for _ in range(60):
            circuit = made_up(rng, rng.randint(8, 25))
            drawing = draw_circuit(circuit, K)
            self.assertEqual(crossings(drawing), 0)
            self.assertEqual({s.id for s in drawing.parts}, {p.id for p in circuit.parts})
            places = [(s.x, s.y) for s in drawing.parts]
            self.assertEqual(len(places), len(set(places)))
        self.open(vacuum_circuit())
        page = self.page()
        for link in (
            "measure/stop#step-key_switch",
            "measure/turbo#step-vacuum_travel-turbo_actuator",
            "measure/vacuum?at=h3#hold",
            "measure/vacuum#step-vacuum_at_pump",
        ):
            self.assertIn(f'href="/jobs/case/{link}"', page)

    def test_a_loop_is_drawn_too(self):
        loop = vacuum_circuit()
        loop["data"]["hoses"].append({"id": "h10", "from": "z.vent", "to": "a.in"})
        drawing = draw_circuit(circuit_of(Circuit.model_validate(loop["data"])), K)
        self.assertEqual(sum(h.odd for h in drawing.hoses), 1)


class Searching(WithClient):
    def open(self, *entries, engine=ELECTRIC):
        raw = job_file(symptom("low_power"), scan(), *entries, engine=engine)
        self.workshop.tapes.import_file(json.dumps(raw).encode())

    def post(self, **data):
        sent = {"bench": "vacuum", "test": "vacuum_section", "at": "h3", **data}
        return self.client.post("/jobs/case/measure/held", data=sent)

    def page(self, at=""):
        return self.client.get("/jobs/case/measure/vacuum" + (f"?at={at}" if at else "")).text

    def now(self, test="vacuum_section"):
        return [v for v in self.workshop.tapes.job("case").assessed.now if v.test == test]

    def test_a_hold_test_at_a_place_in_the_gauges_unit(self):
        self.open(HIGH, vacuum_circuit())
        self.assertEqual(
            self.post(start_kpa="18", end_kpa="6", seconds="60", gauge_unit="inHg").status_code, 303
        )
        (v,) = self.now()
        self.assertEqual((v.judgement.cls, v.where["node"]), ("leaks", "h3"))
        page = self.page()
        self.assertIn("Start, inHg", page)
        self.assertIn("steps and", page)
        self.assertIn("one by one", page)

    def test_a_hold_test_before_a_solenoid_says_whether_that_had_power(self):
        self.open(vacuum_circuit())
        self.assertIn("Solenoid powered", self.page("h8"))
        self.assertNotIn("Solenoid powered", self.page("h9"))
        given = {"start_kpa": "60", "end_kpa": "59", "seconds": "900", "gauge_unit": "kPa"}
        self.assertEqual(self.post(at="h8", energised="perhaps", **given).status_code, 422)
        self.post(at="h8", energised="no", **given)
        self.assertIs(self.now()[-1].energised, False)
        self.assertIn("without power", self.client.get("/jobs/case/tape").text)

    def test_what_was_read_on_the_way_is_kept_and_fitted(self):
        self.open(vacuum_circuit())
        points = "0:44 10:42 20:40.2 30:38.3 60:33.4"
        self.post(start_kpa="44", end_kpa="33.4", seconds="60", points=points, gauge_unit="kPa")
        tape = self.workshop.tapes.job("case").job.tape
        self.assertEqual(tape[-2].data.columns["time"], [0.0, 10.0, 20.0, 30.0, 60.0])
        self.assertEqual(tape[-1].data.source.trace, tape[-2].id)
        (v,) = self.now()
        # ln(44/33.4)/60 is a time constant of 218 s
        self.assertRegex(v.judgement.because, r"5 readings: time constant 21\d ± \d+ s")

    def test_the_hand_pumps_own_loss_is_taken_off(self):
        for capped, cls in ((None, "leaks"), ((60, 20), "holds")):
            with self.subTest(capped):
                self.setUp()
                self.open(vacuum_circuit())
                if capped:
                    start, end = map(str, capped)
                    answer = self.post(
                        at="hand_pump",
                        test="vacuum_hold",
                        start_kpa=start,
                        end_kpa=end,
                        seconds="60",
                        gauge_unit="kPa",
                    )
                    self.assertEqual(answer.status_code, 303)
                self.post(
                    at="s", test="vacuum_hold", start_kpa="60", end_kpa="46", seconds="60", gauge_unit="kPa"
                )
                mine = [v for v in self.now("vacuum_hold") if v.where["node"] == "s"]
                self.assertEqual(mine[0].judgement.cls, cls, mine[0].judgement.because)

    def test_branches_beside_the_whole(self):
        # a hole of 0.25 ml/s: 61.6 ml fall from 44 to 34.5 kPa in a minute, 54.8 ml to 33.5
        for whole, unfound in ((25.0, True), (34.5, False)):
            with self.subTest(whole):
                self.setUp()
                self.open(vacuum_circuit(), held("h3", whole, start=44.0), held("h4", 33.5, start=44.0))
                self.assertEqual("still unfound" in self.page(), unfound)

    def test_faults_stand_where_they_were_typed(self):
        self.open(vacuum_circuit())
        for data, says in (
            (
                {"start_kpa": "", "end_kpa": "50", "seconds": "60", "gauge_unit": "kPa"},
                "type what the gauge shows",
            ),
            ({"start_kpa": "590", "end_kpa": "500", "seconds": "60", "gauge_unit": "kPa"}, "cannot be"),
            ({"start_kpa": "20", "end_kpa": "18", "seconds": "60"}, "asked once"),
            ({"start_kpa": "60", "end_kpa": "58", "seconds": "", "gauge_unit": "kPa"}, "is wanted"),
            (
                {"start_kpa": "60", "end_kpa": "58", "seconds": "60", "at": "nowhere", "gauge_unit": "kPa"},
                "choose one of",
            ),
            (
                {"start_kpa": "60", "end_kpa": "58", "seconds": "60", "blocked": "h9", "gauge_unit": "kPa"},
                "choose from what hangs",
            ),
            (
                {"start_kpa": "60", "end_kpa": "58", "seconds": "60", "points": "0:x", "gauge_unit": "kPa"},
                "seconds and figure",
            ),
        ):
            with self.subTest(data):
                self.workshop.settings.save("vacuum_gauge", {})
                answer = self.post(**data)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says, answer.text.replace("\xa0", " "))

    def test_without_a_list_it_holds_parts_by_name(self):
        self.open()
        self.assertIn("Write the circuit down first", self.page())
        answer = self.post(
            at="turbo_actuator",
            test="vacuum_hold",
            start_kpa="60",
            end_kpa="20",
            seconds="60",
            gauge_unit="kPa",
        )
        self.assertEqual(answer.status_code, 303)
        self.assertEqual(self.now("vacuum_hold")[0].judgement.cls, "leaks")

    def test_the_whole_is_wanted_after_a_mend_and_bars_proven(self):
        mended = entry("action", action="refitted", what="hose", repair="vacuum_hose", where={"node": "h9"})
        look = entry("outcome", test="vacuum_look", where={"node": "h9"}, outcome="off")
        self.open(vacuum_circuit(), look, mended)
        self.assertIn("Test the whole again", self.page())
        missing = self.client.get("/api/v1/jobs/case/assessment").json()["proof"]["missing"]
        whole = [m for m in missing if m["id"] == "vacuum_section"]
        self.assertEqual([m["where"]["node"] for m in whole], ["h1"])
        self.post(at="h1", start_kpa="60", end_kpa="59", seconds="3600", gauge_unit="kPa")
        missing = self.client.get("/api/v1/jobs/case/assessment").json()["proof"]["missing"]
        self.assertNotIn("vacuum_section", [m["id"] for m in missing])

    def test_solenoids_of_the_list_have_their_tests(self):
        self.open(vacuum_circuit())
        page = self.page()
        for key in ("solenoid_coil-z", "solenoid_duty-z"):
            self.assertIn(f'id="step-{key}"', page)
        sent = {"bench": "vacuum", "test": "solenoid_duty", "node": "z", "outcome": "vent_blocked"}
        self.assertEqual(self.client.post("/jobs/case/measure/outcome", data=sent).status_code, 303)
        self.assertEqual(self.now("solenoid_duty")[0].judgement.verdict, "failed")

    def test_twenty_five_parts_are_quick_to_lay_out(self):
        circuit = made_up(random.Random(7), 25)
        self.assertGreaterEqual(len(leaking(circuit, K).ids), 48)


class HardPedal(WithClient):
    def test_a_hard_pedal_bars_the_road_at_every_door(self):
        hard, soft = (entry("outcome", test="brake_pedal_feel", outcome=o) for o in ("hard", "normal"))
        for entries, barred in (
            ([hard], True),
            ([hard, soft], False),
            ([symptom("hard_brake_pedal")], True),
            (
                [
                    symptom("hard_brake_pedal"),
                    entry("action", action="replaced", what="plug", repair="glow_plugs"),
                ],
                True,
            ),
            ([symptom("hard_brake_pedal"), soft], False),
            ([soft, hard], True),
            ([], False),
        ):
            with self.subTest([e["data"] for e in entries]):
                self.setUp()
                raw = job_file(
                    symptom("low_power"),
                    scan(),
                    *entries,
                    entry("tick", caution="road_test"),
                    engine=ELECTRIC,
                )
                self.workshop.tapes.import_file(json.dumps(raw).encode())
                drive = {"distance_km": "12", "codes_read": "yes", "complaint_back": "no"}
                form = self.client.post("/jobs/case/prove/drive", data=drive)
                sent = [{"id": "d", **entry("drive", distance_km=12.0, codes_read=True)}]
                api = self.client.post("/api/v1/jobs/case/entries", json=sent)
                self.assertEqual((form.status_code, api.status_code), (422, 422) if barred else (303, 201))
                page = self.client.get("/jobs/case/measure").text
                self.assertEqual("Not on the road" in page, barred)


if __name__ == "__main__":
    unittest.main()
