"""What to do next: tools at hand, the state of the vehicle, who waits, what one cover pays for, and when to
stop."""

import unittest
from datetime import UTC, datetime

from frosty_piston.job.afterwards.experience import MOST_TIMES, Experience, Pattern
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.plan import part_odds, plan
from frosty_piston.job.tape.jobfile import check
from frosty_piston.job.weighing.access import access_reached, states
from frosty_piston.knowledge import load_knowledge
from tests.cases import (
    MODERN,
    SKARN,
    VACUUM,
    code,
    entry,
    job_file,
    meter,
    outcome,
    plugs,
    reading,
    scan,
    symptom,
)

K = load_knowledge()


def think(*entries, engine=MODERN, own=None):
    return Assessed(job_of(check(job_file(*entries, engine=engine), K)), K, own or Experience())


def state(name, on=True):
    return entry("state", state=name, on=on)


def pattern(fault, times, number=1):
    return Pattern(
        number,
        "Norra D4-22",
        fault,
        times,
        "Sunniva",
        datetime(2026, 1, 4, tzinfo=UTC),
        "four of the last five",
    )


def of(assessed, test):
    return next((n for n in assessed.proposals.next_tests if n.test == test), None)


class Begun(unittest.TestCase):
    """A test that was begun stays on the list, for what is left of it."""

    def minutes(self, test, complaint, *entries, engine=SKARN):
        proposed = of(think(symptom(complaint), *entries, engine=engine), test)
        return None if proposed is None else round(proposed.minutes, 1)

    def test_a_relay_read_at_some_points(self):
        volts = {"battery": 12.5, "feed": 12.4, "supply": 12.3, "command": 0.2, "output": 12.3}
        left = []
        for count in range(6):
            read = [
                reading("glow_relay", v, "V", {"loaded": True}, point=p)
                for p, v in list(volts.items())[:count]
            ]
            left.append(self.minutes("glow_relay", "no_start_cold", *read))
        # eight minutes by their share, and one for the key
        self.assertEqual(left[1:5], [7.4, 5.8, 4.2, 2.6])
        self.assertIsNone(left[5])

    def test_half_a_comparison(self):
        whole = self.minutes("swirl_compare", "hesitation_midrange", engine=MODERN)
        half = [reading("swirl_compare", 4.1, "s", point="as_is")]
        self.assertEqual(
            self.minutes("swirl_compare", "hesitation_midrange", *half, engine=MODERN), whole - 3
        )

    def test_one_plug_of_four(self):
        four = {**SKARN, "cylinders": 4}
        whole = self.minutes("glow_resistance", "no_start_cold", meter(), engine=four)
        one = self.minutes("glow_resistance", "no_start_cold", meter(), *plugs([0.9]), engine=four)
        self.assertAlmostEqual(one, whole * 0.75, delta=0.06)

    def test_it_is_ended_before_another_is_begun(self):
        half = [reading("swirl_compare", 4.1, "s", point="as_is")]
        first = think(symptom("hesitation_midrange"), symptom("low_power"), scan(), *half).proposals.first
        self.assertEqual(first.test, "swirl_compare")


class WorthIt(unittest.TestCase):
    def test_what_changes_nothing_is_not_among_the_first(self):
        # an old code, no complaint: the battery and the glow plugs are nobody's question
        job = think(code("P0299"), scan())
        self.assertFalse({"crank_speed", "relative_compression"} & {n.test for n in job.proposals.top(5)})
        self.assertGreaterEqual(len(job.proposals.top(5)), 3)

    def test_of_several_proofs_one_is_asked_for(self):
        job = think(symptom("no_start_cold"), code("P0380"), scan(), engine=SKARN)
        anyway = {c.known.finding.id: c.test.anyway for c in job.proposals.candidates if c.test.anyway > 0.05}
        plugs_read = {f for f in anyway if f in K.proofs_at_part["glow_plugs"]}
        self.assertEqual(len(plugs_read), 1, anyway)

    def test_a_proof_is_made_at_the_part_it_proves(self):
        self.assertEqual(K.proofs_at_part["air_mass_wrong"], frozenset())
        self.assertNotIn("glow_relay.table", K.proofs_at_part["glow_plugs"])
        self.assertIn("hot_retest.hot", K.proofs_at_part["injector_hot_breakdown"])

    def test_what_stops_it_is_known_first(self):
        job = think(symptom("wont_stop"), scan(), engine=VACUUM)
        self.assertEqual(job.proposals.first.test, "stop_lever")
        tried = think(symptom("wont_stop"), scan(), outcome("stop_lever", "stops"), engine=VACUUM)
        self.assertNotIn("stop_lever", [n.test for n in tried.proposals.next_tests])


