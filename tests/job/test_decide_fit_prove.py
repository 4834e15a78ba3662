"""From the decision to the handover, on the tape alone."""

import unittest
from datetime import UTC, datetime, timedelta

from frosty_piston.core.waiting import WaitLimits
from frosty_piston.job.afterwards.report import build_report
from frosty_piston.job.answer import answer
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.repair.basket import agreed, agreed_for, basket, bill, done_of, rounds
from frosty_piston.job.repair.decide import Prices, _put_right, advice, weigh_offers
from frosty_piston.job.repair.fit import (
    chosen,
    consent,
    differing,
    missing_pieces,
    plan_state,
    torque_fault,
)
from frosty_piston.job.repair.prove import prove
from frosty_piston.job.repair.waits import running_wait, soak_estimate
from frosty_piston.job.repair.work import to_do
from frosty_piston.job.stages import standing
from frosty_piston.job.tape.jobfile import check
from frosty_piston.job.weighing.failed import condemned
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig.demo.repairs import demo_jobs
from tests.cases import (
    MODERN,
    code,
    entry,
    job_file,
    meter,
    outcome,
    plugs,
    reading,
    relay_read,
    scan,
    symptom,
)

K = load_knowledge()
FOUND = [
    symptom("hard_start_cold"),
    entry("code_scan", module="all"),
    meter(),
    *plugs([1.0, "OL", 1.02, 1.01]),
]
REPLACED = entry("action", action="replaced", what="glow plugs", repair="glow_plugs", cylinders=[2])
STEPS = [
    entry("proof_step", repair="glow_plugs", step=s, result="pass")
    for s in ("remeasure", "clear", "key_cycle", "codes", "idle")
]
EGR_TWO = [
    symptom("limp_mode"),
    symptom("black_smoke"),
    entry("code", code="P0403"),
    outcome("egr_look", "stuck"),
    reading("egr_position", 14.0, "percent", point="engine_off"),
    entry(
        "outcome",
        test="wiggle",
        where={"node": "egr_valve"},
        figures={"wiggle_s": 60, "dropouts": 7, "rest_s": 60, "rest_dropouts": 0},
    ),
]


def at(*entries, **more):
    return Assessed(job_of(check(job_file(*entries, **more), K)), K)


def offers(assessed, **prices):
    return {o.id: o for o in weigh_offers(assessed, Prices(**prices))}


