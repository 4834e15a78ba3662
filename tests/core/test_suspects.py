"""Exact odds over sets of faults: by hand, and against brute force."""

import itertools
import random
import unittest

import numpy as np

from frosty_piston.core.suspects.next_test import (
    Belief,
    Test,
    information,
    propose,
    repair_groups,
    repair_minutes,
    sure_enough,
)
from frosty_piston.core.suspects.odds import conflicts, trail, weigh
from frosty_piston.core.suspects.space import Finding, build_space, log_prior, outcome_chances, space_chances
from frosty_piston.rig.small_engines import (
    SmallEngine,
    by_system_min,
    optimum_min,
    policy_min,
    small_engine,
    swap_min,
)


def yes_no(general, **shows):
    return Finding(
        "f",
        ("no", "yes"),
        np.array([1 - general, general]),
        {k: np.array([1 - v, v]) for k, v in shows.items()},
    )


class Odds(unittest.TestCase):
    def test_two_faults_by_hand(self):
        # odds 0.1 and 0.1, unlisted 0.01; finding 0.9 with a, general 0.1: a 0.1*0.91, b 0.1*0.1,
        # ab 0.01*0.91, unlisted 0.01*0.12
        space = build_space(("a", "b"))
        table = outcome_chances(space, yes_no(0.1, a=0.9))
        weighed = weigh(space, log_prior(space, np.array([0.1, 0.1, 0.01])), np.log(table[:, 1])[None, :])
        parts = [0.091, 0.01, 0.0091, 0.0012]
        self.assertAlmostEqual(weighed.faults[0], (parts[0] + parts[2]) / sum(parts), places=6)

    def test_noisy_or_against_brute_force(self):
        rng = random.Random(4)
        faults = tuple("abcde")
        shows = {f: rng.uniform(0.05, 0.95) for f in faults[:4]}
        space = build_space(faults, 3)
        table = outcome_chances(space, yes_no(0.07, **shows))
        for row, members in zip(
            np.delete(table, space.unlisted_at, 0),
            np.delete(space.members, space.unlisted_at, 0),
            strict=True,
        ):
            none = 0.93
            for f, there in zip(faults, members, strict=False):
                none *= 1 - shows.get(f, 0) if there else 1
            self.assertAlmostEqual(row[1], 1 - none)

    def test_graded_outcomes_show_the_worst(self):
        finding = Finding(
            "g",
            ("sound", "weak", "open"),
            np.array([0.9, 0.08, 0.02]),
            {"a": np.array([0.1, 0.8, 0.1]), "b": np.array([0.05, 0.05, 0.9])},
        )
        table = outcome_chances(build_space(("a", "b")), finding)
        self.assertTrue(np.allclose(table.sum(axis=1), 1))
        brute = 0.0
        for (i, p), (j, q), (m, r) in itertools.product(
            enumerate(finding.general), enumerate(finding.shows["a"]), enumerate(finding.shows["b"])
        ):
            brute += p * q * r if max(i, j, m) == 1 else 0
        self.assertAlmostEqual(table[2, 1], brute)

    def test_the_order_of_evidence_does_not_matter(self):
        space = build_space(tuple("abcd"))
        rng = np.random.default_rng(1)
        rows = np.log(rng.uniform(0.05, 0.95, (4, len(space.members))))
        prior = log_prior(space, np.array([0.05, 0.1, 0.02, 0.03, 0.02]))
        self.assertTrue(np.allclose(weigh(space, prior, rows).faults, weigh(space, prior, rows[::-1]).faults))

    def test_unlisted_grows_when_nothing_fits(self):
        space = build_space(tuple("abc"))
        strange = np.log(outcome_chances(space, yes_no(0.03))[:, 1])[None, :]
        prior = log_prior(space, np.array([0.1, 0.1, 0.1, 0.02]))
        self.assertGreater(
            weigh(space, prior, strange).faults[-1], weigh(space, prior, np.zeros((0, len(prior)))).faults[-1]
        )

    def test_no_chance_may_be_0_or_1(self):
        with self.assertRaises(ValueError):
            yes_no(0.0, a=0.5)

    def test_three_faults_together_against_brute_force(self):
        faults, rng = tuple("abcdef"), np.random.default_rng(3)
        space = build_space(faults, 3)
        odds = rng.uniform(0.01, 0.3, 7)
        findings = [
            yes_no(0.05, **{f: float(rng.uniform(0.1, 0.9)) for f in rng.choice(faults, 3, replace=False)})
            for _ in range(5)
        ]
        rows = [np.log(outcome_chances(space, f)[:, i % 2]) for i, f in enumerate(findings)]
        total, present = 0.0, np.zeros(7)
        for size in (1, 2, 3):
            for held in itertools.combinations(range(6), size):
                weight = float(np.prod(odds[list(held)]))
                for i, f in enumerate(findings):
                    none = f.general[0] * np.prod(
                        [f.shows[faults[h]][0] for h in held if faults[h] in f.shows]
                    )
                    weight *= 1 - none if i % 2 else none
                total += weight
                present[list(held)] += weight
        alone = odds[6] * np.prod([(0.95 * f.general + 0.025)[i % 2] for i, f in enumerate(findings)])
        weighed = weigh(space, log_prior(space, odds), rows)
        self.assertTrue(np.allclose(weighed.faults[:6], present[:6] / (total + alone)))
        self.assertAlmostEqual(weighed.faults[6], alone / (total + alone))

    def test_what_each_piece_moved_is_what_leaving_it_out_would_undo(self):
        space, rng = build_space(tuple("abcd")), np.random.default_rng(8)
        prior = log_prior(space, np.array([0.1, 0.05, 0.08, 0.03, 0.02]))
        rows = np.log(rng.uniform(0.05, 0.95, (5, len(prior))))
        whole, without = weigh(space, prior, rows), weigh(space, prior, np.delete(rows, 2, axis=0))
        moved = np.log2(whole.faults / (1 - whole.faults)) - np.log2(without.faults / (1 - without.faults))
        self.assertTrue(np.allclose(whole.moved[2], moved, atol=1e-2))

    def test_the_trail_begins_with_the_prior_and_ends_with_the_odds(self):
        space, rng = build_space(tuple("abc")), np.random.default_rng(2)
        prior, rows = (
            log_prior(space, np.array([0.1, 0.2, 0.05, 0.01])),
            np.log(rng.uniform(0.05, 0.95, (4, 9))),
        )
        steps = trail(space, prior, rows)
        self.assertTrue(np.allclose(steps[0], weigh(space, prior, rows[:0]).faults, atol=1e-3))
        self.assertTrue(np.allclose(steps[-1], weigh(space, prior, rows).faults, atol=1e-3))

    def test_faults_that_kill_each_other_come_together_more_often(self):
        space = build_space(tuple("abcd"))
        bond, odds = np.ones((4, 4)), np.array([0.05, 0.05, 0.05, 0.05, 0.01])
        bond[0, 1] = bond[1, 0] = 9.0
        bound, free = (np.exp(log_prior(space, odds, b)) for b in (bond, None))
        pair = int(np.flatnonzero((space.held == [0, 1, 5]).all(axis=1))[0])
        self.assertGreater(bound[pair] / bound.sum(), 3 * free[pair] / free.sum())
        # they share their odds out, and add none: alone each is the less likely for it
        np.testing.assert_allclose(space_chances(space, bound), space_chances(space, free), rtol=0.01)
        self.assertLess(bound[0] / bound.sum(), free[0] / free.sum())

    def test_a_set_without_one_of_its_faults(self):
        space = build_space(tuple("abcd"))
        for row in range(space.unlisted_at):
            for column in range(3):
                left = int(space.without(np.array([row]), column)[0])
                held = set(space.held[row]) - {5}
                gone = space.held[row, column]
                self.assertEqual(set(space.held[left]) - {5}, held - {gone})
        self.assertEqual(
            space.without(np.array([space.unlisted_at, space.empty_at]), 0).tolist(),
            [space.unlisted_at, space.empty_at],
        )

    def test_conflicts_of_two_and_of_three(self):
        self.assertEqual(conflicts(np.log([[0.9, 0.001], [0.001, 0.9]])), [(0, 1)])
        three = np.log([[0.9, 0.9, 0.01, 0.9], [0.9, 0.01, 0.9, 0.9], [0.01, 0.9, 0.9, 0.001]])
        self.assertEqual(conflicts(three[:, :3]), [(0, 1, 2)])
        self.assertEqual(conflicts(np.vstack([three[:2], [[0.9, 0.9, 0.9, 0.9]]])), [])

    def test_a_conflict_that_only_a_far_set_resolves_is_none(self):
        rows = np.log(np.random.default_rng(1).uniform(0.001, 0.02, (2, 4000)))
        rows[0, 0] = rows[1, 1] = np.log(0.9)
        self.assertEqual(conflicts(rows), [(0, 1)])
        rows[:, 3999] = np.log(0.5)
        self.assertEqual(conflicts(rows), [])


