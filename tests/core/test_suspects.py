"""Exact odds over sets of faults: by hand, and against brute force."""

import itertools
import random
import unittest

import numpy as np

from frosty_piston.core.suspects.next_test import prospect, repair_groups
from frosty_piston.core.suspects.odds import conflicts, weigh
from frosty_piston.core.suspects.space import Finding, build_space, log_prior, outcome_chances


def yes_no(general, **shows):
    return Finding("f", ("no", "yes"), np.array([1 - general, general]), {k: np.array([1 - v, v]) for k, v in shows.items()})


class Odds(unittest.TestCase):
    def test_two_faults_by_hand(self):
        # odds 0.1 and 0.1, unlisted 0.01; finding 0.9 with a, general 0.1: a 0.1*0.91, b 0.1*0.1, ab 0.01*0.91, unlisted 0.01*0.24
        space = build_space(("a", "b"))
        table = outcome_chances(space, yes_no(0.1, a=0.9))
        weighed = weigh(space, log_prior(space, np.array([0.1, 0.1, 0.01])), np.log(table[:, 1])[None, :])
        parts = [0.091, 0.01, 0.0091, 0.0024]
        self.assertAlmostEqual(weighed.faults[0], (parts[0] + parts[2]) / sum(parts), places=6)

    def test_noisy_or_against_brute_force(self):
        rng = random.Random(4)
        faults = tuple("abcde")
        shows = {f: rng.uniform(0.05, 0.95) for f in faults[:4]}
        space = build_space(faults, 3)
        table = outcome_chances(space, yes_no(0.07, **shows))
        for row, members in zip(table[:-1], space.members[:-1], strict=True):
            none = 0.93
            for f, there in zip(faults, members, strict=False):
                none *= 1 - shows.get(f, 0) if there else 1
            self.assertAlmostEqual(row[1], 1 - none)

    def test_graded_outcomes_show_the_worst(self):
        finding = Finding("g", ("sound", "weak", "open"), np.array([0.9, 0.08, 0.02]), {"a": np.array([0.1, 0.8, 0.1]), "b": np.array([0.05, 0.05, 0.9])})
        table = outcome_chances(build_space(("a", "b")), finding)
        self.assertTrue(np.allclose(table.sum(axis=1), 1))
        brute = 0.0
        for (i, p), (j, q), (m, r) in itertools.product(enumerate(finding.general), enumerate(finding.shows["a"]), enumerate(finding.shows["b"])):
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
        self.assertGreater(weigh(space, prior, strange).faults[-1], weigh(space, prior, np.zeros((0, len(prior)))).faults[-1])

    def test_no_chance_may_be_0_or_1(self):
        with self.assertRaises(ValueError):
            yes_no(0.0, a=0.5)

    def test_conflict(self):
        self.assertEqual(conflicts(np.log([[0.9, 0.001], [0.001, 0.9]])), [(0, 1)])


class NextTest(unittest.TestCase):
    def test_information_is_never_negative_and_none_without_bearing(self):
        space = build_space(tuple("abc"))
        groups = repair_groups(space, ("x", "x", "y"))
        sets = weigh(space, log_prior(space, np.full(4, 0.1)), np.zeros((0, len(space.members)))).sets
        self.assertGreater(prospect(space, sets, outcome_chances(space, yes_no(0.05, c=0.9)), groups).bits, 0.2)
        self.assertAlmostEqual(prospect(space, sets, np.full((len(sets), 2), 0.5), groups).bits, 0)

    def test_telling_apart_what_is_repaired_alike_is_worth_nothing(self):
        space = build_space(("a", "b"), most=1)
        table = outcome_chances(space, yes_no(0.01, a=0.98))
        sets = np.array([0.5, 0.5, 0.0])
        self.assertAlmostEqual(prospect(space, sets, table, repair_groups(space, ("same", "same"))).bits, 0)
        self.assertGreater(prospect(space, sets, table, repair_groups(space, ("one", "two"))).bits, 0.8)
