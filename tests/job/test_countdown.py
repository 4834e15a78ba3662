"""The countdown as a budget, what bars a drive, reset plans on a job, and the burn."""

import unittest
from datetime import UTC, datetime

from frosty_piston.job.afterwards.experience import Experience
from frosty_piston.job.next_step import next_step
from frosty_piston.job.repair.burn import burn_of
from frosty_piston.job.repair.countdown import countdown_of
from frosty_piston.job.repair.prove import prove
from frosty_piston.job.repair.resets import latch_bars, latched_says, needs_of, plan_state, plans_asked
from frosty_piston.job.repair.road import Road
from frosty_piston.knowledge.reset_shapes import NeedsShape, ResetStepShape, order_fault
from tests.cases import entry, outcome, reading, symptom
from tests.job.test_proof import K, at

NOW = datetime(2026, 11, 2, 8, tzinfo=UTC)
COUNTS = entry("condition", name="countdown_km", value=80.0, unit="km", at_zero="no_restart", since="Tuesday")
STARTS = entry("condition", name="countdown_starts", value=6, unit="count")
SHORT = entry(
    "outcome",
    test="def_quantity",
    where={},
    outcome="jet",
    figures={"expected_ml": 100.0, "measured_ml": 55.0},
)
RIGHT = entry(
    "outcome",
    test="def_quantity",
    where={},
    outcome="cone",
    figures={"expected_ml": 100.0, "measured_ml": 98.0},
)
CRYSTALS = [symptom("restart_countdown"), COUNTS, outcome("def_look", "crystals"), SHORT]
CLEANED = entry("action", action="cleaned", what="DEF injector", repair="def_injector")
SOUND = [RIGHT, outcome("def_look", "clean")]


def km(distance):
    return entry("drive", distance_km=distance, codes_read=True)


def counted(*entries):
    assessed = at(*entries)
    return countdown_of(assessed, prove(assessed))


class Budget(unittest.TestCase):
    def test_drives_and_starts_are_charged(self):
        for entries, left in (
            ([COUNTS], 80),
            ([COUNTS, km(30)], 50),
            ([COUNTS, km(30), COUNTS], 80),
            ([STARTS], 6),
            ([STARTS, outcome("boost_trace", "short")], 5),
            ([STARTS, outcome("boost_trace", "short"), outcome("egr_air_change", "x")][:2], 5),
            ([STARTS, reading("battery_crank", 10.4, "V", point="battery_1")], 5),
            ([STARTS, km(5)], 5),
            ([STARTS, entry("drive", starts=3, codes_read=True)], 3),
        ):
            with self.subTest(str(entries[-1])):
                self.assertEqual(counted(*entries).budget.left, left)

    def test_tests_with_the_engine_on_in_a_row_take_one_start(self):
        running = [
            outcome("boost_trace", "short"),
            outcome("intake_look", "sound"),
            outcome("boost_trace", "over"),
        ]
        self.assertEqual(counted(STARTS, *running[:1], running[2]).budget.left, 5)
        self.assertEqual(counted(STARTS, *running).budget.left, 4)

    def test_it_ends_when_it_is_gone_or_reset(self):
        for last in (
            symptom("restart_countdown", present=False),
            entry("reset_step", plan="start_inhibit", step="countdown", result="done"),
        ):
            self.assertIsNone(counted(*CRYSTALS, last))
        refused = entry("reset_step", plan="start_inhibit", step="countdown", result="refused", because="7F")
        self.assertIsNotNone(counted(*CRYSTALS, refused))

    def test_what_the_proof_still_needs_is_planned(self):
        found = counted(*CRYSTALS, CLEANED, *SOUND)
        self.assertTrue(any("Drive" in c.what for c in found.planned))
        self.assertLess(found.budget.after, 80)

    def test_words_of_each_state(self):
        for driven, says in (
            (0, "80 km left"),
            (30, "last"),
            (65, "kept back"),
            (80, "not driven off the lift"),
        ):
            with self.subTest(driven):
                self.assertIn(
                    says,
                    counted(*CRYSTALS, CLEANED, *SOUND, km(driven)).says if driven else counted(COUNTS).says,
                )


class Roads(unittest.TestCase):
    def bar(self, *entries, floors=None):
        return Road.of(at(*entries).job, K, Experience(floors=floors or {})).bar

    def test_the_floor_bars_a_drive(self):
        self.assertEqual(self.bar(COUNTS, km(59)), "")
        self.assertIn("kept back", self.bar(COUNTS, km(60)))
        self.assertIn("at zero", self.bar(COUNTS, km(80)))
        self.assertEqual(self.bar(COUNTS, km(60), floors={"countdown_km": 10.0}), "")
        self.assertIn("kept back", self.bar(COUNTS, km(35), floors={"countdown_km": 50.0}))

    def test_no_test_is_proposed_that_needs_a_start_that_is_not_left(self):
        none = entry("condition", name="countdown_starts", value=0, unit="count", at_zero="no_restart")
        for n in at(symptom("restart_countdown"), symptom("low_power"), none).proposals.top(12):
            self.assertFalse(K.tests[n.test].runs or K.tests[n.test].cranks, n.test)


