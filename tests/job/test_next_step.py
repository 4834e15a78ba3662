"""One voice: what is next, in every standing of a job, and said the same everywhere."""

import html
import json
import re
import unittest
from datetime import UTC, datetime

from frosty_piston.job.answer import answer
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.next_step import judge_first, next_step
from frosty_piston.job.plan import plan
from frosty_piston.job.repair.prove import prove
from frosty_piston.job.stages import standing
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from tests.cases import MODERN, NORRA, entry, job_file, meter, outcome, plugs, reading, symptom
from tests.web.test_api import WithClient

K = load_knowledge()
FOUND = [symptom("hard_start_cold"), entry("code_scan"), meter(), *plugs([1.0, "OL", 1.02, 1.01])]
SURE = [
    *FOUND,
    entry("code", code="P0670"),
    reading("glow_resistance", "OL", "ohm", point="plug", cylinder=2),
]
PICKED = entry("option", option="glow_dead", chosen=True, price=100_000)
YES = entry("consent", answer="yes", who="Owner", how="phone", ceiling=200_000)
DONE = entry("action", action="replaced", what="glow plugs", repair="glow_plugs", cylinders=[2])
SWEPT = [symptom("limp_mode"), entry("code", code="P2263")]


def at(*entries, engine=NORRA):
    return Assessed(job_of(check(job_file(*entries, engine=engine), K)), K)


def following(*entries, engine=NORRA, now=None, waiting=True):
    assessed = at(*entries, engine=engine)
    return next_step(assessed, prove(assessed), now, waiting)


class Standings(unittest.TestCase):
    def test_one_kind_for_each_standing(self):
        steps = [entry("fit_step", plan="glow_plugs", step=s) for s in K.repairs["glow_plugs"].step_ids]
        proof = [
            entry("proof_step", repair="glow_plugs", step=s, result="pass")
            for s in ("remeasure", "clear", "codes")
        ]
        cold = entry("proof_step", repair="glow_plugs", step="cold_start", result="pass", soaked_h=10)
        for kind, stage, entries in (
            ("write_complaint", "arrive", []),
            ("read_codes", "arrive", [symptom("hard_start_cold")]),
            ("test", "measure", [symptom("hard_start_cold"), entry("code_scan")]),
            ("decide", "decide", SURE),
            ("consent", "decide", [*SURE, PICKED]),
            ("fit", "fit", [*SURE, PICKED, YES]),
            ("fit", "fit", [*SURE, PICKED, YES, *steps]),
            ("reread", "prove", [*SURE, DONE]),
            ("prove", "prove", [*SURE, DONE, *plugs([1.0] * 4)]),
            ("hand_over", "prove", [*SURE, DONE, *plugs([1.0] * 4), *proof, cold]),
            ("handed_over", "prove", [*SURE, entry("handover", to="Owner")]),
        ):
            step = following(*entries)
            self.assertEqual((step.kind, step.stage), (kind, stage), step.does)
            self.assertTrue(step.does and step.because and step.where.page, kind)

    def test_repeat_it_at_the_part_before_it_is_pulled(self):
        far = [
            *FOUND,
            entry("code", code="P0672"),
            symptom("white_smoke_start"),
            entry("context", context="short_trips"),
        ]
        step = following(*far)
        self.assertEqual((step.kind, step.where.spot["point"]), ("reread", "plug"))
        self.assertEqual(
            following(*far, reading("glow_resistance", "OL", "ohm", point="plug", cylinder=2)).kind, "decide"
        )

    def test_judge_the_recording_before_the_sweep_is_made(self):
        trace = entry("trace", channels={"a": "x"}, file="warm.csv")
        holds = entry("trace", channels={"vane_command": "cmd", "vane_position": "pos"}, file="warm.csv")
        for entries, found in (([], None), ([trace], None), ([holds], "traces/e3")):
            job = at(*SWEPT, *entries, engine=MODERN)
            sweep = next(
                n
                for n in job.proposals.next_tests
                if n.test == "actuator_sweep" and n.where.get("node") == "turbo_actuator"
            )
            step = judge_first(job, sweep)
            self.assertEqual(step and step.where.as_open()["page"], found)
        judged = {**outcome("actuator_sweep", "follows", node="egr_valve")}
        judged["data"]["source"] = {"trace": "e3", "start_s": 0.0, "end_s": 9.0}
        self.assertIsNone(
            judge_first(at(*SWEPT, holds, judged, engine=MODERN), sweep), "it was judged already"
        )

    def test_codes_are_read_before_they_are_cleared(self):
        self.assertEqual(following(symptom("limp_mode"), engine=MODERN).kind, "read_codes")

    def test_a_wait_holds_the_work_until_its_time(self):
        wait = entry("wait", wait="soak", what="Cooler in cleaner", until="2026-01-15T07:00:00Z")
        before, after = datetime(2026, 1, 15, 6, tzinfo=UTC), datetime(2026, 1, 15, 8, tzinfo=UTC)
        step = following(*SURE, PICKED, YES, wait, now=before)
        self.assertEqual((step.kind, step.until.hour), ("wait", 7))
        self.assertEqual(following(*SURE, PICKED, YES, wait, now=after).kind, "fit")
        self.assertEqual(following(*SURE, PICKED, YES, wait, now=before, waiting=False).kind, "fit")
        ended = entry("wait", wait="soak", what="Cooler in cleaner", state="ended", ends="e12", seen="clean")
        self.assertEqual(following(*SURE, PICKED, YES, {**wait, "id": "e12"}, ended, now=before).kind, "fit")

    def test_a_missing_piece_goes_before_everything(self):
        tip = entry("piece", name="tip of plug 2", went="bore", now="missing")
        for done in ([], [DONE]):
            self.assertIn("missing piece", following(*SURE, PICKED, YES, *done, tip).does)

    def test_above_the_ceiling_the_owner_is_asked_again(self):
        self.assertIn(
            "more than the ceiling",
            following(*SURE, entry("option", option="glow_set", chosen=True, price=400_000), YES).does,
        )

    def test_a_no_is_no_yes(self):
        no = entry("consent", answer="no", who="Owner", how="phone")
        self.assertEqual(following(*SURE, PICKED, no).kind, "decide")

    def test_on_trial_for_a_temporary_repair_alone_it_is_handed_over_with_its_day(self):
        tape = entry(
            "action",
            action="repaired",
            what="sleeve",
            repair="boost_hose_split",
            temporary=True,
            come_back="2026-02-01",
        )
        hose = [
            symptom("boost_hiss"),
            entry("code_scan"),
            outcome("boost_leak", "leaks"),
            outcome("intake_look", "split"),
        ]
        again = [
            outcome("boost_leak", "tight"),
            outcome("intake_look", "sound"),
            entry("code_clear"),
            entry("code_scan"),
        ]
        pull = [
            entry("proof_step", repair="boost_hose_split", step=s, result="pass")
            for s in ("leaks", "load_pull")
        ]
        job = at(*hose, tape, *again, *pull, engine=MODERN)
        kinds = {m.what for m in prove(job).missing}
        self.assertIn("temporary", kinds)
        if kinds == {"temporary"}:
            self.assertEqual(next_step(job, prove(job)).kind, "hand_over")


