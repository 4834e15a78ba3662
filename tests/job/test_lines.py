"""What several tests from afar say of one line, a plug with its wire: its state is drawn once."""

import unittest
from types import SimpleNamespace

import numpy as np

from frosty_piston.core.quantity import Judgement
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.judging.result import Result
from frosty_piston.job.tape.jobfile import check
from frosty_piston.job.weighing.lines import MOST, look_of_sign, look_of_test, read_together, to_come
from frosty_piston.knowledge import load_knowledge
from tests.cases import MODERN, SKARN, code, entry, job_file, meter, outcome, plugs, reading, scan, symptom

K = load_knowledge()
FOUR = {**SKARN, "cylinders": 4, "glow_control": "relay_module"}
# Of a wire that is cut in half of the cases and green in the other half: what three tests come to.
STATES = {"wire": {"open": 0.5, "high": 0.5, "sound": 0.0}}
ROWS = {"open": [0.1, 0.1, 0.8], "high": [0.1, 0.8, 0.1], "sound": [0.9, 0.05, 0.05]}


def judged(test, verdict, **where):
    return Result(test, where, Judgement(verdict, verdict, None, unit=None, uncertainty=None, because=""), ())


def look(test, outcome, bad, read=(1, 2, 3, 4), weight=1.0, rows=ROWS, part="line"):
    finding = SimpleNamespace(outcomes=("sound", "high", "open"))
    known = SimpleNamespace(
        test=test,
        finding=finding,
        by_state={s: np.array(row) for s, row in rows.items()},
        shape=SimpleNamespace(part=part),
    )
    here = [judged(test, "failed" if c in bad else "sound", cylinder=c) for c in read]
    return look_of_test(test, known, outcome, weight, here, (f"{test}-1",))


def together(*looks, known=None):
    return list(read_together(SimpleNamespace(lines={"line": STATES}), [x for x in looks if x], known or {}))


class OneState(unittest.TestCase):
    def test_by_hand(self):
        # both high: (0.1*0.1 + 0.8*0.8)/2 = 0.325, over the square of (0.1 + 0.8)/2 = 0.2025; one high, one
        # open: (0.1*0.8 + 0.8*0.1)/2 = 0.08 over 0.2025
        for second, times in (("high", 0.325 / 0.2025), ("open", 0.08 / 0.2025)):
            found = together(look("ohms", "high", {3}), look("clamp", second, {3}))
            self.assertAlmostEqual(found[0].times["wire"], times)
        # a second look that is only half of what must be read: its chances count by their root
        half = together(look("ohms", "high", {3}), look("clamp", "high", {3}, weight=0.5))
        whole, root = 0.45, (0.1**0.5 + 0.8**0.5) / 2
        self.assertAlmostEqual(half[0].times["wire"], (0.1 * 0.1**0.5 + 0.8 * 0.8**0.5) / 2 / (whole * root))

    def test_one_witness_of_a_state_that_leaves_no_choice(self):
        # cut or green by halves it is high in 0.45, green in 0.8
        found = together(look("ohms", "high", {3}), known={"line": "high"})
        self.assertAlmostEqual(found[0].times["wire"], 0.8 / 0.45)

    def test_never_more_than_so_many_times(self):
        sharp = {"open": [1e-6, 1e-6, 1.0], "high": [1e-6, 1.0, 1e-6], "sound": [1.0, 1e-6, 1e-6]}
        apart = together(look("ohms", "high", {3}, rows=sharp), look("clamp", "open", {3}, rows=sharp))
        self.assertEqual(apart[0].times["wire"], 1 / MOST)

    def test_only_of_the_same_lines(self):
        for looks in (
            [look("ohms", "high", {3})],
            [look("ohms", "high", {3}), look("ohms", "high", {3})],
            [look("ohms", "high", {3}), look("clamp", "high", {2})],
            [look("ohms", "high", {3}), look("clamp", "sound", (), read=(1, 2, 4))],
            [look("ohms", "sound", (), weight=0.5), look("clamp", "sound", (), weight=0.5)],
            [look("ohms", "high", {3}), look("clamp", "all_high", {1, 2, 3, 4})],
            [look("ohms", "high", {3}), look("clamp", "high", {3}, part="another")],
            [look("ohms", "high", {3}), look("clamp", "high", {3}, rows={})],
        ):
            self.assertEqual(together(*looks), [])
        self.assertEqual(len(together(look("ohms", "high", {3}), look("lamp", "sound", ()))), 1)
        self.assertEqual(len(together(look("ohms", "sound", ()), look("lamp", "sound", ()))), 1)


