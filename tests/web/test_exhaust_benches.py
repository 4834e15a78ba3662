"""DEF, NOx and filter benches by form posts: what is written, what is refused, what is judged from it."""

import html
import json
import unittest
from uuid import uuid4

import numpy as np

from frosty_piston.core.traces import Signal
from frosty_piston.job.judging.air_recorded import analysed
from frosty_piston.job.repair.prove import prove
from tests.cases import MODERN, entry, job_file, outcome, reading, symptom
from tests.job.test_proof import at
from tests.web.test_api import WithClient

SEEN = (
    "Outdoors, or extraction with a hose rated for it",
    "Clear ground: no dry grass, nothing that burns, nothing behind the tail",
    "Extinguisher at hand",
    "Nobody behind it or under it, and somebody stays with it",
    "Oil level is not over the mark",
)


class Benches(WithClient):
    def open(self, *entries):
        self.job = f"exhaust-{uuid4().hex[:8]}"
        self.workshop.tapes.import_file(
            json.dumps(job_file(*entries, engine=MODERN, job_id=self.job)).encode()
        )

    def post(self, form, bench, **data):
        sent = {"entry_id": str(uuid4()), "bench": bench, **data}
        return self.client.post(f"/jobs/{self.job}/measure/{form}", data=sent)

    def taken(self, form, bench, **data):
        answer = self.post(form, bench, **data)
        self.assertEqual(answer.status_code, 303, html.unescape(answer.text)[:1200])

    def refused(self, form, bench, says, **data):
        answer = self.post(form, bench, **data)
        self.assertEqual(answer.status_code, 422)
        self.assertIn(says, html.unescape(answer.text))

    def page(self, bench):
        answer = self.client.get(f"/jobs/{self.job}/measure/{bench}")
        self.assertEqual(answer.status_code, 200)
        return html.unescape(answer.text)

    def now(self, test):
        found = self.workshop.tapes.job(self.job).assessed.now
        return [(v.judgement.verdict, v.judgement.cls) for v in found if v.test == test]


class Dosing(Benches):
    def test_concentration_with_its_temperature(self):
        self.open(symptom("emissions_message"))
        self.taken("strength", "dosing", shown="31.4", fluid_c="28")
        self.assertEqual(self.now("def_concentration"), [("sound", "in_range")])
        self.refused("strength", "dosing", "a figure from", shown="")

    def test_what_one_look_found_stands_beside_each_other_until_a_repair(self):
        both = [("failed", "crystals"), ("failed", "seal_missing")]
        washed = entry("action", action="cleaned", what="DEF injector", repair="def_injector")
        for seen, left in (
            (["crystals", "clean"], both[:1]),
            (["clean", "crystals"], both[:1]),
            (["crystals", "seal_missing", "clean"], both),
            (["crystals", washed, "clean"], [("sound", "clean")]),
            (["crystals", washed, "crystals"], both[:1]),
        ):
            with self.subTest(str(seen)):
                looks = (outcome("def_look", s) if isinstance(s, str) else s for s in seen)
                self.open(symptom("def_crystals"), *looks)
                self.assertEqual(self.now("def_look"), left)

    def test_sources_are_counted_over_the_jobs(self):
        bad = [
            entry("top_up", litres=10, source="can, harbour shop"),
            reading("def_concentration", 27, "percent"),
        ]
        self.open(symptom("emissions_message"), *bad)
        self.open(symptom("emissions_message"))
        self.taken("top_up", "dosing", litres="10", source="pump at the quay", at_km="120000")
        self.refused("top_up", "dosing", "say where it came from", litres="5")
        page = self.page("dosing")
        self.assertIn("can, harbour shop", page)
        self.assertIn("no verdict on a source", page)

    def test_frozen_is_no_accusation_before_the_thaw(self):
        cold = entry("condition", name="ambient", value=-15, unit="degC")
        self.open(symptom("emissions_message"), cold)
        self.assertIn("A missing dose in the cold is no fault", self.page("dosing"))
        self.taken("thaw", "dosing", minutes="40")
        self.assertIn("DEF tank and line", self.page("dosing"))
        self.open(symptom("emissions_message"), entry("condition", name="ambient", value=-10, unit="degC"))
        self.assertNotIn("A missing dose in the cold", self.page("dosing"))


