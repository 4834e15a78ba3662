"""Reset plans by form posts: the wrong order, what is missing, phases, refusals, the bar, what is kept."""

import html
import json
from datetime import timedelta
from unittest.mock import patch
from uuid import uuid4

from frosty_piston.store.timestamps import now
from tests.cases import MODERN, entry, job_file, symptom
from tests.job.test_countdown import CLEANED, COUNTS, CRYSTALS, RIGHT, SOUND
from tests.web.test_api import WithClient

WARM = entry("condition", name="coolant", value=82.0, unit="degC")
FULL = entry("condition", name="def_level", value=55.0, unit="percent")
KEY, OFF, RUNS, STILL = "Key on", "Engine off", "Engine running", "Standing still"


class Resets(WithClient):
    def setUp(self):
        super().setUp()
        patched = patch("frosty_piston.web.job.resets.now", return_value=now())
        self.clock = patched.start()
        self.addCleanup(patched.stop)

    def open(self, *entries):
        self.job = f"resets-{uuid4().hex[:8]}"
        self.workshop.tapes.import_file(
            json.dumps(job_file(*entries, engine=MODERN, job_id=self.job)).encode()
        )

    def post(self, form, plan="start_inhibit", **data):
        return self.client.post(
            f"/jobs/{self.job}/resets/{plan}/{form}", data={"entry_id": str(uuid4()), **data}
        )

    def page(self, plan="start_inhibit"):
        return html.unescape(self.client.get(f"/jobs/{self.job}/resets/{plan}").text)

    def refused(self, form, says, **data):
        answer = self.post(form, **data)
        self.assertEqual(answer.status_code, 422, answer.text[:300])
        self.assertIn(says, html.unescape(answer.text))
        return answer

    def taken(self, form, **data):
        answer = self.post(form, **data)
        self.assertEqual(answer.status_code, 303, html.unescape(answer.text)[:1500])

    def done(self, step, *seen, plan="start_inhibit", **more):
        self.taken("step", plan=plan, step=step, result="done", seen=list(seen), **more)

    def run_phases(self, step, times, plan="start_inhibit"):
        for _ in range(times):
            self.taken("phase", plan=plan, step=step)
            self.clock.return_value += timedelta(minutes=11)


class Order(Resets):
    def test_a_wrong_order_is_refused_with_the_reason_and_kept(self):
        self.open(*CRYSTALS, CLEANED, *SOUND, WARM, FULL)
        answer = self.refused(
            "step", "comes after “fill the line", step="quality_monitor", result="done", because="menu first"
        )
        self.assertIn("menu first", answer.text)

    def test_a_need_that_is_missing_is_named_with_its_reading(self):
        self.open(
            *CRYSTALS, CLEANED, *SOUND, entry("condition", name="coolant", value=41.0, unit="degC"), FULL
        )
        self.done("forget_part", KEY, OFF)
        self.run_phases("prime", 1)
        self.done("prime", KEY)
        self.refused("step", "70 °C or more, 41", step="quality_monitor", result="done", seen=[KEY, OFF])
        self.taken("step", step="quality_monitor", result="refused", because="conditions not correct")
        self.assertIn("First look at what is missing: Coolant", self.page())
        self.refused("figures", "type what it reads", coolant="")
        self.taken("figures", coolant="78")
        self.done("quality_monitor", KEY, OFF)

    def test_what_was_not_looked_at_is_asked(self):
        self.open(*CRYSTALS, CLEANED, *SOUND)
        self.refused("step", "look and tick it: Engine off", step="forget_part", result="done", seen=[KEY])
        self.refused("step", "say why it is left out", step="forget_part", result="skipped")
        self.refused("step", "is no step of this plan", step="nothing", result="done")

    def test_a_phase_runs_its_time(self):
        self.open(*CRYSTALS, CLEANED, *SOUND, FULL)
        self.done("forget_part", KEY, OFF)
        self.refused("step", "has not run its 2 min yet", step="prime", result="done", seen=[KEY])
        self.taken("phase", step="prime")
        self.assertIn('role="timer"', self.page())
        self.refused("phase", "runs already", step="prime")
        self.refused("step", "has not run", step="prime", result="done", seen=[KEY])


class EveryDoor(Resets):
    def test_the_order_holds_at_the_entry_api_too_and_a_card_may_have_its_own(self):
        def did(*steps):
            return self.client.post(
                f"/api/v1/jobs/{self.job}/entries",
                json=[
                    {
                        "id": f"{s}-{uuid4().hex[:6]}",
                        **entry("reset_step", plan="end_stops", step=s, result="done"),
                    }
                    for s in steps
                ],
            )

        self.open(symptom("low_power"))
        answer = did("learn")
        self.assertEqual(
            (answer.status_code, answer.json()["faults"][0]["path"]), (422, "entries[0].data.step")
        )
        self.assertIn("in the wrong order the codes stay", answer.text)
        self.assertEqual(did("learn", "free").status_code, 422)
        self.assertEqual(did("free", "learn").status_code, 201)
        self.open(symptom("low_power"))
        order = {"order_free": "", "order_learn": "1", "order_key_cycle": "2", "order_clear": "3"}
        self.taken("edit", plan="end_stops", **order)
        self.assertEqual(did("learn").status_code, 201)