class Hoses(unittest.TestCase):
    """A hose between pump, booster and stop fails both; one on a branch neither."""

    VACUUM_STOP = {**SKARN, "stop": "vacuum", "vacuum_pump": True}

    def odds(self, *entries):
        file = job_file(*entries, engine=self.VACUUM_STOP)
        return {x.fault: x.probability for x in Assessed(job_of(check(file, K)), K).suspicion.suspects}

    def sign(self, finding, outcome, weight=1.0):
        return look_of_sign(K, finding, "vacuum_hose", "a sign", outcome, weight, ("e1",))

    def test_a_symptom_as_a_look(self):
        seen, absent = (self.sign("symptom.wont_stop", outcome) for outcome in ("seen", "not_seen"))
        for state in ("main", "branch", "sound"):
            self.assertAlmostEqual(seen.chances[state] + absent.chances[state], 1)
        self.assertIsNone(self.sign("symptom.engine_lamp", "seen"))
        half = self.sign("symptom.wont_stop", "seen", 0.5)
        self.assertAlmostEqual(half.chances["main"] ** 2, seen.chances["main"])

    def test_a_good_pedal_clears_the_hoses_of_a_stop_that_fails(self):
        wont = symptom("wont_stop")
        alone, hard, normal = (
            self.odds(wont, *more)
            for more in ((), [outcome("brake_pedal_feel", "hard")], [outcome("brake_pedal_feel", "normal")])
        )
        for fault in ("vacuum_hose_off", "vacuum_hose_leak"):
            self.assertLess(normal[fault], alone[fault] / 2)
            self.assertGreater(hard[fault], alone[fault])
        self.assertGreater(hard["vacuum_pump_weak"], hard["stop_line_leak"] * 2)


class SensorPlugs(unittest.TestCase):
    """The plug of a sensor: when its feed is there and its data pair is right, little of it is left."""

    BEFORE = (symptom("emissions_message"), code("U029D"), scan())
    FEED = entry(
        "outcome",
        test="supply_pins",
        where={"node": "nox_sensor"},
        figures={"supply_v": 12.2, "ground_v": 0.03},
    )

    def known(self, name):
        return K.findings_by_id[name]

    def test_what_one_wire_leaves_the_other_finds(self):
        data, feed = self.known("network_pins.NOx sensor"), self.known("supply_pins.NOx sensor")
        fault, bad = "nox_sensor_supply", data.finding.outcomes.index("open_or_short")
        fresh = to_come(K, data, [])
        after = to_come(K, data, [(feed.finding.id, "present")])
        self.assertIs(fresh, data.finding)
        self.assertGreater(after.shows[fault][bad], 1.5 * fresh.shows[fault][bad])
        found = to_come(K, data, [(feed.finding.id, "missing")])
        self.assertLess(found.shows[fault][bad], 0.3 * fresh.shows[fault][bad])

    def test_both_right_is_less_than_each_by_itself(self):
        states = K.lines["nox_plug"]["nox_sensor_supply"]
        rows = [self.known(f"{t}.NOx sensor").by_state for t in ("supply_pins", "network_pins")]
        both = sum(p * rows[0][s][0] * rows[1][s][0] for s, p in states.items())
        apart = [sum(p * r[s][0] for s, p in states.items()) for r in rows]
        self.assertLess(both, 0.6 * apart[0] * apart[1])