class Decide(unittest.TestCase):
    def test_one_and_set_are_weighed_with_the_next_failure(self):
        found = offers(at(*FOUND))
        dead, whole = found["glow_dead"], found["glow_set"]
        self.assertEqual(dead.cylinders, (2,))
        self.assertLess(dead.costed.price, whole.costed.price)
        self.assertGreater(dead.costed.option.comes_back, 10 * whole.costed.option.comes_back)
        self.assertGreater(whole.costed.option.breaks, dead.costed.option.breaks)

    def test_typed_prices_count_and_are_no_estimate(self):
        found = offers(at(*FOUND), typed={"glow_dead": {"parts": 100_000}})
        self.assertEqual(found["glow_dead"].costed.option.parts, 100_000)
        self.assertEqual((found["glow_dead"].estimated, found["glow_set"].estimated), (False, True))
        self.assertEqual(found["glow_set"].costed.price % 100, 0, "an estimate pretends no small change")
        whole = offers(
            at(*FOUND, entry("option", option="glow_set", price=333_333)),
            typed={"glow_set": {"price": 333_333}},
        )
        self.assertEqual(whole["glow_set"].costed.price, 333_333)

    def test_access_that_other_work_pays_for_is_not_charged_again(self):
        alone, shared = offers(at(*FOUND)), offers(at(*FOUND), typed={"glow_dead": {"access_h": 0.0}})
        # 0.4 h at 950.00 and 25 % tax, to the whole coin
        self.assertEqual(alone["glow_dead"].costed.price - shared["glow_dead"].costed.price, 47_500)
        self.assertEqual(alone["glow_set"].costed.price, shared["glow_set"].costed.price)

    def test_condemned_from_the_connector_alone_is_warned_about(self):
        def warned(*more):
            return any(
                "connector alone" in a.says and a.before and a.where for a in advice(at(*FOUND, *more))
            )

        self.assertTrue(warned())
        self.assertFalse(warned(reading("glow_resistance", "OL", "ohm", point="plug", cylinder=2)))
        cleared = at(*FOUND, reading("glow_resistance", 1.0, "ohm", point="plug", cylinder=2))
        self.assertEqual(condemned(K, "glow_plugs", cleared.now).classes, {})

    def test_two_faults_are_offered_together_and_one_leaves_the_other(self):
        found = offers(at(*EGR_TWO, engine=MODERN))
        both = [o for o in found.values() if len(o.options) > 1 and not o.usual]
        self.assertTrue(both and all(set(o.repairs) >= {"egr_valve", "egr_wiring"} for o in both))
        alone = found["egr_valve_new"]
        self.assertGreater(dict(alone.leaves)["egr_wiring_open"], 0.5)
        self.assertGreater(max(o.cures for o in both), 3 * alone.cures)

    def test_what_stands_far_behind_waits_for_a_test(self):
        job = at(symptom("restart_countdown"), code("P20EE"), scan(), engine=MODERN)
        needed = job.suspicion.repairs_needed
        offered = {r for o in offers(job).values() if not o.usual for r in o.repairs}
        most = max(needed.values())
        for repair, p in needed.items():
            if p < 0.04 or p < min(0.2, most / 2):
                self.assertNotIn(repair, offered)
        self.assertTrue(offered)

    def test_what_was_done_is_not_offered_again(self):
        picked = entry("option", option="glow_set", chosen=True)
        self.assertIn("glow_set", offers(at(*FOUND, picked)))
        done = [*STEPS, plugs([1.0, 1.0, 1.0, 1.0], "plug")[0]]
        job = at(*FOUND, picked, entry("action", action="replaced", what="plugs", repair="glow_plugs"), *done)
        self.assertLess(job.suspicion.repairs_needed.get("glow_plugs", 0.0), 0.04)
        self.assertNotIn("glow_set", offers(job))

    def test_a_code_names_the_cylinder(self):
        job = at(symptom("misfire"), code("P0203"), scan(), engine=MODERN)
        self.assertEqual(job.cylinders_about("injector_circuit_open"), (3,))
        self.assertEqual(job.cylinders_about("glow_plugs"), ())
        fitted = entry("action", action="replaced", what="it", repair="injector_circuit_open")
        drive = entry("drive", distance_km=20.0, codes_read=True, codes_back=["P0201"])
        back = (fitted, entry("code_clear", module="all"), drive, code("P0201"))
        later = at(symptom("misfire"), code("P0203"), scan(), *back, engine=MODERN)
        self.assertEqual(later.cylinders_about("injector_circuit_open", at_repair=True), (3,))
        bare = at(symptom("misfire"), scan(), engine=MODERN)
        self.assertEqual(bare.cylinders_about("injector_circuit_open"), ())

    def test_access_of_two_is_counted_once(self):
        found = offers(at(*EGR_TWO, engine=MODERN))
        both = next(o for o in found.values() if len(o.options) > 1 and not o.usual)
        apart = sum(sum(K.access[a].minutes for a in K.repairs[r].shape.access) for r in both.repairs) / 60
        once = (
            sum(K.access[a].minutes for a in {a for r in both.repairs for a in K.repairs[r].shape.access})
            / 60
        )
        self.assertAlmostEqual(both.costed.option.access_h, once)
        self.assertLessEqual(once, apart)

    def test_two_faults_that_both_stand_are_cheapest_mended_together(self):
        found = list(offers(at(*EGR_TWO, engine=MODERN)).values())
        self.assertLessEqual({"egr_valve", "egr_wiring"}, set(found[0].repairs))
        alone = {o.id: o.costed for o in found if len(o.options) == 1}
        for o in (o for o in found if len(o.options) > 1 and not o.usual):
            self.assertAlmostEqual(o.costed.if_back, sum(alone[x.id].if_back for x in o.options), delta=200)

    def test_what_failed_is_not_tried_again_when_it_is_followed_up(self):
        ways = [(0.5, 1_000), (0.9, 5_000)]
        self.assertAlmostEqual(_put_right(ways, 0.0, 500), 1_000 + 0.5 * (500 + 5_000 + 0.1 / 0.9 * 5_500))
        self.assertAlmostEqual(_put_right(ways, 0.5, 500), 5_000 + 0.1 / 0.9 * 5_500)
        self.assertEqual(_put_right(ways, 0.9, 500), _put_right(ways, 0.5, 500))
        self.assertEqual(_put_right([(0.5, 9_000), (0.9, 5_000)], 0.0, 500), _put_right(ways, 0.5, 500))

    def test_a_dearer_part_today_can_be_the_cheaper_one(self):
        job = at(
            symptom("limp_mode"),
            outcome("actuator_sweep", "dead_spot", node="turbo_actuator"),
            outcome("linkage_free", "free"),
            engine=MODERN,
        )
        idle, rich = offers(job), offers(job, standstill_per_day=200_000)
        self.assertLess(
            idle["turbo_actuator_ordered"].costed.expected, idle["turbo_actuator_new"].costed.expected
        )
        self.assertGreater(
            rich["turbo_actuator_ordered"].costed.expected, rich["turbo_actuator_new"].costed.expected
        )

    def test_part_or_assembly(self):
        job = at(
            symptom("limp_mode"),
            outcome("actuator_sweep", "dead_spot", node="turbo_actuator"),
            outcome("linkage_free", "rough"),
            engine=MODERN,
        )
        found = offers(job)
        self.assertGreater(found["turbo_actuator_whole"].cures, 3 * found["turbo_actuator_new"].cures)
        self.assertEqual(set(found["turbo_actuator_whole"].repairs), {"turbo_actuator", "turbocharger"})

    def test_cheapest_expected_first_in_the_assessment(self):
        said = answer(at(*EGR_TWO, engine=MODERN))["options"]
        self.assertEqual([o["expected"] for o in said], sorted(o["expected"] for o in said))
        self.assertTrue(all(leaf["probability"] >= 0.02 for o in said for leaf in o["leaves"]))

    def test_consent_for_one_or_for_the_whole(self):
        picked = entry("option", option="egr_valve_new+egr_wiring_terminal", chosen=True, price=900_000)

        def said(answer, option=None, ceiling=None):
            return entry(
                "consent",
                answer=answer,
                who="Owner",
                how="phone",
                **({"option": option} if option else {}),
                **({"ceiling": ceiling} if ceiling else {}),
            )

        job = at(*EGR_TWO, picked, said("yes", "egr_wiring_terminal"), engine=MODERN).job
        self.assertEqual(
            (agreed(job), agreed_for(job, "egr_wiring_terminal"), agreed_for(job, "egr_valve_new")),
            (False, True, False),
        )
        self.assertTrue(agreed(at(*EGR_TWO, picked, said("yes"), engine=MODERN).job))
        self.assertFalse(
            agreed(at(*EGR_TWO, said("yes"), picked, engine=MODERN).job), "a yes to something else"
        )
        low = at(*EGR_TWO, picked, said("yes", ceiling=800_000), engine=MODERN).job
        self.assertTrue(bill(low, K).above)
        self.assertEqual(
            [w.repair for w in to_do(at(*EGR_TWO, picked, engine=MODERN))], ["egr_valve", "egr_wiring"]
        )


