"""Every act can be written, and is written as it was: through the doors that a technician uses."""

import json
import re
import unittest
from uuid import uuid4

from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.repair.fit import missing_pieces
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from tests.cases import MODERN, VACUUM, code, entry, job_file, outcome, reading, scan, symptom
from tests.web.test_api import WithClient

K = load_knowledge()
BASE = "/jobs/case/"
RENEWED = entry("action", action="replaced", what="boost hose", repair="boost_hose_split")


class Acts(WithClient):
    def open(self, *entries, engine=MODERN):
        self.workshop.tapes.import_file(json.dumps(job_file(*entries, engine=engine)).encode())

    def post(self, path, **data):
        return self.client.post(BASE + path, data={"entry_id": str(uuid4()), **data})

    def takes(self, path, **data):
        answer = self.post(path, **data)
        self.assertEqual(answer.status_code, 303, re.findall('class="fault[^>]*>([^<]*)', answer.text))
        return self.last()

    def refuses(self, path, says, **data):
        answer = self.post(path, **data)
        self.assertEqual(answer.status_code, 422)
        self.assertIn(says, answer.text.replace("\xa0", " "))
        return answer.text

    def last(self):
        return self.workshop.tapes.job("case").job.tape[-1].data

    def now(self, test):
        found = self.workshop.tapes.job("case").assessed.now
        return [(v.judgement.verdict, v.judgement.cls) for v in found if v.test == test]

    def page(self, path):
        return self.client.get(BASE + path).text.replace("\xa0", " ")


class Arriving(Acts):
    def test_a_code_without_its_letter_takes_it_from_the_words_or_asks(self):
        self.open(symptom("limp_mode"))
        self.takes("arrive/block", block="0638-73 throttle actuator stuck")
        self.assertIn("P0638-73", self.page("arrive"))
        self.refuses("arrive/block", "without a letter: 1525-F3", block="1525-F3 status 12")
        self.takes("arrive/block", block="1525-F3 status 12", module="brakes")
        self.assertIn("C1525-F3", self.page("arrive"))
        self.assertIn('name="letter"', self.refuses("arrive/code", "has no letter", code="0107-11"))
        self.assertEqual(
            self.takes("arrive/code", code="0107-11", letter="P", status="stored").code, "P0107-11"
        )

    def test_what_was_stored_with_a_code_is_pasted_beside_it_and_says_when_it_was(self):
        self.open(symptom("limp_mode"), code("P0401"), scan())
        of = self.workshop.tapes.job("case").job.tape[1].id
        frame = "Engine speed: 2300 rpm\nVehicle speed 62 mph\nCoolant temp = 88 °C\nEngine load 84 %"
        self.refuses("arrive/frame", "not understood: nonsense", of=of, frame="nonsense")
        kept = self.takes("arrive/frame", of=of, frame=frame, note="always on the same hill")
        self.assertEqual([x.unit for x in kept.frame], ["rpm", "mph", "degC", "percent"])
        self.assertEqual(kept.note, "always on the same hill")
        page = self.page("arrive")
        self.assertIn("warm, on the road, pulling", page)
        self.assertIn("62 mph", page)
        self.assertIn("always on the same hill", page)

    def test_a_read_out_pasted_whole_brings_what_was_stored_with_each_code(self):
        self.open(symptom("limp_mode"))
        lines = (
            "P0401 EGR flow",
            "Freeze frame:",
            "Engine speed: 780 rpm",
            "Coolant: -4 °C",
            "P0299",
            "odd 7x",
        )
        self.takes("arrive/block", block="\n".join(lines))
        tape = self.workshop.tapes.job("case").job.tape
        codes = {e.data.code: e.data.frame for e in tape if e.kind == "code"}
        kept = [(x.channel, x.value, x.unit) for x in codes["P0401"]]
        self.assertEqual(kept, [("engine_speed", 780, "rpm"), ("coolant_temp", -4, "degC")])
        self.assertFalse(codes["P0299"])
        notes = [e.data.text for e in tape if e.kind == "note"]
        self.assertEqual(notes, ["Pasted with the codes, not understood: odd 7x"])

    def test_a_symptom_after_a_repair_is_asked_for_its_time(self):
        self.open(symptom("low_power"), RENEWED)
        by = {"symptom": "black_smoke", "kept_as": "pick-black_smoke"}
        asked = self.refuses("arrive/symptom", "when was it there?", **by)
        self.assertEqual(len(re.findall('name="when" value="', asked)), 3)
        for when, number in (("still", 1), ("before", 0)):
            self.takes("arrive/symptom", symptom="black_smoke", when=when)
            job = self.workshop.tapes.job("case").job
            self.assertEqual(job.time_of[job.tape[-1].id], number, when)
        self.assertEqual(self.takes("arrive/symptom", symptom="surge", present="no").when, None)

    def test_starting_fluid_no_smoke_and_a_late_lamp_are_facts(self):
        caution = K.cautions["no_start_spray"].says
        self.open(symptom("glow_lamp_late"))
        self.assertNotIn(caution, self.page("arrive"))
        self.takes("arrive/context", context="starting_fluid_used")
        self.assertIn(caution, self.page("arrive"))
        self.assertIn("no_start_spray", self.workshop.tapes.job("case").assessed.cautions)
        self.takes("arrive/symptom", symptom="no_smoke_cranking")
        page = self.page("arrive")
        self.assertIn("No smoke at all while cranking", page)
        self.assertIn("No starting fluid", self.page("report") + page)


