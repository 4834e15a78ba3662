"""From the decision to the proof, on the tape alone."""

import unittest
from datetime import UTC, datetime, timedelta

from frosty_piston.formats.report import build_report
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.decide import Prices, condemned, warnings, weigh_options
from frosty_piston.job.fit import chosen, consent, differing, plan_state, torque_fault
from frosty_piston.job.jobfile import check
from frosty_piston.job.prove import prove, running_wait, soak_estimate
from frosty_piston.job.stages import standing
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig.world_repairs import demo_jobs
from tests.cases import entry, job_file, meter, outcome, plugs, reading, relay_read, symptom

K = load_knowledge()
FOUND = [symptom("hard_start_cold"), entry("code_scan", module="all"), meter(), *plugs([1.0, "OL", 1.02, 1.01])]
REPLACED = entry("action", action="replaced", what="glow plugs", repair="glow_plugs", cylinders=[2])
STEPS = [entry("proof_step", repair="glow_plugs", step=s, result="pass") for s in ("remeasure", "clear", "key_cycle", "codes", "idle")]


def at(*entries):
    return Assessed(job_of(check(job_file(*entries), K)), K)


class Decide(unittest.TestCase):
    def test_one_and_set_are_weighed_with_the_next_failure(self):
        options = {w.costed.option.id: w for w in weigh_options(at(*FOUND), Prices())}
        self.assertGreaterEqual(set(options), {"glow_dead", "glow_set"})
        dead, whole = options["glow_dead"].costed, options["glow_set"].costed
        self.assertEqual(options["glow_dead"].cylinders, (2,))
        self.assertLess(dead.price, whole.price)
        self.assertGreater(dead.option.comes_back, 10 * whole.option.comes_back)
        self.assertGreater(whole.option.breaks, dead.option.breaks)

    def test_typed_prices_count(self):
        options = {w.costed.option.id: w.costed for w in weigh_options(at(*FOUND), Prices(typed={"glow_dead": {"part": 100_000}}))}
        self.assertEqual(options["glow_dead"].option.parts, 100_000)

    def test_access_that_other_work_pays_for_is_not_charged_again(self):
        alone = {w.costed.option.id: w.costed.price for w in weigh_options(at(*FOUND), Prices())}
        shared = {w.costed.option.id: w.costed.price for w in weigh_options(at(*FOUND), Prices(typed={"glow_dead": {"access": 0.0}}))}
        # 0.4 h at 950.00 and 25 % tax
        self.assertEqual(alone["glow_dead"] - shared["glow_dead"], 47_500)
        self.assertEqual(alone["glow_set"], shared["glow_set"])

    def test_condemned_from_the_connector_alone_is_warned_about(self):
        self.assertTrue(any("connector alone" in w for w in warnings(at(*FOUND))))
        confirmed = at(*FOUND, reading("glow_resistance", "OL", "ohm", point="plug", cylinder=2))
        self.assertFalse(any("connector alone" in w for w in warnings(confirmed)))
        cleared = at(*FOUND, reading("glow_resistance", 1.0, "ohm", point="plug", cylinder=2))
        self.assertEqual(condemned(cleared)[0], {})