class Latch(Resets):
    def test_barred_until_the_cause_reads_sound_or_a_lead_says_why(self):
        self.open(*CRYSTALS, CLEANED, RIGHT, WARM, FULL)
        self.done("forget_part", KEY, OFF)
        self.run_phases("prime", 1)
        self.done("prime", KEY)
        self.refused(
            "step", "not before the cause reads sound", step="quality_monitor", result="done", seen=[KEY, OFF]
        )
        raw = {
            "id": "r1",
            "kind": "reset_step",
            "data": {"plan": "start_inhibit", "step": "inhibit", "result": "done"},
        }
        answer = self.client.post(f"/api/v1/jobs/{self.job}/entries", json=raw)
        self.assertEqual(
            (answer.status_code, answer.json()["faults"][0]["path"]), (422, "entries[0].data.lead")
        )
        self.done("quality_monitor", KEY, OFF, lead="Ylva: cap looked at by me, clean")
        self.assertIn("Lead: Ylva", self.page())

    def test_the_whole_plan_ends_the_countdown_and_is_kept_for_the_card(self):
        self.open(*CRYSTALS, CLEANED, *SOUND, WARM, FULL)
        self.assertIn("Latched", self.page())
        self.done("forget_part", KEY, OFF)
        for step, phases, seen in (
            ("prime", 1, [KEY]),
            ("quality_monitor", 0, [KEY, OFF]),
            ("inhibit", 0, [KEY, OFF]),
            ("key_cycle", 1, []),
            ("clear", 0, [KEY, OFF]),
        ):
            self.run_phases(step, phases)
            self.done(step, *seen)
        self.refused("keep", "run it through first")
        self.run_phases("warm_run", 2)
        self.done("warm_run", RUNS, STILL)
        self.assertNotIn('id="budget"', self.page())
        self.taken("keep")
        own = self.workshop.garage.plans_of(MODERN["name"])["start_inhibit"]
        self.assertEqual([s.id for s in own.plan.steps][:3], ["forget_part", "prime", "quality_monitor"])
        self.assertIn("Last plan that worked", self.page())
        proof = self.workshop.tapes.job(self.job).standing.proof
        self.assertNotIn("countdown", {m.id for m in proof.missing})

    def test_left_out_is_an_open_point(self):
        self.open(*CRYSTALS, CLEANED, *SOUND, WARM, FULL)
        for step in ("forget_dosing", "prime"):
            self.taken("step", plan="dosing_valve", step=step, result="skipped", because="no routine for it")
        self.taken("step", plan="dosing_valve", step="clear", result="done", seen=[KEY, OFF])
        self.assertIn("left out", self.page("dosing_valve"))


class Kept(Resets):
    def setUp(self):
        super().setUp()
        self.open(*CRYSTALS)

    def test_another_order_is_refused_when_it_contradicts(self):
        steps = ["forget_part", "prime", "quality_monitor", "inhibit", "key_cycle", "clear", "warm_run"]
        order = {f"order_{s}": str(n) for n, s in enumerate(steps, 1)}
        answer = self.refused(
            "edit", "In the wrong order the codes stay".lower(), **{**order, "order_inhibit": "2.5"}
        )
        self.assertIn('value="2.5"', answer.text)
        left_out = {**order, "order_forget_part": "", "new_does": "Radio code", "new_order": "9"}
        self.taken("edit", **left_out)
        own = self.workshop.garage.plans_of(MODERN["name"])["start_inhibit"].plan
        self.assertEqual([s.id for s in own.steps], [*steps[1:], "own_8"])

    def test_the_file_goes_out_and_comes_in(self):
        path = f"/jobs/{self.job}/resets/start_inhibit/file"
        file = self.client.get(path)
        self.assertEqual(file.json()["format"], "frosty-piston/reset-plan")
        answer = self.client.post(path, data={"text": file.text})
        self.assertEqual(answer.status_code, 303)
        self.assertEqual(json.loads(self.client.get(path).text)["body"], file.json()["body"])
        broken = file.json()
        broken["body"]["steps"].reverse()
        for text, says in (
            (json.dumps(broken), "in the wrong order the codes stay"),
            ("{", "is no JSON"),
            ('{"format": "x"}', "this is no reset plan"),
            (json.dumps({**file.json(), "plan": "mine", "extra": 1}), "unknown key"),
        ):
            with self.subTest(says):
                refused = self.client.post(path, data={"text": text})
                self.assertEqual(refused.status_code, 422)
                self.assertIn(says, html.unescape(refused.text))

    def test_the_floor_of_the_workshop_bars_the_drive(self):
        self.taken("floor", countdown_km="80", countdown_starts="2")
        raw = [
            {"id": "t", **entry("tick", caution="road_test")},
            {"id": "d", **entry("drive", distance_km=5, codes_read=True)},
        ]
        answer = self.client.post(f"/api/v1/jobs/{self.job}/entries", json=raw)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("80 are kept back", answer.text)
        self.refused("floor", "is out of reach", countdown_km="9000")

    def test_every_plan_is_a_page_and_no_other(self):
        for key in self.workshop.knowledge.reset_plans:
            self.assertEqual(self.client.get(f"/jobs/{self.job}/resets/{key}").status_code, 200)
        self.assertEqual(self.client.get(f"/jobs/{self.job}/resets/other").status_code, 404)
        self.assertEqual(self.post("other").status_code, 404)


class OnArrival(Resets):
    def test_one_axis_is_written_and_the_yard_shows_it(self):
        self.open(symptom("emissions_message"))
        form = f"/jobs/{self.job}/arrive/countdown"
        for data, says in (
            ({}, "write what the dash shows"),
            ({"countdown_km": "80", "countdown_starts": "4"}, "whichever"),
        ):
            answer = self.client.post(form, data=data)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(says, html.unescape(answer.text))
        answer = self.client.post(
            form, data={"countdown_km": "80", "at_zero": "no_restart", "since": "Tuesday"}
        )
        self.assertEqual(answer.status_code, 303)
        self.assertIn("80 km", self.client.get("/").text)
        self.assertIn("80 km", self.client.get(f"/jobs/{self.job}/narrow").text)
        self.assertEqual(COUNTS["data"]["since"], "Tuesday")