class Plans(unittest.TestCase):
    def state(self, *entries, plan="start_inhibit"):
        assessed = at(*entries)
        return plan_state(assessed, plan, K.reset_plans[plan], NOW, latch_bars(assessed))

    def test_the_plans_that_are_asked_for(self):
        self.assertEqual(plans_asked(at(*CRYSTALS, CLEANED)), ["dosing_valve", "start_inhibit"])
        sensor = entry("action", action="replaced", what="NOx sensor", repair="nox_sensor_up")
        self.assertEqual(plans_asked(at(symptom("emissions_message"), sensor)), ["nox_sensor"])

    def test_every_general_plan_holds_its_order(self):
        for key, plan in K.reset_plans.items():
            self.assertEqual(order_fault(plan.steps), "", key)
            if len(plan.steps) > 2:
                self.assertNotEqual(order_fault(plan.steps[::-1]), "", key)

    def test_a_wrong_order_a_circle_and_a_stranger_are_refused_with_the_reason(self):
        a, b = (
            ResetStepShape(id="a", does="First one", after=["b"]),
            ResetStepShape(id="b", does="Second one"),
        )
        self.assertIn("comes after “second one”", order_fault([a, b]))
        self.assertEqual(order_fault([b, a]), "")
        self.assertIn("wait for each other", order_fault([a, b.model_copy(update={"after": ["a"]})]))
        self.assertIn("no such step", order_fault([a]))
        self.assertIn("stands twice", order_fault([b, b]))

    def test_needs_are_held_against_the_latest_reading(self):
        needs = NeedsShape(coolant_from_c=70, soot_under_g=24, def_from_percent=20, key="on")
        cold = {**entry("condition", name="coolant", value=41.0, unit="degC"), "at": "2026-11-02T10:12:00Z"}
        job = at(cold, entry("condition", name="def_level", value=20.0, unit="percent")).job
        found = {n.says.split(":")[0]: n.state for n in needs_of(job, needs)}
        self.assertEqual(
            found, {"Coolant": "missing", "Soot mass": "unread", "DEF level": "held", "Key on": "seen"}
        )
        self.assertIn("70 °C or more, 41", needs_of(job, needs)[0].says)

    def test_nothing_is_unlatched_before_the_cause_reads_sound(self):
        self.assertIn("not before the cause reads sound", latch_bars(at(*CRYSTALS))["unlatches"])
        self.assertIn("unlatches", latch_bars(at(*CRYSTALS, CLEANED)))
        self.assertIn("unlatches", latch_bars(at(*CRYSTALS, CLEANED, RIGHT)))
        self.assertNotIn("unlatches", latch_bars(at(*CRYSTALS, CLEANED, *SOUND)))
        self.assertIn("nothing was read", latch_bars(at(symptom("restart_countdown"), COUNTS))["unlatches"])

    def test_latched_is_said_when_cause_and_readings_are_good(self):
        self.assertEqual(latched_says(at(*CRYSTALS, CLEANED)), "")
        self.assertIn("Run the reset plan", latched_says(at(*CRYSTALS, CLEANED, *SOUND)))

    def test_it_is_not_proven_while_it_counts(self):
        assessed = at(*CRYSTALS, CLEANED, *SOUND)
        proof = prove(assessed)
        self.assertIn(("reset", "countdown"), {(m.what, m.id) for m in proof.missing})
        done = entry("reset_step", plan="start_inhibit", step="countdown", result="done")
        after = prove(at(*CRYSTALS, CLEANED, *SOUND, done))
        self.assertNotIn(("reset", "countdown"), {(m.what, m.id) for m in after.missing})
        self.assertTrue(next_step(assessed, proof).where.page)

    def test_steps_fold_from_the_tape(self):
        def did(step, result="done", **more):
            return entry("reset_step", plan="start_inhibit", step=step, result=result, **more)

        state = self.state(
            *CRYSTALS, CLEANED, *SOUND, did("forget_part"), did("prime", "refused", because="7F 22")
        )
        self.assertEqual([s.result for s in state.steps][:3], ["done", "refused", "open"])
        self.assertEqual(state.current.shape.id, "prime")
        self.assertIn("comes after", state.step("quality_monitor").out_of_order)
        self.assertEqual(self.state(*CRYSTALS, did("forget_part"), CLEANED).steps[0].result, "open")


class Burns(unittest.TestCase):
    def bars(self, *entries):
        return {b.what: b.state for b in burn_of(at(symptom("regen_refused"), *entries)).bars}

    def soot(self, grams):
        return reading("dpf_state", grams, "g", channel="soot_mass")

    def test_what_bars_it(self):
        fuel = entry("condition", name="fuel_level", value=60.0, unit="percent")
        for entries, what, state in (
            ([], "Soot mass", "unknown"),
            ([self.soot(30)], "Soot mass", "held"),
            ([self.soot(35.9)], "Soot mass", "held"),
            ([self.soot(36)], "Soot mass", "bars"),
            ([self.soot(46)], "Soot mass", "bars"),
            ([entry("code", code="P20E8", status="stored")], "Codes", "bars"),
            ([entry("code", code="P20E8", status="stored"), entry("code_clear")], "Codes", "held"),
            ([], "Fuel", "unknown"),
            ([fuel], "Fuel", "held"),
            ([entry("condition", name="fuel_level", value=19.0, unit="percent")], "Fuel", "bars"),
            ([entry("condition", name="failed_burns", value=21, unit="count")], "Oil", "bars"),
            ([entry("condition", name="failed_burns", value=20, unit="count")], "Oil", "held"),
        ):
            with self.subTest(f"{what} {entries}"):
                self.assertEqual(self.bars(*entries)[what], state)


class Waits(unittest.TestCase):
    def test_a_phase_and_a_burn_lead_to_where_they_run(self):
        for step, wait, page in (
            ("start_inhibit/warm_run/1", "routine", {"page": "resets/start_inhibit", "at": "step-warm_run"}),
            ("burn", "burn", {"page": "measure/dpf", "at": "burn"}),
        ):
            running = entry("wait", wait=wait, what="It runs", until="2026-11-02T08:05:00Z", step=step)
            assessed = at(*CRYSTALS, entry("code_scan"), CLEANED, *SOUND, running)
            self.assertEqual(next_step(assessed, prove(assessed), NOW).where.as_open(), page)