EVEN = Belief(np.array([0.5, 0.5]), np.array([0, 1]), np.array([60.0, 60.0]))
SHARP = np.array([[0.95, 0.05], [0.05, 0.95]])


class NextTest(unittest.TestCase):
    def test_information_is_never_negative_and_none_without_bearing(self):
        self.assertGreater(information(EVEN, SHARP)[0], 0.7)
        self.assertAlmostEqual(information(EVEN, np.full((2, 2), 0.5))[0], 0)

    def test_telling_apart_what_is_repaired_alike_is_worth_nothing(self):
        space = build_space(("a", "b"), most=1)
        table, sets = outcome_chances(space, yes_no(0.01, a=0.98)), np.array([0.5, 0.5, 0.0, 0.0])
        bits = {}
        for name, repairs in (("alike", ("same", "same")), ("apart", ("one", "two"))):
            groups, kinds = repair_groups(space, repairs)
            bits[name] = information(Belief(sets, groups, np.full(len(kinds), 60.0)), table)[0]
        self.assertAlmostEqual(bits["alike"], 0)
        self.assertGreater(bits["apart"], 0.8)

    def test_one_cover_pays_for_three_tests(self):
        belief = Belief(np.full(8, 0.125), np.arange(8), np.full(8, 120.0))
        bit = [np.array([[0.97, 0.03] if n >> b & 1 else [0.03, 0.97] for n in range(8)]) for b in range(3)]
        outside = Test("outside", bit[0], 9.0)
        under = [Test(f"under {b}", bit[b], 2.0, frozenset({"cover"})) for b in range(3)]
        alone = propose(belief, [outside, under[1]], {"cover": 12.0})
        self.assertEqual(alone[0].test, 0)
        together = propose(belief, [outside, *under], {"cover": 12.0})
        self.assertIn(together[0].test, (1, 2, 3))
        self.assertEqual(len(together[0].along), 2)
        self.assertEqual(propose(belief, [outside, under[1]], {})[0].test, 1)

    def test_who_comes_along_is_ranked_by_what_it_adds(self):
        # behind the cover the sharp test opens, the same again tells little more and a blunt one nothing
        belief = Belief(np.full(2, 0.5), np.arange(2), np.full(2, 120.0))
        blunt = np.full((2, 2), 0.5)
        under = [Test(n, t, 2.0, frozenset({"cover"})) for n, t in (("a", SHARP), ("b", SHARP), ("c", blunt))]
        ranked = {under[p.test].name: p for p in propose(belief, under, {"cover": 12.0})}
        self.assertLessEqual(ranked["b"].rate, ranked["a"].rate)
        self.assertAlmostEqual(ranked["c"].rate, 0.0)
        self.assertAlmostEqual(ranked["c"].spared, 0.0)
        self.assertGreater(ranked["a"].spared, 0.8)

    def test_minutes_that_are_spent_anyway_are_no_price(self):
        slow, quick = Test("slow", SHARP, 20.0, anyway=0.9), Test("quick", SHARP, 5.0)
        first, second = propose(EVEN, [slow, quick], {})
        self.assertEqual((first.test, first.minutes), (0, 20.0))
        self.assertAlmostEqual(first.price_min, 2.0)
        self.assertAlmostEqual(first.rate, second.rate * 5.0 / 2.0)

    def test_another_look_ends_the_tries(self):
        # 60 first; wrong half of the time, the look of 30 finds the rest: 0.5*30 + 0.3*300 + 0.2*400
        groups, costs = np.array([0.5, 0.3, 0.2]), np.array([60.0, 300.0, 400.0])
        for look, wanted in ((30.0, 245.0), (1e9, 60 + 0.5 * 300 + 0.2 * 400), (np.inf, 290.0)):
            self.assertAlmostEqual(float(repair_minutes(groups, costs, look)), wanted)
        both = repair_minutes(np.vstack([groups, groups[::-1]]), costs, 30.0)
        self.assertAlmostEqual(float(both[0]), 245.0)

    def test_repairs_are_tried_by_chance_per_minute(self):
        self.assertAlmostEqual(
            float(repair_minutes(np.array([0.5, 0.5]), np.array([100.0, 10.0]))), 10 + 0.5 * 100
        )

    def test_it_stops_when_being_wrong_costs_less(self):
        likely = Belief(np.array([0.97, 0.03]), np.array([0, 1]), np.array([60.0, 60.0]))
        self.assertTrue(sure_enough(likely, propose(likely, [Test("t", SHARP, 20.0)], {})).enough)
        dear = Belief(np.array([0.6, 0.4]), np.array([0, 1]), np.array([600.0, 60.0]))
        self.assertFalse(sure_enough(dear, propose(dear, [Test("t", SHARP, 20.0)], {})).enough)
        self.assertTrue(sure_enough(dear, []).enough)


