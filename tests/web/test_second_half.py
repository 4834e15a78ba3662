"""Decide, fit and prove by plain form posts: what is refused, what is kept, what is asked back."""

import html
import json
import re
import unittest
from uuid import uuid4

from frosty_piston.core.quantity import hours_said
from frosty_piston.job.entries import FitStep
from frosty_piston.job.repair.basket import basket
from frosty_piston.web.job.waits import hours_typed
from tests.cases import MODERN, NORRA, entry, job_file, meter, outcome, plugs, reading, symptom
from tests.web.test_api import WithClient

PLUGS = [
    symptom("hard_start_cold"),
    entry("code_scan"),
    meter(),
    *plugs([1.0, "OL", 1.02, 1.01]),
    reading("glow_resistance", "OL", "ohm", point="plug", cylinder=2),
]
TURBO = [
    symptom("limp_mode"),
    entry("code", code="P2263"),
    outcome("actuator_sweep", "dead_spot", node="turbo_actuator"),
    outcome("linkage_free", "free"),
    entry("option", option="turbo_actuator_new", chosen=True, price=800_000, title="New actuator, today"),
    entry("consent", answer="yes", who="Owner", how="phone", ceiling=900_000),
]


class SecondHalf(WithClient):
    def open(self, *entries, engine=MODERN):
        self.job = f"half-{uuid4().hex[:8]}"
        self.workshop.tapes.import_file(
            json.dumps(job_file(*entries, engine=engine, job_id=self.job)).encode()
        )

    def post(self, form, **data):
        return self.client.post(f"/jobs/{self.job}/{form}", data={"entry_id": str(uuid4()), **data})

    def refused(self, form, says, **data):
        answer = self.post(form, **data)
        self.assertEqual(answer.status_code, 422, form)
        self.assertIn(says, html.unescape(answer.text))

    def taken(self, form, **data):
        answer = self.post(form, **data)
        self.assertEqual(
            answer.status_code,
            303,
            re.findall(r'class="fault[^>]*>([^<]*)', html.unescape(answer.text)) or answer.text[:200],
        )

    def last(self):
        return self.workshop.tapes.job(self.job).job.tape[-1]


REST = {"days": "0", "warranty_months": "24"}


class Deciding(SecondHalf):
    def test_prices_stay_with_the_engine_card(self):
        self.open(*TURBO[:4])
        self.taken(
            "decide/price",
            option="turbo_actuator_new",
            parts="4 950",
            labour_h="1,8",
            access_h="0",
            days="0",
            warranty_months="24",
        )
        self.open(*TURBO[:4])
        page = self.client.get(f"/jobs/{self.job}/decide").text
        self.assertIn('value="4950"', page)
        self.assertIn('value="1.8"', page)

    def test_going_on_without_the_reading_at_the_part_wants_a_reason(self):
        self.open(*PLUGS[:-1], entry("code", code="P0672"), symptom("white_smoke_start"), engine=NORRA)
        self.refused("decide/pick", "Say why it goes on without it", option="glow_dead")
        self.taken("decide/pick", option="glow_dead", reason="intake is coming off for it anyway")

    def test_a_basket_is_filled_and_emptied(self):
        self.open(*TURBO)
        self.refused("decide/pick", "say why this goes in as well", option="egr_cooler_cleaned")
        self.taken("decide/pick", option="egr_cooler_cleaned", reason="choked, seen on the way")
        self.assertEqual(self.last().data.option, "turbo_actuator_new+egr_cooler_cleaned")
        page = self.client.get(f"/jobs/{self.job}/decide").text
        self.assertIn("choked, seen on the way", page)
        self.assertEqual(page.count("Take out"), 2)
        self.refused("decide/pick", "picked already", option="turbo_actuator_ordered", reason="cheaper")
        self.taken(
            "decide/pick", option="turbo_actuator_ordered", reason="cheaper", instead="turbo_actuator_new"
        )
        self.assertEqual(self.last().data.option, "egr_cooler_cleaned+turbo_actuator_ordered")
        for gone, left in (
            ("egr_cooler_cleaned", "turbo_actuator_ordered"),
            ("turbo_actuator_ordered", None),
        ):
            self.refused("decide/drop", "does not lie in the basket", option="glow_set")
            self.taken("decide/drop", option=gone)
            now = basket(self.workshop.tapes.job(self.job).job)
            self.assertEqual("+".join(now.options) if now else None, left)
        self.refused("decide/pick", "choose one of the options", option="no_such")

    def test_what_is_done_stays_in_the_basket_and_on_the_bill(self):
        self.open(*TURBO, entry("action", action="replaced", what="it", repair="turbo_actuator"))
        self.refused("decide/drop", "done already", option="turbo_actuator_new")
        self.taken("decide/pick", option="egr_cooler_cleaned", reason="choked, seen on the way")
        self.refused(
            "decide/pick",
            "done already",
            option="turbo_actuator_ordered",
            reason="cheaper",
            instead="turbo_actuator_new",
        )

    def test_a_price_typed_later_counts_in_the_basket(self):
        self.open(*TURBO)
        self.taken(
            "decide/price", option="turbo_actuator_new", parts="10 000", labour_h="1", access_h="0", **REST
        )
        self.assertEqual(self.last().data.option, "turbo_actuator_new")
        self.assertTrue(self.last().data.chosen)
        self.assertGreater(self.last().data.price, 1_000_000)

    def test_a_second_consent_when_it_grows(self):
        self.open(*TURBO)
        page = self.client.get(f"/jobs/{self.job}/decide?grew=vanes that are stiff by hand").text
        self.assertIn('value="vanes that are stiff by hand"', page)
        self.taken(
            "decide/consent",
            answer="yes",
            how="phone",
            who="Owner",
            ceiling="19 000",
            grew="vanes that are stiff by hand",
        )
        self.assertEqual(
            (self.last().data.grew, self.last().data.ceiling), ("vanes that are stiff by hand", 1_900_000)
        )

    def test_consent_for_something_that_was_not_asked(self):
        self.open(*TURBO)
        self.refused(
            "decide/consent",
            "choose one of",
            answer="yes",
            how="phone",
            who="Owner",
            ceiling="9000",
            option="glow_set",
        )