class Barred(unittest.TestCase):
    """What the vehicle cannot do just now is not asked of it."""

    COMPLAINT = (symptom("hard_start_cold"), symptom("rough_idle"), scan())

    def turning(self, *entries):
        tests = [K.tests[n.test] for n in think(*self.COMPLAINT, *entries).proposals.next_tests]
        return [t for t in tests if t.runs or t.cranks]

    def step(self, name):
        return entry("fit_step", plan="glow_relay", step=name)

    def test_with_the_ground_off(self):
        off = think(*self.COMPLAINT, self.step("ground_off"))
        self.assertTrue(self.turning())
        self.assertEqual(self.turning(self.step("ground_off")), [])
        self.assertFalse([n for n in off.proposals.next_tests if "key_on" in n.access])
        self.assertTrue(any("its ground is off" in x.why for x in off.proposals.left_out))
        self.assertTrue(self.turning(self.step("ground_off"), self.step("ground_on")))

    def test_while_it_soaks(self):
        soak = entry("wait", wait="cold_soak", what="overnight", state="started")
        over = entry("wait", wait="cold_soak", what="overnight", state="ended", ends="e4")
        self.assertEqual(self.turning(soak), [])
        self.assertTrue(self.turning(soak, over))


class Cautions(unittest.TestCase):
    def test_a_brake_find_to_stop_for(self):
        for text, urgency, there in (
            ("Brake pipe joined with a compression fitting", "stop", True),
            ("Brake pipe joined with a compression fitting", "watch", False),
            ("Wheel bolt missing", "stop", False),
        ):
            found = entry("warning", text=text, urgency=urgency)
            self.assertEqual("brakes_first" in think(symptom("low_power"), found).cautions, there, text)


class Ready(unittest.TestCase):
    def test_a_raised_vehicle_saves_the_minutes_of_raising_it(self):
        complaint = [symptom("regen_refused"), code("P2452"), scan()]
        self.assertEqual(
            of(think(*complaint), "dp_hose_look").minutes
            - of(think(*complaint, state("raised")), "dp_hose_look").minutes,
            K.access["raised"].minutes,
        )

    def test_cold_ends_when_the_engine_runs_and_hot_takes_its_place(self):
        job = lambda *e: think(*e).job  # noqa: E731
        self.assertIn("engine_cold", states(job(state("engine_cold")), K))
        self.assertNotIn(
            "engine_cold", states(job(state("engine_cold"), outcome("brake_pedal_feel", "normal")), K)
        )
        self.assertEqual(states(job(state("engine_cold"), state("engine_hot")), K), {"engine_hot"})
        self.assertEqual(states(job(state("raised"), state("raised", False)), K), frozenset())
        self.assertNotIn("running", access_reached(job(outcome("brake_pedal_feel", "normal")), K))

    def test_a_cold_test_comes_forward_while_the_engine_is_cold(self):
        complaint = [symptom("glow_lamp_absent"), symptom("hard_start_cold"), code("P0118")]
        rank = lambda a: [n.test for n in a.proposals.next_tests].index("cold_soak_temps")  # noqa: E731
        warm, cold = think(*complaint), think(*complaint, state("engine_cold"))
        self.assertLessEqual(rank(cold), rank(warm))
        self.assertIn("plan it for the morning", of(warm, "cold_soak_temps").because)
        self.assertNotIn("plan it for the morning", of(cold, "cold_soak_temps").because)

    def test_what_the_customer_cannot_wait_for_is_left_out_with_the_reason(self):
        complaint = [
            symptom("glow_lamp_absent"),
            symptom("hard_start_cold"),
            code("P0118"),
            symptom("coolant_loss"),
            code("P0401"),
        ]
        waiting = think(*complaint, state("customer_waits"))
        self.assertIsNone(of(waiting, "cold_soak_temps"))
        self.assertTrue(all(n.minutes <= 30 for n in waiting.proposals.next_tests))
        why = {x.title: x.why for x in waiting.proposals.left_out}
        self.assertIn("cold engine", why[K.tests["cold_soak_temps"].title])
        self.assertIn("the customer waits", why[K.tests["egr_cooler_look"].title])

    def test_without_the_tool_the_test_is_left_out(self):
        complaint = [symptom("low_power"), symptom("black_smoke"), code("P0299")]
        self.assertIsNotNone(of(think(*complaint), "boost_leak"))
        lacking = think(*complaint, own=Experience(lacking=frozenset({"smoke"})))
        self.assertIsNone(of(lacking, "boost_leak"))
        self.assertIn(
            "smoke or pressure tester",
            next(x.why for x in lacking.proposals.left_out if x.title == K.tests["boost_leak"].title),
        )

    def test_one_cover_pays_for_several_tests(self):
        told = [
            n
            for n in think(symptom("wont_stop"), engine=VACUUM).proposals.next_tests
            if n.along and "engine_cover_off" in n.access
        ]
        self.assertTrue(told)
        self.assertIn("Engine cover off pays for more", told[0].because)
        after = think(symptom("wont_stop"), outcome("vacuum_look", "sound"), engine=VACUUM)
        self.assertFalse(
            [
                n
                for n in after.proposals.next_tests
                if "pays for more" in n.because and "Engine cover" in n.because
            ]
        )