class AgainstTheOptimum(unittest.TestCase):
    """The bench prints this over 40 engines; here a few, and smaller ones, so that it stays quick."""

    def test_the_proposals_come_near_the_optimum_and_beat_the_usual_ways(self):
        made = [small_engine(seed, faults=7, tests=8) for seed in range(50, 62)]
        spent = {
            way: sum(f(e) - float(e.prior @ e.cost_min) for e in made)
            for way, f in (
                ("optimum", optimum_min),
                ("proposals", policy_min),
                ("system", by_system_min),
                ("swap", swap_min),
            )
        }
        self.assertGreaterEqual(spent["proposals"], spent["optimum"] - 1e-6)
        self.assertLess(spent["proposals"], 1.08 * spent["optimum"])
        self.assertLess(spent["proposals"], 0.6 * min(spent["system"], spent["swap"]))

    def test_the_optimum_by_hand(self):
        # Two faults, even odds, 60 minutes each; a perfect test of 10 minutes: 10 + 60.
        # Without it 60 + half of 60.
        perfect = np.array([[1 - 1e-9, 1e-9], [1e-9, 1 - 1e-9]])
        engine = SmallEngine(np.array([0.5, 0.5]), np.array([60.0, 60.0]), (Test("t", perfect, 10.0),), {})
        self.assertAlmostEqual(optimum_min(engine), 70.0, places=3)
        self.assertAlmostEqual(
            optimum_min(SmallEngine(engine.prior, engine.cost_min, (Test("t", perfect, 40.0),), {})),
            90.0,
            places=3,
        )