class Nox(Benches):
    def test_the_pair_with_what_it_is_worth(self):
        for data, found in (
            ({"up_ppm": "400", "down_ppm": "40", "dosing": "yes", "exhaust_c": "260"}, ("sound", "good")),
            (
                {"up_ppm": "400", "down_ppm": "40", "dosing": "yes", "exhaust_c": "120"},
                ("unclear", "unclear"),
            ),
            ({"up_ppm": "400", "down_ppm": "180", "dosing": "no", "off_min": "1"}, ("unclear", "unclear")),
            ({"up_ppm": "400", "down_ppm": "180", "dosing": "no", "off_min": "3"}, ("failed", "disagree")),
            ({"up_ppm": "400", "down_ppm": "390", "dosing": "no", "off_min": "1"}, ("sound", "agree")),
            ({"up_ppm": "400", "dosing": "yes", "exhaust_c": "260"}, ("failed", "silent")),
        ):
            with self.subTest(str(data)):
                self.open(symptom("emissions_message"))
                self.taken("nox_pair", "nox", **data)
                self.assertEqual(self.now("nox_compare"), [found])

    def test_what_is_missing_is_asked_for(self):
        self.open(symptom("emissions_message"))
        self.refused("nox_pair", "nox", "tick it when both are silent", dosing="yes")
        self.refused("nox_pair", "nox", "for how many minutes", up_ppm="400", down_ppm="300", dosing="no")

    def test_the_four_are_drawn_as_they_stand(self):
        self.open(symptom("emissions_message"), reading("def_concentration", 32.5, "percent"))
        self.taken("nox_pair", "nox", up_ppm="400", down_ppm="390", dosing="no", off_min="5")
        self.taken("nox_pair", "nox", up_ppm="400", down_ppm="300", dosing="yes")
        page = self.page("nox")
        self.assertIn("still standing", page)
        self.assertIn("Dose into a cup", page)


class Filter(Benches):
    def test_the_index_and_soot_told_from_ash(self):
        self.open(symptom("low_power"))
        for q, dp in ((60, 2.4), (120, 5.6), (180, 9.6)):
            self.taken("figures", "dpf", test="dpf_pressure", q_m3h=str(q), dp_kpa=str(dp))
        self.assertIn("Read soot mass", self.page("dpf"))
        self.taken("cell", "dpf", test="dpf_state", channel="soot_mass", value="6", unit="g")
        page = self.page("dpf")
        self.assertIn("times clean", page)
        self.assertIn("High drop at little soot: ash", page)

    def test_oil_says_ash_and_dilution(self):
        self.open(symptom("low_power"))
        self.taken("filter_oil", "dpf", oil_use="0.3", filter_km="150000", failed_burns="12")
        page = self.page("dpf")
        self.assertIn("About 153 g of ash", page)
        self.assertIn("0.6 to 1.2 l of fuel in the oil", page)

    def test_cleaned_from_16_to_6_belongs_to_the_proof(self):
        self.open(symptom("low_power"), entry("code_scan"))
        self.refused("filter_cleaned", "dpf", "stand together", way="washed", minutes="180", soot_before="16")
        self.refused("filter_cleaned", "dpf", "choose one of", way="scrape", minutes="10")
        self.taken("filter_cleaned", "dpf", way="washed", minutes="180", soot_before="16", soot_after="6")
        assessed = self.workshop.tapes.job(self.job).assessed
        self.assertEqual([v.judgement.value for v in assessed.diagnosis if v.test == "dpf_state"], [16.0])
        self.assertEqual([v.judgement.value for v in assessed.after if v.test == "dpf_state"], [6.0])
        self.assertIn("16 g", self.page("dpf"))

    def test_this_vehicles_earlier_indices_make_a_line_and_its_own_clean_drop(self):
        def visit(day, *entries):
            file = job_file(symptom("low_power"), *entries, engine=MODERN, job_id=f"visit-{day}")
            file["job"]["opened_at"] = f"2026-0{day}-14T06:40:00Z"
            self.workshop.tapes.import_file(json.dumps(file).encode())
            self.job = f"visit-{day}"

        def points(*drops):
            return [
                entry("outcome", test="dpf_pressure", figures={"q_m3h": q, "dp_kpa": d})
                for q, d in zip((60.0, 120.0, 180.0), drops, strict=True)
            ]

        self.workshop.garage.add_vehicle({"name": "Van", "odometer_km": 184200}, None)
        cleaned = entry("action", action="cleaned", what="particulate filter", repair="dpf_ash")
        visit(3, *points(2.4, 5.6, 9.6), cleaned, *points(0.9, 2.0, 3.3))
        visit(6, *points(1.8, 4.0, 6.6))
        page = self.page("dpf")
        self.assertIn("this vehicle's own, cleaned", page)
        self.assertIn("Earlier indices of this vehicle", page)
        self.assertIn("2.0 times clean", page)

    def test_a_burn_is_barred_then_watched_then_proof(self):
        self.open(symptom("regen_refused"), reading("dpf_state", 30, "g", channel="soot_mass"))
        self.refused(
            "burn",
            "dpf",
            "Fuel: write down the level",
            minutes="25",
            seen=list(SEEN),
            tick="regeneration_fire",
        )
        self.taken("filter_oil", "dpf", fuel_level="60")
        self.refused("burn", "dpf", "Why it loaded: ask first", minutes="25", seen=list(SEEN))
        self.refused("burn_why", "dpf", "say of at least one")
        self.taken("burn_why", "dpf", short_trips="found", filter="not_found")
        self.refused(
            "burn", "dpf", "look and tick it", minutes="25", seen=list(SEEN[1:]), tick="regeneration_fire"
        )
        self.refused("burn", "dpf", "read and tick the caution first", minutes="25", seen=list(SEEN))
        self.refused("burn_watch", "dpf", "no burn runs", inlet_c="600")
        self.taken("burn", "dpf", minutes="25", seen=list(SEEN), tick="regeneration_fire")
        self.taken("burn_watch", "dpf", inlet_c="620")
        self.assertNotIn("stop it now", self.page("dpf"))
        self.taken("burn_watch", "dpf", inlet_c="712")
        self.assertIn("stop it now", self.page("dpf"))
        self.refused("burn_end", "dpf", "read the soot mass after it", ended="finished")
        self.taken("burn_end", "dpf", ended="finished", soot_g="7")
        record = self.workshop.tapes.job(self.job)
        self.assertEqual([x.data.repair for x in record.job.repairs], ["dpf_soot"])
        self.assertEqual([v.judgement.value for v in record.assessed.after if v.test == "dpf_state"], [7.0])
        self.assertIn("30 g before, 7 g now", self.page("dpf"))