class Fitting(SecondHalf):
    def step(self, name, **more):
        return {"plan": "turbo_actuator", "step": name, "state": "done", **more}

    def test_the_hardware_map_line_by_line_and_backwards(self):
        self.open(*TURBO)
        for what, mark in (("bolt M6", "16 mm"), ("bolt M6", "the long one")):
            self.taken(
                "fit/hardware",
                plan="turbo_actuator",
                step="covers_off",
                what=what,
                where="heat shield",
                mark=mark,
            )
        self.refused("fit/hardware", "say what came off", plan="turbo_actuator", step="covers_off")
        first, second = [x.id for x in self.workshop.tapes.job(self.job).job.of(FitStep)]
        self.refused(
            "fit/back", "came off later and is still on the bench", plan="turbo_actuator", fastener=first
        )
        self.taken("fit/back", plan="turbo_actuator", fastener=second)
        self.taken("fit/back", plan="turbo_actuator", fastener=first)

    def test_what_is_on_the_bench_bars_the_last_word(self):
        self.open(*TURBO)
        for step in self.workshop.knowledge.repairs["turbo_actuator"].step_ids:
            if step == "covers_off":
                self.taken("fit/hardware", plan="turbo_actuator", step="free_by_hand", what="washer")
            self.taken(
                "fit/step",
                **self.step(
                    step,
                    tick=["battery_ground_off", "foreign_objects"],
                    old_mark="A",
                    new_mark="a",
                    pieces="1",
                ),
            )
        self.refused("fit/fitted", "still on the bench: washer", plan="turbo_actuator")
        washer = next(x.id for x in self.workshop.tapes.job(self.job).job.of(FitStep) if x.data.hardware)
        self.taken("fit/back", plan="turbo_actuator", fastener=washer)
        self.taken("fit/fitted", plan="turbo_actuator")
        self.assertEqual(
            (self.last().data.repair, self.last().data.option, self.last().data.action),
            ("turbo_actuator", "turbo_actuator_new", "replaced"),
        )

    def test_old_beside_new(self):
        self.open(*TURBO)
        self.refused(
            "fit/step",
            "differ in lever: clocking at rest",
            **self.step("compare", old_lever="9 o'clock", new_lever="11 o'clock"),
        )
        self.taken("fit/step", **self.step("compare", old_stroke="12 mm", new_stroke="12mm"))

    def test_a_missing_piece_bars_start_and_proof(self):
        self.open(*PLUGS, engine=NORRA)
        self.refused("fit/piece", "name the piece", went="bore", now="missing")
        self.taken("fit/piece", name="tip of plug 2", went="bore", now="missing")
        self.assertIn("glow_tip_out", self.client.get(f"/jobs/{self.job}/decide").text)
        self.refused(
            "measure/cell",
            "Nobody starts or cranks it",
            test="crank_speed",
            unit="rpm",
            value="210",
            bench="battery",
        )
        self.refused("prove/handover", "not driven away", to="Owner", note="told")
        self.refused(
            "fit/piece", "lay it beside a whole one", name="tip of plug 2", went="bore", now="recovered"
        )
        self.refused(
            "fit/piece",
            "longer than a whole one",
            name="tip of plug 2",
            went="bore",
            now="recovered",
            length_mm="12",
            whole_mm="9.5",
        )
        self.taken(
            "fit/piece", name="tip of plug 2", went="bore", now="recovered", length_mm="9.5", whole_mm="9.5"
        )
        self.taken("measure/cell", test="crank_speed", unit="rpm", value="210", bench="battery")

    def test_a_temporary_repair_has_a_day(self):
        self.open(*TURBO)
        for step in self.workshop.knowledge.repairs["turbo_actuator"].step_ids:
            self.taken(
                "fit/step",
                **self.step(
                    step,
                    tick=["battery_ground_off", "foreign_objects"],
                    old_mark="A",
                    new_mark="a",
                    pieces="1",
                ),
            )
        self.refused("fit/fitted", "on which day it comes back", plan="turbo_actuator", temporary="yes")
        self.taken("fit/fitted", plan="turbo_actuator", temporary="yes", come_back="2030-02-01")
        self.assertEqual((self.last().data.temporary, self.last().data.come_back), (True, "2030-02-01"))