def pick(option, price=None, reason=None):
    more = {"price": price} if price is not None else {}
    return entry("option", option=option, chosen=True, **more, **({"reason": reason} if reason else {}))


def yes(option=None, ceiling=None, answer="yes"):
    more = {"option": option} if option else {}
    more |= {"ceiling": ceiling} if ceiling else {}
    return entry("consent", answer=answer, who="Owner", how="phone", **more)


def act(repair):
    return entry("action", action="repaired", what="it", repair=repair)


class Basket(unittest.TestCase):
    VALVE, WIRE = "egr_valve_new", "egr_wiring_terminal"

    def job(self, *entries):
        return at(*EGR_TWO, *entries, engine=MODERN).job

    def test_it_grows_and_shrinks_and_each_keeps_its_reason(self):
        both = f"{self.VALVE}+{self.WIRE}"
        first, more, less = (
            pick(self.VALVE, reason="seized"),
            pick(both, reason="broken pin"),
            pick(self.WIRE),
        )
        for picks, wanted in (
            ([first], {self.VALVE: "seized"}),
            ([first, more], {self.VALVE: "seized", self.WIRE: "broken pin"}),
            ([first, more, less], {self.WIRE: "broken pin"}),
        ):
            now = basket(self.job(*picks))
            self.assertEqual({p.option: p.reason for p in now.picked}, wanted)
            self.assertEqual(len(rounds(self.job(*picks))), 1)
        self.assertIsNone(basket(self.job()))

    def test_what_is_done_stays_done_when_it_grows(self):
        grown = (pick(self.VALVE), act("egr_valve"), pick(f"{self.VALVE}+{self.WIRE}"))
        job = self.job(*grown)
        self.assertEqual(done_of(job, K, basket(job)), (self.VALVE,))
        self.assertEqual([bool(w.entry) for w in to_do(at(*EGR_TWO, *grown, engine=MODERN))], [True, False])
        again = self.job(pick(self.VALVE), act("egr_valve"), pick(self.VALVE))
        self.assertEqual((len(rounds(again)), done_of(again, K, basket(again))), (2, ()))

    def test_a_yes_covers_what_was_asked_and_no_more(self):
        both = f"{self.VALVE}+{self.WIRE}"
        for entries, wanted in (
            ((pick(self.VALVE), yes()), True),
            ((pick(self.VALVE), yes(), pick(both)), False),
            ((pick(self.VALVE), yes(), pick(both), yes()), True),
            ((pick(self.VALVE), yes(), pick(both), yes(self.WIRE)), True),
            ((pick(both), yes(), pick(self.WIRE)), True),
            ((pick(both), yes(), pick(both), yes(self.WIRE, answer="no")), False),
            ((pick(self.VALVE), yes(), pick(self.WIRE)), False),
        ):
            self.assertEqual(agreed(self.job(*entries)), wanted, entries)

    def test_the_sum_is_over_all_rounds_and_the_ceiling_watches_it(self):
        # the wire is done and proven wrong, then the valve: both are paid
        failed = entry("proof_step", repair="egr_wiring", step="clear", result="fail")
        wire = (pick(self.WIRE, 200_000), yes(ceiling=300_000), act("egr_wiring"))
        for entries, total, above in (
            ((), None, False),
            ((pick(self.WIRE, 200_000),), 200_000, False),
            ((*wire, failed), 200_000, False),
            ((*wire, failed, pick(self.VALVE, 90_000)), 290_000, False),
            ((*wire, failed, pick(self.VALVE, 500_000)), 700_000, True),
            ((*wire, failed, pick(self.VALVE, 500_000), yes(ceiling=700_000)), 700_000, False),
            ((pick(self.WIRE, 200_000), pick(self.VALVE, 500_000)), 500_000, False),
            ((pick(self.WIRE),), None, False),
            ((pick(self.WIRE, 200_000), yes(answer="no")), None, False),
            ((*wire, failed, pick(self.VALVE, 500_000), yes(answer="no")), 200_000, False),
        ):
            found = bill(self.job(*entries), K)
            self.assertEqual((found.total, found.above), (total, above), entries)

    def test_an_assembly_stands_once(self):
        choked = outcome("egr_cooler_look", "blocked")
        stuck = (symptom("black_smoke"), outcome("egr_look", "stuck"), choked)
        for picked, wanted in (
            ((), 1),
            ((pick("egr_cooler_with_valve"),), 1),
            ((pick("egr_valve_with_cooler"),), 1),
        ):
            found = offers(at(*stuck, *picked, engine=MODERN))
            whole = [o for o in found if o in ("egr_valve_with_cooler", "egr_cooler_with_valve")]
            self.assertEqual(len(whole), wanted, found.keys())
            if picked:
                self.assertEqual(whole, [picked[0]["data"]["option"]])

    def test_pairs_of_the_trade_stand_ready(self):
        found = offers(at(*EGR_TWO, engine=MODERN))
        self.assertIn("egr_valve_clean_off+egr_cooler_cleaned", found)
        self.assertIn("cleaned together", found["egr_valve_clean_off+egr_cooler_cleaned"].usual)
        done = offers(at(*EGR_TWO, act("egr_cooler"), engine=MODERN))
        self.assertNotIn("egr_valve_clean_off+egr_cooler_cleaned", done)