class WithAPieceMissing(unittest.TestCase):
    def test_nothing_that_cranks_or_runs_it_is_proposed_while_a_piece_is_missing(self):
        complaint = [symptom("hard_start_cold"), scan()]
        short = entry("piece", name="tip", went="cylinder", now="recovered", length_mm=26, whole_mm=28)
        turns = lambda a: [  # noqa: E731
            n.test for n in a.proposals.next_tests if K.tests[n.test].cranks or K.tests[n.test].runs
        ]
        self.assertTrue(turns(think(*complaint)))
        held_back = think(*complaint, short)
        self.assertEqual(turns(held_back), [])
        self.assertIn("2 mm of tip", " ".join(x.why for x in held_back.proposals.left_out))


class Stopping(unittest.TestCase):
    def test_before_you_buy_is_the_cheapest_test_that_could_still_clear_it(self):
        a = think(
            symptom("overboost"),
            symptom("limp_mode"),
            code("P0234"),
            scan(),
            engine={**MODERN, "turbo": "vgt_vacuum"},
        )
        buy = a.proposals.before_you_buy
        self.assertEqual((buy.test.test, buy.outcome), ("linkage_free", "free"))
        self.assertLess(buy.odds_after, a.suspicion.suspects[0].probability / 3)

    def test_it_says_when_it_is_sure_enough_and_when_not(self):
        sure = think(
            symptom("restart_countdown"), code("P207F"), scan(), reading("def_concentration", 24, "percent")
        )
        self.assertTrue(sure.proposals.sure.enough)
        self.assertRegex(
            sure.proposals.stop_rule,
            r"^Sure enough: \d+ % that it needs .* alone; being wrong is expected to cost \d+ min",
        )
        unsure = think(symptom("low_power"), code("P0101"), scan())
        self.assertFalse(unsure.proposals.sure.enough)
        self.assertRegex(
            unsure.proposals.stop_rule,
            r"^Not yet: .* The next test takes \d+ min.* and is expected to save \d+ min",
        )

    def test_swings_go_both_ways(self):
        swings = think(symptom("low_power"), symptom("boost_hiss"), code("P0299"), scan()).proposals.swings(
            "boost_hose_split"
        )
        now = 0.7
        self.assertTrue(any(s.odds_after > now for s in swings) and any(s.odds_after < 0.3 for s in swings))
        self.assertTrue(all(0 < s.chance <= 1 for s in swings))


class Patterns(unittest.TestCase):
    COMPLAINT = (symptom("limp_mode"), symptom("low_power"), code("P2263"), scan())

    def test_a_pattern_moves_the_odds_and_is_named(self):
        plain, led = (
            think(*self.COMPLAINT),
            think(*self.COMPLAINT, own=Experience((pattern("turbo_actuator_motor", 4.0),))),
        )
        odds = lambda a: next(s for s in a.suspicion.suspects if s.fault == "turbo_actuator_motor")  # noqa: E731
        self.assertGreater(odds(led).probability, 2 * odds(plain).probability)
        moved = next(m for m in odds(led).speaks_for if m.pattern)
        self.assertIn("four of the last five", moved.because)
        self.assertIn("Sunniva", moved.because)

    def test_a_pattern_counts_on_its_own_engine_only(self):
        other = think(
            *self.COMPLAINT,
            engine={**MODERN, "name": "Another"},
            own=Experience((pattern("turbo_actuator_motor", 4.0),)),
        )
        self.assertFalse(any(e.pattern for e in other.evidence))

    def test_patterns_are_capped_together(self):
        led = think(
            *self.COMPLAINT, own=Experience(tuple(pattern("turbo_actuator_motor", 5.0, n) for n in range(4)))
        )
        self.assertEqual(
            next(e for e in led.evidence if e.pattern).factors, {"turbo_actuator_motor": MOST_TIMES}
        )

    def test_experience_never_hides_the_proof_test(self):
        # Dropouts decide between connector and injector; a pattern must not settle that by itself.
        complaint = (symptom("misfire_intermittent"), code("P0203"), scan())
        led = think(*complaint, own=Experience((pattern("injector_connector_fretted", 5.0),)))
        self.assertGreater(led.suspicion.suspects[0].probability, 0.75)
        self.assertTrue({"wiggle", "terminal_fit"} & {n.test for n in led.proposals.next_tests})
        self.assertFalse(led.proposals.sure.enough)


