"""Exercises: the same number is the same vehicle; what is not reached reads nothing; wrong parts cost; what a
caution would have held ends it; and what is said afterwards."""

import json
import unittest
from functools import cache

from frosty_piston.core.errors import BadInput
from frosty_piston.knowledge import load_knowledge
from frosty_piston.knowledge.training_shapes import LESSONS
from frosty_piston.rig.drawn_recordings import SLOWEST_S
from frosty_piston.rig.technician import proposed, thought
from frosty_piston.training.exercise import (
    DRIVE_TICKS,
    ENDS_WHEN_STARTED,
    MOST_ACTS,
    NO_CARD,
    TELLS_NOTHING_OF,
    Spec,
    bad_cylinders,
    begin,
    do,
    offered,
    play,
)
from frosty_piston.training.looking_back import look_back, make_test, named_test, tape_of
from frosty_piston.training.trainee import trained

K = load_knowledge()
RATE = 6000
RELAY, HEALTHY, HARNESS, FRETTED, TWO = 2, 7, 107, 33, 4
LOSES_A_WASHER, WEAK_BRAKES, RUNS_ON, HOT_BREAKDOWN = 386, 50, 19, 3
SCAN, DRIVE = {"act": "scan"}, {"act": "drive", "ticks": list(DRIVE_TICKS)}


def reach(*what):
    return [{"act": "reach", "access": a} for a in what]


def fit(repair, option=None, parts=12000, minutes=30.0, **more):
    options = K.repairs[repair].options
    one = options[option] if option else next(o for o in options.values() if not o.shape.temporary)
    return {
        "act": "fit",
        "option": one.id,
        "repair": repair,
        "sure": "80",
        "parts": parts,
        "minutes": minutes,
        "ticks": list(K.cautions),
        **more,
    }


def bay(number, *acts, **spec):
    return play(Spec(number, **spec), acts, K, RATE)


@cache
def back(number, acts):
    return look_back(Spec(number, "off"), json.loads(acts), K, RATE)


def looked(number, *acts):
    return back(number, json.dumps(acts))


class Draws(unittest.TestCase):
    def test_every_lesson_gives_a_vehicle_of_its_kind(self):
        for key, lesson in K.training.lessons.items():
            with self.subTest(key):
                spec = Spec(5 * LESSONS + lesson.number)
                self.assertEqual(spec.lesson(K)[0], key)
                vehicle = spec.vehicle(K)
                if lesson.count is not None:
                    self.assertEqual(len(vehicle.faults), lesson.count)
                if lesson.faults:
                    self.assertLessEqual(set(vehicle.faults), set(lesson.faults))
                if lesson.system and vehicle.faults:
                    self.assertEqual({K.fault_system[f] for f in vehicle.faults}, {lesson.system})
                if lesson.cleared:
                    self.assertEqual([e["kind"] for e in vehicle.scan], ["code_scan"])
                    self.assertIn("context", [e["kind"] for e in vehicle.arrival])
                if lesson.altitude_m is not None:
                    self.assertEqual(vehicle.condition.altitude_m, lesson.altitude_m)

    def test_a_number_of_no_lesson_and_a_card_that_cannot_have_it_are_refused_where_they_were_typed(self):
        with self.assertRaises(BadInput) as refused:
            begin(Spec(LESSONS - 1), K, RATE)
        self.assertEqual(refused.exception.faults[0].path, "number")
        plain = dict(Spec(RUNS_ON).vehicle(K).engine)
        modern = dict(Spec(RELAY + 31).vehicle(K).engine)
        with self.assertRaises(BadInput) as refused:
            begin(Spec(RUNS_ON, card={**plain, "stop": modern.get("stop", "electric")}), K, RATE)
        self.assertEqual(refused.exception.faults[0].path, "card")

    def test_the_same_number_and_the_same_acts_read_the_same_and_another_vehicle_does_not(self):
        acts = [SCAN, {"act": "test", "test": "battery_rest"}, {"act": "test", "test": "battery_rest"}]
        one, same, other = bay(RELAY, *acts), bay(RELAY, *acts), bay(RELAY + LESSONS, *acts)
        self.assertEqual(one.written, same.written)
        self.assertNotEqual(one.written, other.written)
        self.assertNotEqual(one.written[2], one.written[3], "a meter reads a little differently each time")

    def test_an_act_between_changes_no_reading(self):
        test = {"act": "test", "test": "battery_rest"}
        self.assertEqual(
            bay(RELAY, test).written[-1], bay(RELAY, SCAN, *reach("engine_cover_off"), test).written[-1]
        )

    def test_a_card_that_is_missing_hides_its_limits_and_nothing_that_can_be_seen(self):
        hidden, known = bay(RELAY, card_known=False).card, bay(RELAY).card
        self.assertEqual(hidden.name, NO_CARD)
        for name in TELLS_NOTHING_OF:
            self.assertNotIn(name, hidden.model_dump(exclude_none=True, exclude_defaults=True))
        self.assertEqual((hidden.cylinders, hidden.glow), (known.cylinders, known.glow))