class Fit(unittest.TestCase):
    def step(self, name, **more):
        return entry("fit_step", plan="glow_plugs", step=name, **more)

    def test_hardware_map_and_what_is_still_off(self):
        job = at(
            *FOUND,
            self.step("ground_off"),
            self.step("covers_off", hardware=[{"what": "bolt", "mark": "long"}]),
            self.step("wires_off"),
        ).job
        plan = plan_state(job, K, "glow_plugs", (2,))
        self.assertEqual([(p.order, p.hardware.what, p.back) for p in plan.map], [(1, "bolt", False)])
        self.assertEqual(len(plan.still_off("ground_on")), 2)
        self.assertEqual(plan.still_off("wires_on"), [])
        back = at(
            *FOUND,
            self.step("ground_off"),
            self.step("covers_off", hardware=[{"what": "bolt"}]),
            self.step("wires_off"),
            self.step("wires_on"),
            self.step("covers_on"),
        ).job
        self.assertTrue(plan_state(back, K, "glow_plugs", (2,)).map[0].back)

    def test_one_fastener_back_by_itself(self):
        off = self.step("covers_off", state="part", hardware=[{"what": "bolt", "mark": "long"}])
        clip = self.step("wires_off", state="part", hardware=[{"what": "clip"}])
        plan = plan_state(
            at(*FOUND, off, clip, self.step("wires_off", state="part", back=["e9"])).job,
            K,
            "glow_plugs",
            (2,),
        )
        self.assertEqual([(f.hardware.what, f.back) for f in plan.map], [("bolt", False), ("clip", True)])
        self.assertEqual((plan.step("covers_off").state, len(plan.on_bench)), ("begun", 1))

    def test_steps_of_another_way_are_left_out(self):
        ids = {
            act: [s.shape.id for s in plan_state(at().job, K, "egr_cooler", (), act).steps]
            for act in ("cleaned", "replaced")
        }
        self.assertIn("soak", ids["cleaned"])
        self.assertNotIn("soak", ids["replaced"])
        self.assertIn("compare", ids["replaced"])

    def test_the_latest_word_on_a_piece_stands(self):
        gone = entry("piece", name="washer", went="valley", now="missing")
        self.assertEqual([p.name for p in missing_pieces(at(gone).job)], ["washer"])
        self.assertEqual(
            missing_pieces(at(gone, entry("piece", name="washer", went="valley", now="recovered")).job), ()
        )
        self.assertEqual(missing_pieces(at(entry("piece", name="washer", went="floor", now="left")).job), ())

    def test_pieces_are_counted(self):
        plan = plan_state(
            at(self.step("plugs_out", pieces=2), self.step("plugs_in", pieces=1)).job, K, "glow_plugs", (1, 2)
        )
        self.assertEqual((plan.out, plan.back_in), (2, 1))

    def test_a_step_for_each_cylinder_is_part_done(self):
        plan = plan_state(at(self.step("plugs_out", cylinder=1)).job, K, "glow_plugs", (1, 2))
        self.assertEqual(
            (plan.step("plugs_out").state, plan.step("plugs_out").cylinders_left), ("part", (2,))
        )

    def test_a_breakaway_limit_is_never_explained_away_and_another_torque_can_be(self):
        plan = plan_state(at().job, K, "glow_plugs", (2,))
        out, into = plan.step("plugs_out"), plan.step("plugs_in")
        self.assertIn("stop at 35 N m", torque_fault(out, 40.0, explained=True))
        self.assertIsNone(torque_fault(out, 20.0, explained=False))
        self.assertIn("15 N m is asked for", torque_fault(into, 25.0, explained=False))
        self.assertIsNone(torque_fault(into, 25.0, explained=True))
        compared = {
            "type": ["12 V", "12V"],
            "length_mm": ["27,5", "27.5 mm"],
            "thread": ["M10", "M12"],
            "resistance_ohm": ["OL", "0.8"],
        }
        self.assertEqual(differing(plan.repair, compared), ["thread"])

    def test_torque_says_whether_it_is_general(self):
        plan = plan_state(at().job, K, "glow_plugs", ())
        self.assertEqual((plan.step("plugs_in").torque, plan.step("plugs_in").torque_general), (15.0, True))