class Valves(unittest.TestCase):
    """A valve stands open or shut, and never both."""

    LOW = (symptom("low_power"), code("P0401"), code("P0404"), scan())

    def odds(self, *entries):
        file = job_file(*self.LOW, *entries, engine=MODERN)
        return {x.fault: x.probability for x in Assessed(job_of(check(file, K)), K).suspicion.suspects}

    def position(self, percent):
        return reading("egr_position", percent, "percent", point="engine_off")

    def test_too_little_through_a_valve_that_stands_open_is_choked_behind_it(self):
        behind = ("egr_cooler_blocked", "egr_passage_blocked", "intake_manifold_carbon")
        before, after = self.odds(), self.odds(self.position(84))
        self.assertGreater(after["egr_stuck_open"], 0.7)
        self.assertGreater(sum(after[f] for f in behind), 3 * sum(before[f] for f in behind))
        self.assertLess(after["egr_drive_failed"], before["egr_drive_failed"] / 2)
        self.assertLess(after["egr_stuck_closed"], 0.03)

    def test_never_open_and_shut_at_once(self):
        job = Assessed(job_of(check(job_file(*self.LOW, self.position(84), engine=MODERN), K)), K)
        space, sets = job.suspicion.space, job.suspicion.weighed.sets
        both = [(space.held == space.place[f]).any(axis=1) for f in ("egr_stuck_open", "egr_stuck_closed")]
        self.assertGreater((both[0] & both[1]).sum(), 0)
        self.assertLess(sets[both[0] & both[1]].sum(), 1e-4)


class Plugs(unittest.TestCase):
    def odds(self, *entries):
        file = job_file(symptom("hard_start_cold"), meter(), *entries, engine=FOUR)
        return {x.fault: x.probability for x in Assessed(job_of(check(file, K)), K).suspicion.suspects}

    def test_two_looks_through_one_wire_leave_the_wire(self):
        ohms, clamp = (
            plugs([0.9, 0.9, 5.1, 0.9]),
            reading("glow_current", 2.2, "A", {"after_s": 10}, cylinder=3),
        )
        once, twice = self.odds(*ohms), self.odds(*ohms, clamp)
        self.assertGreater(twice["glow_harness_open"], once["glow_harness_open"] * 0.8)
        self.assertGreater(twice["glow_plugs_high_resistance"], 0.7)

    def test_a_whole_set_alike_is_of_another_kind_and_not_tired(self):
        new = entry("context", context="recent_repair_same_system")
        alike, apart, three = (
            self.odds(new, *plugs(ohms))
            for ohms in ([4.0, 4.1, 3.9, 4.0], [2.6, 4.6, 3.9, 6.0], [4.0, 4.1, 3.9])
        )
        ratio = {
            name: x["glow_plugs_wrong"] / x["glow_plugs_high_resistance"]
            for name, x in (("alike", alike), ("apart", apart), ("three", three))
        }
        self.assertGreater(ratio["alike"], 20 * ratio["apart"])
        self.assertLess(ratio["three"], 3 * ratio["apart"])
        old = self.odds(*plugs([4.0, 4.1, 3.9, 4.0]))
        self.assertGreater(old["glow_plugs_high_resistance"], 10 * alike["glow_plugs_high_resistance"])
        lately = entry("history", repair="glow_plugs", days_ago=30, by="other", cured=False)
        told = self.odds(lately, *plugs([4.0, 4.1, 3.9, 4.0]))
        self.assertGreater(told["glow_plugs_wrong"], 2 * old["glow_plugs_wrong"])

    def test_a_small_lamp_that_lights_says_nothing_of_tired_plugs(self):
        lamp = entry("instrument", instrument="lamp", rated_w=5.0)
        lit = [outcome("glow_lamp_test", "lit", point="relay_connector", cylinder=c) for c in (1, 2, 3, 4)]
        general = K.findings["glow_lamp_test"][0].finding
        at = general.outcomes.index("not_open")
        times = general.shows["glow_plugs_high_resistance"][at] / general.general[at]
        self.assertLess(abs(np.log2(times)), 0.3)
        self.assertLess(self.odds(lamp, *lit)["glow_plugs_open"], self.odds()["glow_plugs_open"] / 3)


if __name__ == "__main__":
    unittest.main()