class Measuring(Acts):
    def test_never_and_cannot_are_answers_of_their_own(self):
        self.open(
            symptom("hesitation_midrange"),
            outcome("stop_lever", "stops"),
            engine=VACUUM | {"swirl_flaps": "vacuum"},
        )
        cell = "test=swirl_compare&unit=s&point=as_is"
        self.takes(
            "measure/unread",
            bench="swirl",
            cell=cell,
            came="never",
            reached_rpm="1850",
            because="smoke",
        )
        self.assertEqual(self.last().came_to, "never, it got to 1\xa0850 per minute")
        self.takes(
            "measure/cell", bench="swirl", test="swirl_compare", unit="s", point="released", value="1.9"
        )
        self.assertEqual(self.now("swirl_compare"), [("failed", "better_released")])
        again = {"bench": "swirl", "cell": cell, "came": "not_possible"}
        self.refuses("measure/unread", "say why it could not be measured", **again)
        plug = {"bench": "glow", "cell": "test=glow_resistance&unit=ohm&point=plug&cylinder=2"}
        self.refuses("measure/unread", "always comes to a figure", **plug, came="never")
        self.takes("measure/unread", **plug, came="not_possible", because="terminal snapped off")
        self.assertEqual(self.now("glow_resistance"), [("unclear", "not_possible")])
        self.assertIn("terminal snapped off", self.page("measure/glow?point=plug"))

    def test_without_a_gauge_it_is_said_so_and_proposed_only_where_there_is_none(self):
        self.open(symptom("slow_stop"), outcome("stop_lever", "stops"), engine=VACUUM)
        proposed = {n.test for n in self.workshop.tapes.job("case").assessed.proposals.next_tests}
        self.assertNotIn("stop_suction", proposed)
        self.post("tick", caution="emergency_stop_first", back=BASE)
        self.takes("measure/outcome", bench="stop", test="stop_suction", outcome="no_stop", note="by mouth")
        self.assertEqual(self.now("stop_suction"), [("failed", "no_stop")])
        self.takes("measure/outcome", bench="vacuum", test="vacuum_feel", outcome="weak")
        how = {f.shape.how for test in ("stop_suction", "vacuum_feel") for f in K.findings[test]}
        self.assertEqual(how, {"inferred"})

    def test_at_the_valve_and_from_the_tool_differ_by_the_wire(self):
        def wire(*entries):
            file = check(job_file(symptom("limp_mode"), code("P0403"), scan(), *entries, engine=MODERN), K)
            return Assessed(job_of(file), K).suspicion.odds("egr_wiring_open")

        dead = outcome("egr_command", "none")
        self.assertGreater(wire(dead, outcome("egr_actuate", "crisp")), wire(dead))
        self.assertLess(wire(dead, outcome("egr_actuate", "none")), wire(dead))

    def test_what_is_seen_on_a_wire_stands_at_its_pin_and_beside_the_rest(self):
        self.open(symptom("limp_mode"), code("P0403"), scan())
        for caution in K.ticks_at("connector_look", "egr_valve"):
            self.post("tick", caution=caution, back=BASE)
        for seen, pin in (("corroded", "2"), ("broken_wire", "2"), ("chafed", "4")):
            self.takes("measure/outcome", test="connector_look", node="egr_valve", outcome=seen, pin=pin)
        self.assertEqual(
            sorted(self.now("connector_look")),
            [("failed", "broken_wire"), ("failed", "corroded"), ("marginal", "chafed")],
        )

    def test_whether_the_complaint_was_there_and_the_solenoid_powered_goes_along(self):
        goes = entry("symptom", symptom="low_power", comes_and_goes=True)
        self.open(goes, engine=VACUUM | {"turbo": "vgt_vacuum"})
        self.assertIn("it runs well", self.page("measure/test/vacuum_hold"))
        figures = {"start_kpa": "60", "end_kpa": "59", "seconds": "60", "gauge_unit": "kPa"}
        held = self.takes(
            "measure/figures",
            test="vacuum_hold",
            node="vacuum_solenoid",
            energised="no",
            present="no",
            **figures,
        )
        self.assertEqual((held.conditions.energised, held.conditions.present), (False, False))
        self.assertIn("without power", self.page("tape"))
        self.takes("measure/figures", test="vacuum_hold", node="vacuum_solenoid", energised="yes", **figures)
        self.assertEqual(len(self.now("vacuum_hold")), 2)

    def test_a_complaint_that_comes_and_goes_by_its_nature_is_asked_for_too(self):
        self.open(symptom("limp_mode"))
        self.assertIn("it runs well", self.page("measure/turbo"))

    def test_a_note_stands_at_its_entry_wherever_that_is(self):
        self.open(symptom("limp_mode"), reading("battery_rest", 12.6, "V", point="battery_1"))
        of = self.workshop.tapes.job("case").job.tape[1].id
        self.takes("measure/cellnote", bench="battery", of=of, note="clamp green inside")
        self.takes("measure/outcome", test="air_filter_look", outcome="dirty", note="a mouse lives here")
        self.takes("arrive/symptom", symptom="limp_mode", noting="yes", note="only with the trailer")
        self.takes("arrive/lamp", lamp="Engine", state="on", note="goes out overnight")
        for page in ("tape", "report", "measure/test/air_filter_look", "shift"):
            self.assertIn("a mouse lives here", self.page(page), page)
        for note in ("clamp green inside", "only with the trailer", "goes out overnight"):
            self.assertIn(note, self.page("tape"))
        reasons = self.workshop.tapes.job("case").assessed.suspicion.evidence
        self.assertTrue(any("a mouse lives here" in e.says for e in reasons))

    def test_every_refusal_is_said_where_it_was_pressed(self):
        self.open(symptom("misfire"), engine=MODERN)
        for bench in K.benches:
            page = self.client.get(f"{BASE}measure/{bench}")
            if page.status_code != 200:
                continue
            for form in re.findall(r'<form[^>]*action="[^"]*/outcome".*?</form>', page.text, re.S):
                sent = dict(re.findall(r'name="(\w+)" value="([^"]*)"', form))
                sent |= {"outcome": re.search(r'name="outcome" value="(\w+)"', form)[1]}
                asked = K.ticks_at(sent["test"], sent.get("node"))
                if not asked:
                    continue
                answer = self.post("measure/outcome", **{k: v for k, v in sent.items() if k != "entry_id"})
                with self.subTest(f"{bench} {sent['test']}"):
                    self.assertEqual(answer.status_code, 422)
                    self.assertRegex(answer.text, r'class="fault[^>]*>[^<]*(Tick|nothing is known yet)')