class Acts(unittest.TestCase):
    def refused(self, state, act, path):
        before = (state.minutes, len(state.acts), set(state.off), state.money, state.hot)
        with self.assertRaises(BadInput) as error:
            do(state, act)
        self.assertEqual((state.minutes, len(state.acts), state.off, state.money, state.hot), before)
        self.assertEqual(error.exception.faults[0].path if error.exception.faults else "", path)

    def test_what_cannot_be_done_changes_nothing_and_says_what_first(self):
        state = bay(RELAY)
        plug = {"act": "test", "test": "glow_resistance", "point": "plug"}
        for act, path in (
            ({"act": "fly"}, "act"),
            ({"act": "reach", "access": "moon"}, "access"),
            ({"act": "reach", "access": "running"}, "access"),
            ({"act": "back", "access": "engine_cover_off"}, "access"),
            ({"act": "test", "test": "moon"}, "test"),
            ({"act": "test", "test": "battery_rest", "point": "plug"}, "test"),
            (plug, "test"),
            (fit("glow_plugs", sure="9"), "sure"),
            (fit("glow_plugs", sure="100"), "sure"),
            (fit("glow_plugs", sure="very"), "sure"),
            (fit("glow_plugs", ticks=[]), "ticks"),
            ({**fit("glow_plugs"), "option": "moon"}, "option"),
            ({"act": "drive"}, "ticks"),
            ({"act": "sure", "repair": "moon", "sure": "50"}, "repair"),
            ({"act": "done"}, "sure"),
        ):
            with self.subTest(act):
                self.refused(state, act, path)
        with self.assertRaises(BadInput) as error:
            do(state, plug)
        self.assertIn("engine cover off", error.exception.faults[0].says.lower())
        for act in (*reach("engine_cover_off"), plug):
            do(state, act)
        readings = [e["data"] for e in state.written[-1]]
        self.assertEqual({r["where"]["point"] for r in readings}, {"plug"})
        self.assertEqual({r["unit"] for r in readings}, {"ohm"})

    def test_a_test_takes_its_own_minutes_and_what_comes_off_takes_its_own(self):
        state = bay(RELAY, *reach("engine_cover_off"))
        cover = K.access["engine_cover_off"].minutes
        self.assertEqual(state.minutes, cover)
        one = next(o for o in offered(state) if o.where == {"point": "plug"})
        make_test(state, one)
        self.assertAlmostEqual(state.minutes, cover + one.minutes)
        do(state, {"act": "back", "access": "engine_cover_off"})
        self.assertAlmostEqual(state.minutes, 2 * cover + one.minutes)
        self.assertNotIn("engine_cover_off", state.off)

    def test_what_is_read_hot_waits_for_the_heat_and_what_is_read_cold_for_the_morning(self):
        state = bay(HOT_BREAKDOWN)
        self.assertTrue(state.hot and not state.cold)
        before = state.minutes
        do(state, *reach("engine_cold"))
        self.assertTrue(state.cold and not state.hot)
        self.assertEqual(state.minutes, before, "standing overnight is not work")
        self.assertGreater(state.passed, 600 - 1)
        self.refused(state, {"act": "test", "test": "hot_retest"}, "test")
        self.refused(state, *reach("engine_cold"), "access")
        do(state, *reach("engine_hot"))
        self.assertTrue(state.hot and not state.cold)
        self.refused(state, *reach("engine_hot"), "access")

    def test_a_test_that_runs_the_engine_leaves_it_no_longer_cold(self):
        state = bay(HOT_BREAKDOWN, *reach("engine_cold"))
        make_test(state, next(o for o in offered(state) if o.test == "warm_up"))
        self.assertFalse(state.cold)

    def test_every_test_of_the_vocabulary_can_be_made_on_some_vehicle(self):
        made = set()
        for number in (1, 3, 5 * LESSONS + 2, RUNS_ON + 4 * LESSONS, HEALTHY + LESSONS, 20, 21):
            state = begin(Spec(number), K, RATE)
            for one in offered(state):
                if one.test in made:
                    continue
                fresh = begin(Spec(number), K, RATE)
                try:
                    make_test(fresh, one)
                except BadInput:
                    continue
                if fresh.tests and (fresh.written[-1] or len(fresh.acts) in fresh.recordings):
                    made.add(one.test)
        self.assertEqual(set(K.tests) - made, set())

    def test_a_recording_is_looked_at_and_nothing_is_written_for_it(self):
        made = {}
        for number in (HOT_BREAKDOWN, HARNESS):
            for one in offered(begin(Spec(number), K, RATE)):
                fresh = begin(Spec(number), K, RATE)
                if one.test in ("boost_trace", "egr_air_change", "actuator_sweep"):
                    make_test(fresh, one)
                    made |= {one.test: fresh}
        self.assertIn("boost_trace", made)
        for state in made.values():
            if state.recordings:
                (_, channels) = state.recordings[len(state.acts)]
                self.assertEqual(state.written[-1], [])
                for signal in channels.values():
                    self.assertLessEqual(signal.step_s, SLOWEST_S)
                    self.assertGreater(len(signal.values), 50)

    def test_what_goes_on_from_a_state_leaves_it_as_it_was(self):
        state = bay(RELAY, SCAN, *reach("engine_cover_off"))
        before = (state.minutes, list(state.acts), list(state.written), set(state.off), state.ended)
        further = state.copied()
        for act in (fit("glow_plugs"), {"act": "back", "access": "engine_cover_off"}, {"act": "give_up"}):
            do(further, act)
        self.assertEqual(
            (state.minutes, state.acts, state.written, state.off, state.ended, state.fitted), (*before, [])
        )
        again = play(state.spec, further.acts, K, RATE)
        self.assertEqual(
            (again.written, again.money, again.says), (further.written, further.money, further.says)
        )

    def test_an_exercise_has_an_end(self):
        state = bay(RELAY)
        for _ in range(MOST_ACTS):
            do(state, SCAN)
        with self.assertRaises(BadInput):
            do(state, SCAN)
        do_not = bay(RELAY, {"act": "give_up"})
        self.assertEqual(do_not.ended, "given_up")
        with self.assertRaises(BadInput):
            do(do_not, SCAN)

    def test_suspects_are_looked_at_by_the_help_there_is(self):
        for help_, looks in (("on_request", 2), ("on", 0)):
            self.assertEqual(bay(RELAY, {"act": "look"}, {"act": "look"}, help=help_).looks, looks)
        with self.assertRaises(BadInput):
            bay(RELAY, {"act": "look"}, help="off")

    def test_it_is_asked_once_the_codes_are_read_and_after_every_three_tests(self):
        state = bay(RELAY)
        self.assertFalse(state.asks)
        do(state, SCAN)
        self.assertTrue(state.asks)
        do(state, {"act": "sure", "repair": "", "sure": "50"})
        for n, asked in ((1, False), (2, False), (3, True)):
            do(state, {"act": "test", "test": "battery_rest"})
            self.assertEqual(state.asks, asked, n)