class Fit(unittest.TestCase):
    def step(self, name, **more):
        return entry("fit_step", plan="glow_plugs", step=name, **more)

    def test_hardware_map_and_what_is_still_off(self):
        job = at(*FOUND, self.step("ground_off"), self.step("covers_off", hardware=[{"what": "bolt", "mark": "long"}]), self.step("wires_off")).job
        plan = plan_state(job, K, "glow_plugs", (2,))
        self.assertEqual([(p.order, p.hardware.what, p.back) for p in plan.pieces], [(1, "bolt", False)])
        self.assertEqual(len(plan.still_off("ground_on")), 2)
        self.assertEqual(plan.still_off("wires_on"), [])
        back = at(*FOUND, self.step("ground_off"), self.step("covers_off", hardware=[{"what": "bolt"}]), self.step("wires_off"), self.step("wires_on"), self.step("covers_on")).job
        self.assertTrue(plan_state(back, K, "glow_plugs", (2,)).pieces[0].back)

    def test_pieces_are_counted(self):
        plan = plan_state(at(self.step("plugs_out", pieces=2), self.step("plugs_in", pieces=1)).job, K, "glow_plugs", (1, 2))
        self.assertEqual((plan.out, plan.back_in), (2, 1))

    def test_a_step_for_each_cylinder_is_part_done(self):
        plan = plan_state(at(self.step("plugs_out", cylinder=1)).job, K, "glow_plugs", (1, 2))
        self.assertEqual((plan.step("plugs_out").state, plan.step("plugs_out").cylinders_left), ("part", (2,)))

    def test_a_breakaway_limit_is_never_explained_away_and_another_torque_can_be(self):
        plan = plan_state(at().job, K, "glow_plugs", (2,))
        out, into = plan.step("plugs_out"), plan.step("plugs_in")
        self.assertIn("stop at 35 N m", torque_fault(out, 40.0, explained=True))
        self.assertIsNone(torque_fault(out, 20.0, explained=False))
        self.assertIn("15 N m is asked for", torque_fault(into, 25.0, explained=False))
        self.assertIsNone(torque_fault(into, 25.0, explained=True))
        self.assertEqual(differing(plan, {"length_mm": ["27,5", "27.5"], "thread": ["M10", "M12"], "resistance_ohm": ["OL", "0.8"]}), ["thread"])

    def test_torque_says_whether_it_is_general(self):
        plan = plan_state(at().job, K, "glow_plugs", ())
        self.assertEqual((plan.step("plugs_in").torque, plan.step("plugs_in").torque_general), (15.0, True))


class Prove(unittest.TestCase):
    def test_on_trial_until_the_cold_start(self):
        proof = prove(at(*FOUND, REPLACED, *plugs([1.0] * 4), *STEPS))
        self.assertEqual((proof.status, proof.because), ("on_trial", "The cold proof is still to come."))
        self.assertEqual([(p.before.judgement.cls, p.after.judgement.cls) for p in proof.pairs if p.before.where["cylinder"] == 2], [("open", "sound")])

    def test_a_warm_start_proves_nothing(self):
        start = entry("proof_step", repair="glow_plugs", step="cold_start", result="pass", soaked_h=2)
        self.assertEqual(prove(at(*FOUND, REPLACED, *STEPS, start)).status, "on_trial")

    def test_a_cold_start_after_eight_hours_proves_it(self):
        start = entry("proof_step", repair="glow_plugs", step="cold_start", result="pass", soaked_h=9)
        proof = prove(at(*FOUND, REPLACED, *plugs([1.0] * 4), *STEPS, start))
        self.assertEqual(proof.status, "proven")
        self.assertGreater(proof.sure, 0.9)

    def test_a_wait_that_ended_before_the_start_counts_and_one_that_runs_does_not(self):
        moment = datetime(2026, 1, 15, 7, tzinfo=UTC)
        for hours, status in ((-1, "proven"), (1, "on_trial")):
            until = (moment + timedelta(hours=hours)).isoformat().replace("+00:00", "Z")
            wait = entry("wait", wait="cold_soak", what="soak", until=until)
            start = {**entry("proof_step", repair="glow_plugs", step="cold_start", result="pass"), "at": moment.isoformat().replace("+00:00", "Z")}
            self.assertEqual(prove(at(*FOUND, REPLACED, *STEPS, wait, start)).status, status)

    def test_temporary_and_failed(self):
        start = entry("proof_step", repair="glow_plugs", step="cold_start", result="pass", soaked_h=9)
        temporary = entry("action", action="repaired", what="wire", repair="glow_harness", temporary=True, come_back="Monday")
        self.assertEqual(prove(at(*FOUND, temporary, start)).status, "on_trial")
        self.assertEqual(prove(at(*FOUND, REPLACED, *plugs([1.0, "OL", 1.0, 1.0]))).status, "failed")

    def test_two_readings_fit_this_vehicles_own_cooling(self):
        def read(minutes, value):
            return {**entry("condition", name="coolant", value=value, unit="degC"), "at": f"2026-01-15T{8 + minutes // 60:02d}:{minutes % 60:02d}:00Z"}

        outside = entry("condition", name="ambient", value=10, unit="degC")
        # 80 K of difference falls to 80*exp(-1) = 29.43 K in two hours: tau two hours
        soak = soak_estimate(at(outside, read(0, 90.0), read(120, 39.43)).job)
        self.assertTrue(soak.fitted)
        self.assertAlmostEqual(soak.tau_h, 2.0, places=2)
        self.assertFalse(soak_estimate(at(outside, read(0, 40.0), read(120, 90.0)).job).fitted)
        self.assertGreaterEqual(soak.cold_h, 8.0)

    def test_an_old_proof_does_not_prove_a_second_repair(self):
        start = entry("proof_step", repair="glow_plugs", step="cold_start", result="pass", soaked_h=9)
        self.assertEqual(prove(at(*FOUND, REPLACED, *STEPS, start, REPLACED)).status, "on_trial")