class Did(SecondHalf):
    def test_from_a_fault_a_part_a_test_or_by_itself(self):
        self.open(*TURBO[:4])
        for asked, repair in (
            ("fault=turbo_actuator_motor", "turbo_actuator"),
            ("repair=egr_cooler", "egr_cooler"),
            ("test=boost_leak", "boost_hose_split"),
            ("part=egr_valve", "egr_valve"),
        ):
            page = self.client.get(f"/jobs/{self.job}/did?{asked}").text
            self.assertIn(f'<option value="{repair}" selected>', page, asked)
        self.assertEqual(self.client.get(f"/jobs/{self.job}/did?fault=nope&test=nope").status_code, 200)

    def test_what_was_done_is_kept_and_taken_back(self):
        self.open(*PLUGS, engine=NORRA)
        self.refused(
            "did/done", "no cylinder of this engine", repair="glow_plugs", action="replaced", cylinders="2, 7"
        )
        self.refused("did/done", "choose one of", repair="egr_magic", action="replaced")
        self.refused("did/done", "on which day", repair="glow_plugs", action="repaired", temporary="yes")
        self.taken("did/done", repair="glow_plugs", action="replaced", cylinders="2, 4")
        self.assertEqual((self.last().data.cylinders, self.last().data.what), ([2, 4], "glow plugs"))
        self.assertEqual(self.workshop.tapes.job(self.job).standing.proof.status, "on_trial")
        self.taken("tape/correct", corrects=self.last().id, reason="not fitted after all")
        self.assertEqual(self.workshop.tapes.job(self.job).standing.proof.status, "none")