class Fitting(Acts):
    def test_a_tip_that_came_out_short_leaves_a_rest_and_a_bolt_outside_does_not(self):
        self.open(symptom("hard_start_cold"))
        piece = {"name": "Tip of plug 2", "now": "recovered", "whole_mm": "28"}
        for went, length, missing in (
            ("cylinder", "26", ["2 mm of tip of plug 2"]),
            ("cylinder", "27.8", []),
            ("bore", "28", []),
            ("outside", "20", []),
        ):
            with self.subTest(f"{went} {length}"):
                self.takes("fit/piece", **piece, went=went, length_mm=length)
                job = self.workshop.tapes.job("case").job
                self.assertEqual([p.lost for p in missing_pieces(job)], missing)
                barred = "a piece is missing" in self.post("prove/drive", tick="road_test", starts="1").text
                self.assertEqual(barred, bool(missing))

    def test_minutes_and_miles_stay_as_they_were_typed(self):
        self.open(symptom("low_power"), RENEWED)
        drive = {"tick": "road_test", "complaint_back": "no", "codes_read": "no", "note": "pulled like new"}
        self.takes("prove/drive", **drive, distance_km="230 mi")
        self.takes("prove/drive", **drive, hours="40 min")
        page = self.page("tape")
        self.assertIn("Drove 230 mi", page)
        self.assertIn("Ran 40 min", page)
        self.assertIn("pulled like new", page)
        self.assertNotIn("370.149", page)

    def test_what_went_in_must_come_out(self):
        self.open(symptom("low_power"), engine=VACUUM | {"swirl_flaps": "vacuum"})
        plan = {"plan": "intake_manifold_carbon", "state": "done", "tick": "foreign_objects"}
        self.takes("fit/step", **plan, step="ports_closed", count="4")
        self.refuses("fit/step", "4 went in and 3 came out", **plan, step="rags_out", count="3")
        self.takes("fit/step", **plan, step="rags_out", count="4")
        gaps = {"gap_1": "0.4", "gap_2": "4"}
        self.assertEqual(
            self.takes("fit/step", **plan, step="look_flaps", **gaps).gaps_mm, {"Flap 1": 0.4, "Flap 2": 4.0}
        )