class Again(unittest.TestCase):
    """A proof failed: decision, consent and plan begin anew, nothing of the first round is lost."""

    first = [*FOUND, entry("option", option="glow_dead", chosen=True), entry("consent", answer="yes", who="Owner", how="phone"), entry("fit_step", plan="glow_plugs", step="ground_off"), REPLACED,
             *plugs([1.0] * 4), entry("proof_step", repair="glow_plugs", step="cold_start", result="fail", soaked_h=10)]

    def test_the_plan_and_the_word_are_asked_for_again(self):
        job = at(*self.first).job
        self.assertIsNone(chosen(job))
        self.assertIsNone(consent(job))
        self.assertEqual(plan_state(job, K, "glow_plugs", (2,)).step("ground_off").state, "open")
        self.assertFalse(job.fitted)
        self.assertEqual(standing(at(*self.first)).now, "narrow")

    def test_a_second_repair_is_proven_by_itself(self):
        second = [*self.first, *relay_read(battery=12.4, feed=12.35, supply=12.3, command=0.2, output=0.1), outcome("glow_relay", "click", point="relay")]
        found = at(*second)
        self.assertEqual(found.suspicion.suspects[0].fault, "glow_relay_contacts")
        self.assertEqual({v.judgement.cls for v in found.diagnosis if v.test == "glow_resistance"}, {"sound"})
        steps = [entry("proof_step", repair="glow_relay", step=s, result="pass") for s in ("remeasure", "off_again", "clear", "key_cycle", "codes")]
        done = at(*second, entry("action", action="replaced", what="glow relay", repair="glow_relay"), *steps, entry("proof_step", repair="glow_relay", step="cold_start", result="pass", soaked_h=9))
        self.assertEqual(prove(done).status, "proven")

    def test_a_clamp_cleaned_by_the_way_is_no_repair(self):
        self.assertEqual(at(entry("action", action="cleaned", what="battery clamp")).job.repairs, ())


class Stages(unittest.TestCase):
    def test_the_demo_jobs_stand_where_they_say(self):
        now = datetime(2026, 3, 2, 12, tzinfo=UTC)
        stands = {}
        for raw in demo_jobs(now):
            assessed = Assessed(job_of(check(raw, K)), K)
            stands[raw["job"]["id"]] = standing(assessed)
        self.assertEqual({k: (s.now, s.proof.status, s.closed) for k, s in stands.items()},
                         {"demo-van-3": ("measure", "none", False), "demo-groomer-2": ("narrow", "none", False), "demo-patrol": ("measure", "none", False),
                          "demo-old-bear": ("prove", "on_trial", False), "demo-hut-bus": ("prove", "proven", True), "demo-van-5": ("measure", "none", False),
                          "demo-wagon": ("narrow", "none", False), "demo-bus-egr": ("prove", "on_trial", False)})

    def test_a_running_wait_is_seen_and_an_old_one_is_not(self):
        now = datetime(2026, 3, 2, 12, tzinfo=UTC)
        job = job_of(check(next(j for j in demo_jobs(now) if j["job"]["id"] == "demo-old-bear"), K))
        self.assertIsNotNone(running_wait(job, now))
        self.assertIsNone(running_wait(job, now + timedelta(hours=7)))


class Reports(unittest.TestCase):
    def test_the_report_holds_what_the_owner_asks(self):
        raw = next(j for j in demo_jobs(datetime(2026, 3, 2, 12, tzinfo=UTC)) if j["job"]["id"] == "demo-hut-bus")
        report = build_report(Assessed(job_of(check(raw, K)), K))
        self.assertEqual(report.proof.status, "proven")
        self.assertIn("frosty mornings", report.complaint)
        self.assertIn("Glow plugs open circuit", report.found)
        self.assertEqual(report.figures[0].before, "open")
        self.assertTrue(report.figures[0].after.endswith("ohm"))
        self.assertLessEqual(report.price, report.ceiling)
        self.assertTrue(any("battery" in a for a in report.advice))
