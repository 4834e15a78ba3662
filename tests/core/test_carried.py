"""Odds carried across repairs, held against counting every course a vehicle could have taken."""

import unittest
from itertools import combinations, product

import numpy as np

from frosty_piston.core.proving import clean_though_broken, clean_until, cured_given
from frosty_piston.core.suspects.carried import (
    carried,
    log_weights,
    said_by_proof,
    still_explaining,
    weigh_across,
)
from frosty_piston.core.suspects.odds import weigh
from frosty_piston.core.suspects.space import Finding, build_space, log_chance, log_prior

FAULTS = ("hose", "valve", "wire", "turbo")


def finding(name, general, **shows):
    return Finding(
        name,
        ("no", "yes"),
        np.array([1 - general, general]),
        {f: np.array([1 - p, p]) for f, p in shows.items()},
    )


SMOKE, CODE, LEAK, SWEEP = (
    finding("smoke", 0.05, hose=0.7, valve=0.6, turbo=0.4),
    finding("code", 0.02, wire=0.9, valve=0.2),
    finding("leak", 0.02, hose=0.9),
    finding("sweep", 0.03, valve=0.8, wire=0.1),
)
PRIOR = np.array([0.02, 0.012, 0.006, 0.009, 0.015])


def brute(times, acts):
    """The chance of each fault at the end, by counting every set and every fall of the coins."""
    sets = [frozenset(c) for size in (1, 2, 3) for c in combinations(FAULTS, size)] + [
        frozenset({"unlisted"})
    ]
    rate = dict(zip((*FAULTS, "unlisted"), PRIOR, strict=True))
    total, marginal, empty = 0.0, dict.fromkeys((*FAULTS, "unlisted"), 0.0), 0.0
    for first, coins in product(sets, product((True, False), repeat=len(acts))):
        weight, now = float(np.prod([rate[f] for f in first])), first
        for number, rows in enumerate(times):
            if number:
                cured, takes = acts[number - 1]
                weight *= takes if coins[number - 1] else 1 - takes
                now = now - set(cured) if coins[number - 1] else now
            weight *= float(np.prod([likelihood(f, outcome, now) for f, outcome in rows]))
        total += weight
        empty += weight * (not now)
        for f in now:
            marginal[f] += weight
    return {f: w / total for f, w in marginal.items()}, empty / total


def likelihood(f, outcome, faults):
    """By hand: the worst of what each fault shows by itself and of the background."""
    if "unlisted" in faults:
        return float((1 - f.blur) * f.general[f.outcomes.index(outcome)] + f.blur / 2)
    no = f.general[0] * float(np.prod([f.shows[x][0] for x in faults if x in f.shows]))
    return no if outcome == "no" else 1 - no


class Exactly(unittest.TestCase):
    cases = {
        "one repair": ([[(SMOKE, "yes"), (LEAK, "yes")], [(LEAK, "no")]], [({"hose"}, 0.97)]),
        "one repair in vain": ([[(SMOKE, "yes"), (CODE, "yes")], [(SMOKE, "yes")]], [({"hose"}, 0.9)]),
        "two repairs": (
            [[(SMOKE, "yes"), (CODE, "yes")], [(SWEEP, "yes")], [(SWEEP, "no"), (SMOKE, "no")]],
            [({"wire"}, 0.9), ({"valve"}, 0.75)],
        ),
        "one act for two faults": (
            [[(SMOKE, "yes"), (CODE, "yes")], [(SMOKE, "no")]],
            [({"valve", "turbo"}, 0.85)],
        ),
        "the same repair twice": (
            [[(LEAK, "yes")], [(LEAK, "yes")], [(LEAK, "no")]],
            [({"hose"}, 0.7), ({"hose"}, 0.97)],
        ),
        "an act that cures nothing": ([[(SMOKE, "yes")], [(LEAK, "no")]], [(set(), 0.97)]),
    }

    def test_against_every_course_counted(self):
        space = build_space(FAULTS)
        prior = log_prior(space, PRIOR)
        for name, (times, acts) in self.cases.items():
            rows = [[log_chance(space, f, outcome) for f, outcome in time] for time in times]
            now = weigh_across(space, prior, rows, acts)[-1]
            wanted, empty = brute(times, acts)
            with self.subTest(name):
                for f in (*FAULTS, "unlisted"):
                    self.assertAlmostEqual(float(now.faults[space.place[f]]), wanted[f], places=6)
                self.assertAlmostEqual(float(now.sets[space.empty_at]), empty, places=6)

    def test_chances_stay_chances(self):
        space, rng = build_space(FAULTS), np.random.default_rng(4)
        sets = rng.random(len(space.held))
        sets /= sets.sum()
        for cured in ({"hose"}, {"valve", "wire"}, set(FAULTS)):
            after = carried(space, sets, cured, 0.8)
            self.assertAlmostEqual(float(after.sum()), 1.0)
            self.assertTrue((space.present(after)[:-1] <= space.present(sets)[:-1] + 1e-12).all())
            self.assertGreaterEqual(after[space.empty_at], sets[space.empty_at])
            self.assertAlmostEqual(after[space.unlisted_at], sets[space.unlisted_at])
        with self.assertRaises(ValueError):
            carried(space, sets, {"hose"}, 1.2)

    def test_what_still_explains_the_complaint(self):
        space = build_space(FAULTS)
        explains = still_explaining(space, log_chance(space, SMOKE, "yes"))
        held = {
            frozenset(FAULTS[i] for i in row if i < len(FAULTS)): bool(x)
            for row, x in zip(space.held[:-2], explains, strict=False)
        }
        self.assertTrue(held[frozenset({"hose"})] and held[frozenset({"hose", "wire"})])
        self.assertFalse(held[frozenset({"wire"})])
        self.assertTrue(
            held[frozenset({"hose", "valve"})], "two that each explain it leave it there when one is mended"
        )
        self.assertTrue(explains[space.unlisted_at])
        self.assertFalse(explains[space.empty_at])