class Explained(unittest.TestCase):
    def test_a_group_of_findings_at_odds_names_what_to_repeat(self):
        a = think(
            symptom("hard_start_cold"),
            meter(),
            *[reading("glow_current", 11.0, "A", {"after_s": 10}, cylinder=c) for c in range(1, 5)],
            reading("glow_resistance", "OL", "ohm", point="plug", cylinder=2),
        )
        self.assertRegex(
            a.suspicion.conflicts[0].because,
            r"No fault, nor three together, explains both: .* (Repeat first|Ask again): ",
        )

    def test_the_trail_ends_at_the_odds(self):
        a = think(symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.02, 1.01]), scan())
        for fault in ("glow_plugs_open", "glow_harness_open", "unlisted"):
            steps = a.suspicion.trail_of(fault)
            self.assertEqual(len(steps), len(a.evidence) + 1)
            self.assertAlmostEqual(
                steps[-1].odds,
                next(s.probability for s in a.suspicion.suspects if s.fault == fault),
                places=3,
            )

    def test_the_odds_of_a_part_are_those_of_any_of_its_faults(self):
        a = think(symptom("hard_start_cold"), code("P0672"), meter(), *plugs([1.0, "OL", 1.02, 2.8]))
        odds, s = part_odds(a), {x.fault: x.probability for x in a.suspicion.suspects}
        own = [s[f] for f in K.parts["glow_plugs"].faults]
        self.assertGreaterEqual(odds["glow_plugs"], max(own) - 1e-9)
        self.assertLessEqual(odds["glow_plugs"], sum(own) + 1e-9)
        self.assertAlmostEqual(odds["battery"], s["battery_weak"])


class OnThePlan(unittest.TestCase):
    def part(self, key, *entries, engine=MODERN):
        return next((p for p in plan(think(*entries, engine=engine)) if p.id == key), None)

    def test_heat_goes_to_the_cylinder(self):
        p = self.part("glow_plugs", symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.02, 1.01]))
        self.assertEqual([c.warmth for c in p.cylinders], [0, 4, 0, 0])
        self.assertEqual([c.cleared for c in p.cylinders], [True, False, True, True])
        self.assertEqual(p.verdict, "failed")

    def test_a_code_names_its_cylinder(self):
        p = self.part("injectors", symptom("misfire_intermittent"), code("P0203"), scan())
        self.assertEqual([c.codes for c in p.cylinders], [(), (), ("P0203",), ()])
        self.assertGreater(p.cylinders[2].warmth, p.cylinders[0].warmth)

    def test_a_part_frosts_over_when_it_is_cleared(self):
        complaint = [symptom("low_power"), code("P0299"), scan()]
        self.assertFalse(self.part("air_filter", *complaint).cleared)
        self.assertTrue(self.part("air_filter", *complaint, outcome("air_filter_look", "clean")).cleared)

    def test_a_finding_belongs_to_the_part_it_names(self):
        entries = [symptom("limp_mode"), outcome("actuator_sweep", "dead_spot", node="turbo actuator")]
        self.assertEqual(self.part("turbo_actuator", *entries).verdict, "failed")
        self.assertEqual(self.part("egr_valve", *entries).verdict, "")

    def test_what_the_card_rules_out_is_not_on_the_plan_and_what_it_does_not_say_is_marked(self):
        self.assertIsNone(self.part("scr", symptom("low_power"), engine=VACUUM))
        self.assertFalse(self.part("scr", symptom("low_power"), engine=SKARN).on_card)
        self.assertTrue(self.part("scr", symptom("low_power")).on_card)

    def test_every_part_opens_a_test(self):
        for p in plan(think(symptom("low_power"))):
            self.assertIn(p.test, K.tests, p.id)