class OneVoice(WithClient):
    def test_yard_rod_heat_list_and_assessment_say_the_same(self):
        for entries in (SURE, [*SURE, PICKED], [*SURE, DONE]):
            job_id = f"voice-{len(entries)}-{entries[-1]['kind']}"
            self.workshop.tapes.import_file(json.dumps(job_file(*entries, job_id=job_id)).encode())
            does = self.client.get(f"/api/v1/jobs/{job_id}/assessment").json()["next_step"]["does"]
            page = html.unescape(self.client.get(f"/jobs/{job_id}/tape").text)
            said = [
                re.sub(r"\s+", " ", x)
                for x in re.findall(r'class="(?:rod-next|nextstep)">.*?<a[^>]*>([^<]+)</a>', page, re.S)
            ]
            self.assertEqual(said, [does, does])
            self.assertIn(does, html.unescape(self.client.get("/").text))


class Answers(unittest.TestCase):
    def test_the_assessment_carries_it(self):
        said = answer(at(*SURE, DONE))
        self.assertEqual(said["next_step"]["kind"], "reread")
        self.assertEqual(
            {m["what"] for m in said["proof"]["missing"]} & {"reread", "condition"}, {"reread", "condition"}
        )
        for m in said["proof"]["missing"]:
            self.assertEqual(set(m), {"what", "id", "where", "because"})
            self.assertIn("page", m["where"])


class BeforeAnythingIsFound(unittest.TestCase):
    def test_nothing_is_suspected(self):
        told = at(entry("complaint", text="starts badly"))
        self.assertEqual(standing(told).stages[1].holds, "")
        self.assertEqual({p.warmth for p in plan(told)} | {p.odds for p in plan(told)}, {0})
        found = at(symptom("hard_start_cold"))
        self.assertIn("%", standing(found).stages[1].holds)
        self.assertGreater(max(p.odds for p in plan(found)), 0.02)