class Recorded(unittest.TestCase):
    def test_dosing_off_waits_for_the_second_figure(self):
        t = np.arange(0.0, 900.0)
        dose = np.where(t < 300, 40.0, 0.0)
        down = np.where(t < 300, 40.0, 400 - 360 * np.exp(-(t - 300) / 60))
        c = {"nox_up": Signal(t, t * 0 + 400.0), "nox_down": Signal(t, down), "def_dose": Signal(t, dose)}
        found = next(
            a for a in analysed(at(symptom("emissions_message")).readings, c) if a.test == "nox_compare"
        )
        on, off = (data["figures"] for _, data in found.writes)
        self.assertEqual((on["dosing"], off["dosing"]), (True, False))
        self.assertLess(on["down_ppm"], 60)
        self.assertGreater(off["down_ppm"], 370)

    def test_the_drop_over_flow_from_air_and_speed(self):
        t = np.arange(0.0, 240.0)
        rpm = 900 + 2000 * (0.5 + 0.5 * np.sin(t / 20))
        air = np.full_like(t, 450.0)
        flow = 450 / 1000 * 4 * rpm / 120 * 1.03 / 1000 / (101.3e3 / (287 * 523.15)) * 3600
        c = {
            "engine_speed": Signal(t, rpm),
            "air_mass_stroke": Signal(t, air),
            "exhaust_temp_1": Signal(t, t * 0 + 250.0),
            "dpf_pressure": Signal(t, 0.03 * flow),
        }
        found = next(a for a in analysed(at(symptom("low_power")).readings, c) if a.test == "dpf_pressure")
        self.assertEqual(found.judgement.cls, "loaded")
        self.assertGreaterEqual(len(found.writes), 3)

    def test_pressures_that_move_alike_and_one_that_creeps(self):
        t = np.arange(0.0, 60.0, 0.1)
        first = 10 + 6 * np.sin(t / 3)
        for second, seen in ((0.8 * first, "alike"), (9 + 0.05 * first, "one_creeps")):
            c = {"exhaust_pressure_1": Signal(t, first), "exhaust_pressure_2": Signal(t, second)}
            found = next(a for a in analysed(at(symptom("low_power")).readings, c) if a.test == "dp_channels")
            self.assertEqual(found.writes[0][1]["outcome"], seen)


class Tampering(Benches):
    def test_it_is_recorded_told_in_writing_and_stands_first_on_the_report(self):
        self.open(symptom("low_power"), entry("code_scan"))
        self.refused("tampered", "dpf", "say what the picture shows", place="filter housing", seen="empty")
        told = {
            "place": "filter housing",
            "seen": "the ceramic is gone",
            "picture": "look through it, camera 2",
        }
        self.taken("tampered", "dpf", owner="not_told", **told)
        leaving = {"entry_id": str(uuid4()), "to": "Owner", "note": "told by phone"}
        answer = self.client.post(f"/jobs/{self.job}/prove/handover", data=leaving)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("told in writing before it leaves", html.unescape(answer.text))
        self.taken("tampered", "dpf", owner="declined", **told)
        answer = self.client.post(
            f"/jobs/{self.job}/prove/handover", data={**leaving, "entry_id": str(uuid4())}
        )
        self.assertEqual(answer.status_code, 303)
        report = html.unescape(self.client.get(f"/jobs/{self.job}/report").text)
        self.assertIn("look through it, camera 2", report)


class NoxSensorReplaced(unittest.TestCase):
    def test_a_learning_that_was_left_out_is_an_open_point(self):
        sensor = entry("action", action="replaced", what="NOx sensor", repair="nox_sensor_down")
        left_out = entry(
            "reset_step", plan="nox_sensor", step="nox_sensor", result="skipped", because="no tool"
        )
        for entries, opened in (([], False), ([left_out], True)):
            proof = at(symptom("emissions_message"), sensor, *entries)
            missing = {(m.what, m.id) for m in prove(proof).missing}
            self.assertEqual(("reset", "nox_sensor") in missing, opened)