class Soaking(unittest.TestCase):
    def test_a_wait_that_ended_before_the_start_counts_and_one_that_runs_does_not(self):
        moment = datetime(2026, 1, 15, 7, tzinfo=UTC)
        for hours, status in ((-1, "proven"), (1, "on_trial")):
            until = (moment + timedelta(hours=hours)).isoformat().replace("+00:00", "Z")
            wait = entry("wait", wait="cold_soak", what="soak", until=until)
            start = {
                **entry("proof_step", repair="glow_plugs", step="cold_start", result="pass"),
                "at": moment.isoformat().replace("+00:00", "Z"),
            }
            self.assertEqual(
                prove(at(*FOUND, REPLACED, *plugs([1.0] * 4), *STEPS, wait, start)).status, status
            )

    def test_two_readings_fit_this_vehicles_own_cooling(self):
        def read(minutes, value):
            return {
                **entry("condition", name="coolant", value=value, unit="degC"),
                "at": f"2026-01-15T{8 + minutes // 60:02d}:{minutes % 60:02d}:00Z",
            }

        outside, waits = entry("condition", name="ambient", value=10, unit="degC"), K.limits(WaitLimits)
        # 80 K of difference falls to 80*exp(-1) = 29.43 K in two hours: tau two hours
        soak = soak_estimate(at(outside, read(0, 90.0), read(120, 39.43)).job, waits)
        self.assertTrue(soak.fitted)
        self.assertAlmostEqual(soak.tau_h, 2.0, places=2)
        self.assertFalse(soak_estimate(at(outside, read(0, 40.0), read(120, 90.0)).job, waits).fitted)
        self.assertGreaterEqual(soak.cold_h, 8.0)

    def test_an_old_proof_does_not_prove_a_second_repair(self):
        start = entry("proof_step", repair="glow_plugs", step="cold_start", result="pass", soaked_h=9)
        self.assertEqual(
            prove(at(*FOUND, REPLACED, *plugs([1.0] * 4), *STEPS, start, REPLACED)).status, "on_trial"
        )