class Parts(unittest.TestCase):
    def test_the_wrong_part_costs_and_cures_nothing_and_the_right_one_cures(self):
        state = bay(RELAY, fit("glow_plugs", parts=12345, minutes=30.0))
        self.assertEqual(state.parts_money, 12300, "to the whole coin")
        self.assertEqual(state.money, 12300 + RATE // 2)
        self.assertFalse(state.fitted[0].right)
        self.assertTrue(state.vehicle.faults)
        for n in range(4):
            do(state, fit("glow_relay" if "glow_relay" in K.repairs else K.repair_of["glow_relay_contacts"]))
            if not state.vehicle.faults:
                break
            self.assertLess(n, 3, "a part that takes nine times in ten did not take in four")
        self.assertTrue(state.fitted[-1].right)
        self.assertEqual([(s.percent, s.right) for s in state.sure][:2], [(80, False), (80, True)])
        do(state, DRIVE)
        self.assertIn("Nothing of the complaint", state.says[-1])

    def test_failed_parts_only_cures_where_the_failed_ones_were_changed(self):
        vehicle = Spec(97).vehicle(K)
        self.assertEqual(vehicle.faults, ("injector_connector_fretted",))
        bad = sorted(bad_cylinders(vehicle, vehicle.faults[0]))
        self.assertEqual(bad, [1])
        repair = K.repair_of["injector_connector_fretted"]
        failed = [o.id for o in K.repairs[repair].options.values() if o.shape.pieces == "failed"]
        for option in failed:
            self.assertFalse(bay(97, fit(repair, option, cylinders=[2])).fitted[0].right)
            self.assertTrue(bay(97, fit(repair, option, cylinders=[1, 2])).fitted[0].right)
        plugs = next(n for n in range(11, 9999, 32) if self._of(n) == ("glow_plugs_open",))
        vehicle = Spec(plugs).vehicle(K)
        bad = sorted(bad_cylinders(vehicle, "glow_plugs_open"))
        others = [c for c in range(1, vehicle.condition.cylinders + 1) if c not in bad]
        option = next(o.id for o in K.repairs["glow_plugs"].options.values() if o.shape.pieces == "failed")
        for cylinders, right in ((bad, True), (bad[1:] + others, False), (bad + others, True)):
            self.assertEqual(
                bay(plugs, fit("glow_plugs", option, cylinders=cylinders)).fitted[0].right, right
            )

    def _of(self, number):
        try:
            return Spec(number).vehicle(K).faults
        except BadInput:
            return ()


class Endings(unittest.TestCase):
    def ends(self, state, act, ending):
        do(state, act)
        self.assertEqual(state.ended, ending)
        self.assertEqual(state.says[-1], K.training.endings[ending].says)
        self.assertIn(K.training.endings[ending].caution, K.cautions)
        with self.assertRaises(BadInput):
            do(state, SCAN)

    def test_started_with_a_piece_in_the_bore(self):
        state = bay(LOSES_A_WASHER, *reach("intake_off"))
        self.assertEqual(state.piece, "tray")
        self.assertIn("missing from the tray", state.says[-1])
        do(state, {"act": "back", "access": "intake_off"})
        for act in (DRIVE, {"act": "test", "test": "battery_crank"}):
            fresh = play(state.spec, state.acts, K, RATE)
            self.ends(fresh, act, "piece")
        before = state.minutes
        do(state, {"act": "search"})
        self.assertEqual((state.piece, state.minutes), ("", before + K.training.pieces["tray"].minutes))
        with self.assertRaises(BadInput):
            do(state, {"act": "search"})
        do(state, DRIVE)
        self.assertEqual(state.ended, "")

    def test_a_tip_that_breaks_off_is_found_before_it_is_started(self):
        state = bay(RELAY, fit("glow_plugs", snaps=1.0))
        self.assertEqual(state.piece, "tip")
        self.ends(play(state.spec, state.acts, K, RATE), DRIVE, "piece")
        self.assertEqual(bay(RELAY, fit("glow_plugs", snaps=0.0)).piece, "")

    def test_started_with_something_open(self):
        for off, ending in ENDS_WHEN_STARTED.items():
            with self.subTest(off):
                state = bay(RELAY, *reach(off))
                if state.piece:
                    do(state, {"act": "search"})
                self.ends(state, DRIVE, ending)

    def test_driven_with_a_hard_pedal(self):
        self.ends(bay(WEAK_BRAKES), DRIVE, "brakes")

    def test_started_where_nobody_knows_what_stops_it(self):
        state = bay(RUNS_ON)
        self.ends(play(state.spec, (), K, RATE), DRIVE, "no_stop")
        lever = next(o for o in offered(state) if o.test == "stop_lever")
        make_test(state, lever)
        do(state, DRIVE)
        self.assertIn(state.ended, ("", "brakes"))


class Afterwards(unittest.TestCase):
    def test_what_each_test_told_the_way_of_the_proposals_and_the_best(self):
        acts = trained(Spec(RELAY, "off"), K, RATE)
        r = looked(RELAY, *acts)
        self.assertEqual(r.faults, ("glow_relay_contacts",))
        self.assertEqual(r.lesson, "relay_clicks")
        self.assertEqual(r.minutes, by_hand_minutes(RELAY, acts))
        tests = [s for s in r.steps if s.test]
        self.assertEqual(len(tests), r.tests)
        self.assertTrue(any(s.told for s in tests))
        for s in r.steps:
            self.assertEqual(s.told, abs(s.after - s.before) >= 0.02)
        self.assertTrue(r.proposals.right)
        self.assertGreater(r.proposals.minutes, 0)
        self.assertIsNotNone(r.best)
        self.assertLessEqual(r.best.minutes, r.proposals.minutes)
        self.assertLessEqual(len(r.best.steps), 2)

    def test_the_best_way_is_enough_and_no_single_test_is_quicker(self):
        r = looked(RELAY, SCAN, {"act": "give_up"})
        state = bay(RELAY, SCAN)
        by_title = {o.title: o for o in offered(state)}
        for title in r.best.steps:
            make_test(state, by_title[title])
        self.assertAlmostEqual(state.minutes, r.best.minutes)
        self.assertGreaterEqual(odds_of(state, "glow_relay_contacts"), 0.8)

    def test_a_wrong_part_is_what_to_learn_from_and_its_money_is_said(self):
        r = looked(RELAY, SCAN, fit("glow_plugs"), {"act": "give_up"})
        self.assertEqual(len(r.wrong_parts), 1)
        self.assertEqual(r.wrong_money, 12000 + RATE // 2)
        self.assertIn("would have told", r.learn)
        self.assertEqual(r.early, (f"80 % after 0 tests: {K.repairs['glow_plugs'].title.lower()}",))
        self.assertTrue(r.shelf.startswith("tests/"))
        self.assertIn(r.shelf.removeprefix("tests/"), K.tests)

    def test_sure_too_early_and_on_for_too_long(self):
        wrong = {"act": "sure", "repair": "glow_plugs", "sure": "90"}
        mend = fit(K.repair_of["glow_relay_contacts"])
        cured = [SCAN, wrong, mend, DRIVE, {"act": "done", "sure": "90"}]
        r = looked(RELAY, *cured)
        self.assertTrue(r.cured)
        self.assertTrue(r.learn.startswith("Sure too early"), r.learn)
        right = {"act": "sure", "repair": K.repair_of["glow_relay_contacts"], "sure": "90"}
        more = [{"act": "test", "test": t} for t in ("battery_rest", "battery_crank", "oil_condition")]
        r = looked(RELAY, SCAN, right, *more, mend, DRIVE, {"act": "done", "sure": "90"})
        self.assertEqual((r.long, r.early), (3, ()))
        self.assertIn("3 tests more", r.learn)

    def test_what_was_left_in_it_is_said(self):
        r = looked(TWO, SCAN, {"act": "done", "sure": "70"})
        self.assertFalse(r.cured)
        self.assertEqual(r.learn, K.training.lessons["two"].learn)
        r = looked(11 + 3 * LESSONS, SCAN, {"act": "done", "sure": "70"})
        self.assertIn("was left", r.learn)

    def test_nothing_wrong_with_it_is_right_to_say(self):
        r = looked(HEALTHY, SCAN, {"act": "done", "sure": "90"})
        self.assertEqual((r.faults, r.cured, r.best), ((), True, None))
        self.assertEqual(r.sure, ((0.9, True),))
        self.assertAlmostEqual(r.score, 0.01)
        r = looked(HEALTHY, SCAN, fit("glow_plugs"), {"act": "done", "sure": "90"})
        self.assertEqual(len(r.wrong_parts), 1)
        self.assertFalse(r.learn.startswith("Nothing to mend"))

    def test_an_end_by_a_caution_comes_before_everything_else(self):
        r = looked(WEAK_BRAKES, SCAN, fit("glow_plugs"), DRIVE)
        self.assertEqual(r.learn, K.training.endings["brakes"].learn)
        self.assertEqual((r.ended, r.shelf), ("brakes", "cautions"))

    def test_what_it_says_points_at_a_page_that_is_there(self):
        for lesson in K.training.lessons.values():
            kind, _, key = lesson.shelf.partition("/")
            if key:
                self.assertIn(key, {"faults": K.faults, "tests": K.tests}[kind])

    def test_the_demo_s_trainee_goes_to_the_end(self):
        for number in (RELAY, HARNESS, HEALTHY):
            acts = trained(Spec(number, "off"), K, RATE)
            self.assertEqual(bay(number, *acts, help="off").ended, "done")


def by_hand_minutes(number, acts):
    return bay(number, *acts, help="off").minutes


def odds_of(state, fault):
    return thought(state.vehicle, tape_of(state), K).suspicion.repairs_needed[K.repair_of[fault]]


class Proposed(unittest.TestCase):
    def test_what_nothing_would_still_bring_does_not_keep_the_search_going(self):
        """A relay that is certain, and a stumble in the middle of the revs that it does not explain."""
        state, looked_further = bay(130, SCAN), False
        state.by_hand = True
        for _ in range(12):
            assessed = thought(state.vehicle, tape_of(state), K)
            step = proposed(assessed)
            if step is None:
                break
            certain = next(iter(assessed.suspicion.repairs_needed.values())) > 0.99
            if certain and assessed.suspicion.left_to_explain:
                looked_further = True
            make_test(state, named_test(state, *step))
        self.assertTrue(looked_further, "it looks for what else there may be")
        self.assertIsNone(step, "and comes to an end")
        self.assertTrue(assessed.suspicion.unexplained_findings)
        self.assertEqual(assessed.suspicion.left_to_explain, ())
        self.assertTrue(assessed.proposals.first, "although there are tests that it could make")

    def test_a_test_that_is_proposed_is_found_among_those_that_can_be_made(self):
        state = bay(RELAY, SCAN)
        self.assertEqual(named_test(state, "glow_resistance", {"point": "plug"}).where, {"point": "plug"})
        self.assertEqual(named_test(state, "battery_rest", {}).test, "battery_rest")
        self.assertIsNone(named_test(state, "moon", {}))


if __name__ == "__main__":
    unittest.main()