class Proving(SecondHalf):
    def test_no_pass_while_its_reading_is_not_there(self):
        self.open(
            *PLUGS,
            entry("action", action="replaced", what="glow plugs", repair="glow_plugs", cylinders=[2]),
            engine=NORRA,
        )
        self.refused("prove/step", "Read it first", step="remeasure", result="pass")
        self.refused("prove/step", "pick why it could not be done", step="remeasure", result="could_not")
        self.taken("prove/step", step="remeasure", result="could_not", why="out_of_reach")
        self.assertEqual(self.last().data.reason, "cannot be reached without taking it apart again")

    def test_after_the_repair_the_cells_are_empty_with_what_was_read_before(self):
        self.open(
            *PLUGS,
            entry("action", action="replaced", what="glow plugs", repair="glow_plugs", cylinders=[2]),
            engine=NORRA,
        )
        page = self.client.get(f"/jobs/{self.job}/measure/glow").text
        self.assertIn("before: OL", page)
        before = len(self.workshop.tapes.job(self.job).job.tape)
        self.taken(
            "measure/cell",
            test="glow_resistance",
            unit="ohm",
            value="1.0",
            point="harness_connector",
            cylinder="1",
            bench="glow",
            method="ohm",
            at="harness_connector",
        )
        self.assertEqual(
            len(self.workshop.tapes.job(self.job).job.tape),
            before + 1,
            "the same value after a repair is a new reading",
        )

    def test_hours_that_do_not_fit_are_asked_back(self):
        self.open(*PLUGS, engine=NORRA)
        self.taken("did/done", repair="glow_plugs", action="replaced", cylinders="2")
        self.refused(
            "prove/step",
            "does not fit",
            step="cold_start",
            result="pass",
            soaked_h="11",
            tick="no_start_spray",
        )
        self.taken(
            "prove/step",
            step="cold_start",
            result="pass",
            soaked_h="11",
            tick="no_start_spray",
            hours_sure="yes",
        )

    def test_why_a_suspect_is_left(self):
        self.open(
            *PLUGS, entry("action", action="replaced", what="starter", repair="starter_slow"), engine=NORRA
        )
        self.refused("prove/suspect", "choose one of", fault="glow_plugs_open")
        self.refused("prove/suspect", "say what it is", fault="glow_plugs_open", why="other")
        self.taken("prove/suspect", fault="glow_plugs_open", why="owner_waits")
        self.assertNotIn(
            "glow_plugs_open", [m.id for m in self.workshop.tapes.job(self.job).standing.proof.missing]
        )
        self.assertIn("the owner takes it as it is", self.client.get(f"/jobs/{self.job}/report").text)

    def test_a_drive_says_only_what_was_read(self):
        self.open(
            *TURBO[:4], entry("action", action="replaced", what="turbo actuator", repair="turbo_actuator")
        )
        self.refused("prove/drive", "read and tick the caution first", distance_km="12")
        self.refused("prove/drive", "how far, how many starts", tick="road_test")
        self.refused(
            "prove/drive",
            "so they were read",
            tick="road_test",
            distance_km="12",
            codes_back="P2263",
            codes_read="no",
        )
        self.taken("prove/drive", tick="road_test", distance_km="12")
        self.assertFalse(self.last().data.read)
        self.taken("prove/drive", distance_km="12", codes_read="yes", complaint_back="no")
        self.assertTrue(self.last().data.read)


class Waiting(SecondHalf):
    def test_times_as_people_write_them(self):
        for typed, hours in (
            ("24 h", 24),
            ("1 h 30 min", 1.5),
            ("90min", 1.5),
            ("1:30", 1.5),
            ("2 d", 48),
            ("0,5", 0.5),
            ("45 minutes", 0.75),
        ):
            self.assertEqual(hours_typed(typed), hours, typed)
        for typed in ("", "soon", "-3 h", "0", "1:75", "90 days"):
            with self.assertRaises(ValueError, msg=typed):
                hours_typed(typed)
        self.assertEqual([hours_said(h) for h in (24, 0.5, 1.2)], ["24 h", "30 min", "1 h 12 min"])

    def test_begun_at_a_step_seen_in_the_yard_ended_with_what_was_seen(self):
        self.open(*TURBO)
        self.refused(
            "fit/wait", "is no time", wait="soak", hours="a while", step="cool_down", plan="turbo_actuator"
        )
        self.taken("fit/wait", wait="cool_down", hours="1 h 10 min", step="cool_down", plan="turbo_actuator")
        self.assertIn("Wait, let it cool down", html.unescape(self.client.get("/").text))
        wait = self.last()
        self.refused("fit/end_wait", "say what was seen", wait_id=wait.id)
        self.taken("fit/end_wait", wait_id=wait.id, seen="hand stays on it")
        self.assertEqual((self.last().data.ends, self.last().data.seen), (wait.id, "hand stays on it"))
        self.assertNotIn("Wait, let it cool down", html.unescape(self.client.get("/").text))


class Arriving(SecondHalf):
    def test_how_often_it_comes_back(self):
        self.open(symptom("misfire_intermittent"))
        self.refused(
            "arrive/returns",
            "is no figure",
            symptom="misfire_intermittent",
            axis="distance_km",
            after="60 often",
        )
        self.refused(
            "arrive/returns", "write when it came back", symptom="misfire_intermittent", axis="distance_km"
        )
        self.taken("arrive/returns", symptom="misfire_intermittent", axis="distance_km", after="60 100 80")
        self.assertEqual([r.distance_km for r in self.last().data.returns], [60, 100, 80])
        self.refused(
            "arrive/returns",
            "this job counts in km",
            symptom="misfire_intermittent",
            axis="starts",
            after="3",
        )

    def test_minutes_are_hours_of_running(self):
        self.open(symptom("misfire_intermittent"))
        self.taken("arrive/returns", symptom="misfire_intermittent", axis="minutes", after="30 90")
        self.assertEqual([r.hours for r in self.last().data.returns], [0.5, 1.5])


if __name__ == "__main__":
    unittest.main()