class Again(unittest.TestCase):
    """A proof failed: decision, consent and plan begin anew, nothing of the first round is lost."""

    first = [
        *FOUND,
        entry("option", option="glow_dead", chosen=True),
        entry("consent", answer="yes", who="Owner", how="phone"),
        entry("fit_step", plan="glow_plugs", step="ground_off"),
        REPLACED,
        *plugs([1.0] * 4),
        entry("proof_step", repair="glow_plugs", step="cold_start", result="fail", soaked_h=10),
    ]

    def test_the_plan_and_the_word_are_asked_for_again(self):
        job = at(*self.first).job
        self.assertIsNone(chosen(job))
        self.assertIsNone(consent(job))
        self.assertEqual(plan_state(job, K, "glow_plugs", (2,)).step("ground_off").state, "open")
        self.assertFalse(job.fitted)
        self.assertEqual(standing(at(*self.first)).now, "narrow")

    def test_a_second_repair_is_proven_by_itself(self):
        second = [
            *self.first,
            *relay_read(battery=12.4, feed=12.35, supply=12.3, command=0.2, output=0.1),
            outcome("glow_relay", "click", point="relay"),
        ]
        found = at(*second)
        self.assertEqual(found.suspicion.suspects[0].fault, "glow_relay_contacts")
        self.assertEqual({v.judgement.cls for v in found.now if v.test == "glow_resistance"}, {"sound"})
        again = [
            *relay_read(battery=12.4, feed=12.35, supply=12.3, command=0.2, output=12.2),
            outcome("glow_relay", "click", point="relay"),
        ]
        steps = [
            entry("proof_step", repair="glow_relay", step=s, result="pass")
            for s in ("remeasure", "off_again", "clear", "key_cycle", "codes")
        ]
        done = at(
            *second,
            entry("action", action="replaced", what="glow relay", repair="glow_relay"),
            *again,
            *steps,
            entry("proof_step", repair="glow_relay", step="cold_start", result="pass", soaked_h=9),
        )
        self.assertEqual(prove(done).status, "proven", prove(done).missing)

    def test_a_clamp_cleaned_by_the_way_is_no_repair(self):
        self.assertEqual(at(entry("action", action="cleaned", what="battery clamp")).job.repairs, ())