class Sure(unittest.TestCase):
    """How sure the cure is, against counting: the complaint is left where a fault is left that explains it,
    and where it never came from the faults that were there."""

    found, passed = [(SMOKE, "yes"), (LEAK, "yes")], (0.15, 0.97)

    def counted(self, acts, proofs):
        sets = [frozenset(c) for size in (1, 2, 3) for c in combinations(FAULTS, size)] + [
            frozenset({"unlisted"})
        ]
        rate = dict(zip((*FAULTS, "unlisted"), PRIOR, strict=True))
        total = cured = 0.0
        for first, coins in product(sets, product((True, False), repeat=len(acts))):
            weight, now = float(np.prod([rate[f] for f in first])), first
            weight *= float(np.prod([likelihood(f, outcome, first) for f, outcome in self.found]))
            never = not self.explains(first)
            for (taken, takes), coin in zip(acts, coins, strict=True):
                weight *= takes if coin else 1 - takes
                now = now - set(taken) if coin else now
            left = never or self.explains(now)
            for if_left, if_cured in proofs:
                weight *= if_left if left else if_cured
            total, cured = total + weight, cured + weight * (not left)
        return cured / total

    def explains(self, faults):
        if "unlisted" in faults:
            return True

        def told(some):
            return float(np.prod([likelihood(f, outcome, some) for f, outcome in self.found]))

        return any(
            told(faults) > 2 * told(faults - {f}) or told(frozenset({f})) > 2 * told(frozenset())
            for f in faults
        )

    def worked(self, acts, proofs):
        space = build_space(FAULTS)
        told = sum(log_chance(space, f, outcome) for f, outcome in self.found)
        explaining = still_explaining(space, told)
        sets = weigh(space, log_prior(space, PRIOR), [told]).sets
        lost = sets * ~explaining
        for taken, takes in acts:
            sets, lost = carried(space, sets, taken, takes), carried(space, lost, taken, takes)
        share, rows = lost / np.maximum(sets, 1e-300), []
        for proof in proofs:
            row, share = said_by_proof(explaining, share, *proof)
            rows.append(np.log(row))
        after = weigh(space, log_weights(sets), rows).sets
        return float((after * (1 - share))[~explaining].sum())

    def test_against_counting(self):
        drive = (0.3, 1.0)
        for acts in (
            [({"hose"}, 0.97)],
            [({"wire"}, 0.9)],
            [({"wire"}, 0.9), ({"hose"}, 0.97)],
            [(set(), 0.5)],
        ):
            for proofs in ([], [self.passed], [self.passed, drive], [(0.85, 0.03)]):
                self.assertAlmostEqual(self.worked(acts, proofs), self.counted(acts, proofs), places=5)

    def test_nothing_repaired_is_never_sure(self):
        self.assertLess(self.worked([({"wire"}, 0.9)], [self.passed]), 0.2)
        self.assertGreater(self.worked([({"hose"}, 0.97)], [self.passed]), 0.85)


class Drives(unittest.TestCase):
    def test_worked_by_hand(self):
        for returns, clean, broken, cured in (
            ((5, 3, 4), 24, 0.030, 0.989),
            ((60, 100, 80), 24, 0.75, 0.791),
            ((60, 100, 80), 280, 0.088, 0.970),
        ):
            chance = clean_though_broken(returns, clean)
            self.assertAlmostEqual(chance, broken, places=2)
            self.assertAlmostEqual(cured_given(0.74, chance), cured, places=3)

    def test_how_far(self):
        for returns, wanted, km in (
            ((60, 100, 80), 0.90, 109),
            ((60, 100, 80), 0.95, 202),
            ((5, 3, 4), 0.95, 10),
        ):
            self.assertEqual(round(clean_until(returns, 0.74, wanted)), km)
            self.assertAlmostEqual(
                cured_given(0.74, clean_though_broken(returns, clean_until(returns, 0.74, wanted))),
                wanted,
                places=6,
            )

    def test_about_every_so_much_counts_as_one_return(self):
        self.assertEqual(clean_though_broken([], 50, 100), clean_though_broken([100], 50))
        self.assertIsNone(clean_though_broken([], 50))
        self.assertIsNone(clean_until([], 0.7, 0.95))

    def test_further_is_never_less_sure(self):
        spans = [clean_though_broken([60, 100, 80], d) for d in range(0, 400, 10)]
        self.assertEqual(spans[0], 1.0)
        self.assertEqual(spans, sorted(spans, reverse=True))