class Circuits(Acts):
    def test_as_found_stands_beside_as_it_should_be(self):
        self.open(symptom("low_power"), engine=VACUUM | {"turbo": "vgt_vacuum"})
        self.takes("circuit/start", **{"with": "turbo"})
        self.takes("circuit/apart")
        hose = next(h for h in self.last().hoses if h.to.startswith("turbo_actuator"))
        vent = hose.from_.replace(".output", ".vent")
        self.takes("circuit/hose", item=hose.id, near=vent, far=hose.to)
        page = self.page("circuit")
        self.assertIn("Not piped as it should be", page)
        self.assertIn("Boost solenoid, vent to Turbo actuator, in", page)
        self.assertIn("Boost solenoid, output to Turbo actuator, in", page)
        self.assertNotIn(", vent", self.page("circuit?of=should").split("The list, from the pump")[1][:400])

    def test_a_part_goes_into_a_line_and_an_end_into_the_air(self):
        self.open(symptom("low_power"), engine=VACUUM | {"turbo": "vgt_vacuum"})
        hoses = self.takes("circuit/start", **{"with": "turbo"}).hoses
        self.refuses("circuit/add", "nothing goes on behind", kind="mount", on=f"line:{hoses[0].id}")
        put = self.takes("circuit/add", kind="check_valve", on=f"line:{hoses[0].id}")
        valve = put.parts[-1].id
        ends = [(h.from_, h.to) for h in put.hoses]
        self.assertIn((hoses[0].from_, f"{valve}.pump_side"), ends)
        self.assertIn((f"{valve}.far_side", hoses[0].to), ends)
        self.takes("circuit/add", kind="open_end", title="Air box")
        self.assertNotIn("No vacuum reaches Air box", self.page("circuit"))


if __name__ == "__main__":
    unittest.main()