class Stages(unittest.TestCase):
    def test_the_demo_jobs_stand_where_they_say(self):
        now = datetime(2026, 3, 2, 12, tzinfo=UTC)
        stands = {}
        for raw in demo_jobs(now):
            assessed = Assessed(job_of(check(raw, K)), K)
            stands[raw["job"]["id"]] = standing(assessed)
        self.assertEqual(
            {k: (s.now, s.proof.status, s.closed) for k, s in stands.items()},
            {
                "demo-van-3": ("measure", "none", False),
                "demo-groomer-2": ("narrow", "none", False),
                "demo-patrol": ("decide", "none", False),
                "demo-old-bear": ("prove", "on_trial", False),
                "demo-hut-bus": ("prove", "proven", True),
                "demo-van-5": ("measure", "none", False),
                "demo-wagon": ("narrow", "none", False),
                "demo-bus-egr": ("prove", "on_trial", False),
                "demo-carrier-egr": ("decide", "none", False),
                "demo-bus-turbo": ("fit", "none", False),
                "demo-shuttle-cooler": ("fit", "none", False),
                "demo-mast-van": ("prove", "on_trial", False),
                "demo-harbour": ("decide", "none", False),
                "demo-ridge": ("measure", "none", False),
                "demo-pier-van-1": ("prove", "on_trial", True),
                "demo-pier-van": ("decide", "none", False),
                "demo-night-car": ("measure", "none", False),
                "demo-cliff-van": ("prove", "on_trial", False),
                "demo-mail-van": ("narrow", "none", False),
                "demo-grit": ("prove", "on_trial", False),
            },
        )

    def test_a_running_wait_is_seen_and_an_old_one_is_not(self):
        now = datetime(2026, 3, 2, 12, tzinfo=UTC)
        job = job_of(check(next(j for j in demo_jobs(now) if j["job"]["id"] == "demo-old-bear"), K))
        self.assertIsNotNone(running_wait(job, now))
        self.assertIsNone(running_wait(job, now + timedelta(hours=7)))


class Reports(unittest.TestCase):
    def test_the_report_holds_what_the_owner_asks(self):
        raw = next(
            j for j in demo_jobs(datetime(2026, 3, 2, 12, tzinfo=UTC)) if j["job"]["id"] == "demo-hut-bus"
        )
        report = build_report(Assessed(job_of(check(raw, K)), K))
        self.assertEqual(report.proof.status, "proven")
        self.assertIn("frosty mornings", report.complaint)
        self.assertIn("Glow plugs open circuit", report.found[0])
        self.assertEqual(report.figures[0].before, "open")
        self.assertTrue(report.figures[0].after.endswith("Ω"))
        self.assertLessEqual(report.price, report.ceiling)
        self.assertTrue(any("battery" in a for a in report.advice))
