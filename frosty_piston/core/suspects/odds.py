"""From findings to odds, exactly, and which finding moved them."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from .space import Space

PAIR_RATIO = 0.08
GROUP_RATIO = 0.02
MOST_IN_GROUP = 4
MOST_FOR_FOUR = 24
TRIED_FIRST = 256
NEGLIGIBLE = 12.0
LEAST_LOG = -50.0


@dataclass(frozen=True, slots=True)
class Weighed:
    """The odds after all evidence.

    `sets`: chance of each set, shape (N,). `faults`: chance that each fault is present, shape (F + 1,),
    `unlisted` last; they need not add to 1. `moved`: shape (E, F + 1), by how many bits each piece of
    evidence moved the log odds of each fault, all the other evidence standing.
    """

    sets: np.ndarray
    faults: np.ndarray
    moved: np.ndarray


def _normal(log_weight: np.ndarray) -> np.ndarray:
    weight = np.exp(np.maximum(log_weight - log_weight.max(axis=-1, keepdims=True), LEAST_LOG))
    return np.asarray(weight / weight.sum(axis=-1, keepdims=True))


def chances(prior: np.ndarray, evidence: Sequence[np.ndarray]) -> np.ndarray:
    """Return the chance of each set of faults after all evidence, shape (N,).

    Parameters: `prior`: log weight of each set before it, shape (N,); `evidence`: log likelihoods, E rows of
    shape (N,). Source: Bayes' rule, exactly.

    >>> chances(np.log([0.5, 0.5]), [np.log([0.9, 0.1])]).round(2).tolist()
    [0.9, 0.1]
    """
    said = np.zeros(len(prior), np.float32)
    for row in evidence:
        said += row
    return _normal(prior + said)


def _log2_odds(chance: np.ndarray) -> np.ndarray:
    chance = np.clip(chance, 1e-7, 1 - 1e-7)
    return np.asarray(np.log2(chance) - np.log2(1 - chance))


def weigh(space: Space, prior: np.ndarray, evidence: Sequence[np.ndarray] | np.ndarray) -> Weighed:
    """Weigh every set of faults by Bayes' rule, exactly.

    Parameters: `prior` log weights, shape (N,); `evidence` log likelihoods, E rows of shape (N,), one per
    piece of evidence, already tempered where it covers only part of what it should. Independent given the
    set. What each piece moved is worked out in single precision over the sets that could count at all with
    one piece left out (at least 6e-6 of the best): good to a tenth of a bit for faults that stand above half
    a percent. Parameters: `space`: the sets of faults. Source: Bayes' rule over sets, `docs/models.md`.

    >>> from frosty_piston.core.suspects.space import build_space, log_prior
    >>> s = build_space(("a", "b"), most=1)
    >>> w = weigh(s, log_prior(s, np.array([0.1, 0.1, 0.1])), np.log([[0.8, 0.1, 0.1, 0.1]]))
    >>> w.faults.round(2).tolist(), w.moved.round(1).tolist()
    ([0.8, 0.1, 0.1], [[3.0, -2.2, -2.2]])
    """
    said = np.zeros(len(prior), np.float32)
    for row in evidence:
        said += row
    total = prior + said
    sets = _normal(total)
    faults = space.present(sets)
    if not len(evidence):
        return Weighed(sets, faults, np.zeros((0, len(faults))))
    best = int(total.argmax())
    falls = np.zeros(len(total), np.float32)
    fall = np.empty(len(total), np.float32)
    for row in evidence:
        np.minimum(falls, np.subtract(row, row[best], out=fall), out=falls)
    live = np.flatnonzero(total - falls > total[best] - NEGLIGIBLE)
    without = np.empty((len(evidence), len(live)), np.float32)
    for at, row in enumerate(evidence):
        without[at] = row[live]
    np.subtract((total[live] - total[best]).astype(np.float32), without, out=without)
    without -= without.max(axis=1, keepdims=True)
    np.exp(np.maximum(without, LEAST_LOG, out=without), out=without)
    present = (without @ space.members[live]) / without.sum(axis=1, keepdims=True)
    return Weighed(sets, faults, _log2_odds(faults) - _log2_odds(present.astype(np.float64)))


def trail(space: Space, prior: np.ndarray, evidence: Sequence[np.ndarray] | np.ndarray) -> np.ndarray:
    """Return how the odds went along the tape: the chance of each fault before any evidence and after each
    piece.

    Parameters as for `weigh`, the rows in the order in which they were found. Returns shape (E + 1, F + 1),
    worked out in single precision: good to a thousandth. Parameters: `space`: the sets of faults; `prior`:
    log prior of each set, shape (N,). Source: leave-one-out odds.

    >>> from frosty_piston.core.suspects.space import build_space, log_prior
    >>> s = build_space(("a", "b"), most=1)
    >>> trail(s, log_prior(s, np.array([0.1, 0.1, 0.2])), np.log([[0.8, 0.1, 0.1, 0.1]])).round(2).tolist()
    [[0.25, 0.25, 0.5], [0.73, 0.09, 0.18]]
    """
    standing = np.empty((len(evidence) + 1, len(prior)), np.float32)
    standing[0] = prior
    for at, row in enumerate(evidence):
        np.add(standing[at], row, out=standing[at + 1])
    return np.asarray((_normal(standing) @ space.members).astype(np.float64))


def conflicts(evidence: Sequence[np.ndarray] | np.ndarray) -> list[tuple[int, ...]]:
    """Return the smallest groups of findings that no allowed set of faults explains together.

    Each alone is well explained by some set, yet the best set for both of a pair reaches less than 8 % of
    what the two best ones reach apart; for groups of three and four, in which no pair is at odds, less than 2
    %. `evidence`: log likelihoods, E rows of shape (N,), over the sets that are to be tried. Returns tuples
    of indices. Groups of four are looked for among up to 24 findings.

    A group is first held against the sets that explain most of all findings; only one that none of them
    explains is held against every set, so the answer is exact. Source: likelihood of pairs against each
    alone, `docs/models.md`.

    >>> conflicts(np.log([[0.9, 0.01], [0.01, 0.9], [0.5, 0.6]]))
    [(0, 1)]
    >>> conflicts(np.log([[0.9, 0.9, 0.01], [0.9, 0.01, 0.9], [0.01, 0.9, 0.9]]))
    [(0, 1, 2)]
    """
    if not len(evidence):
        return []
    own_best = [int(row.argmax()) for row in evidence]
    best = np.array([row[at] for row, at in zip(evidence, own_best, strict=True)])
    whole = sum(evidence[1:], start=evidence[0])
    likely = np.unique([*own_best, *np.argpartition(-whole, min(TRIED_FIRST, len(whole)) - 1)[:TRIED_FIRST]])
    near = np.array([row[likely] for row in evidence]) - best[:, None]
    worst_case = near[:, int(np.argmax(near.sum(axis=0)))]
    pairs: list[tuple[int, ...]] = []
    for size in range(2, MOST_IN_GROUP + 1):
        floor = float(np.log(PAIR_RATIO if size == 2 else GROUP_RATIO))
        spoiled = {i for group in pairs for i in group}
        free = [i for i in range(len(evidence)) if i not in spoiled]
        if size > 3 and len(free) > MOST_FOR_FOUR:
            break
        for group in _unexplained(near, worst_case, free, size, floor):
            if np.sum([evidence[i] for i in group], axis=0).max() - best[list(group)].sum() < floor:
                pairs.append(group)
    return pairs


def _unexplained(
    near: np.ndarray, worst_case: np.ndarray, free: list[int], size: int, floor: float
) -> Iterator[tuple[int, ...]]:
    """The groups that none of the sets tried first explains. The set that explains most cannot explain all of
    a group, so one member at least falls short of it by its share of the floor."""
    told: set[tuple[int, ...]] = set()
    for short in (i for i in free if worst_case[i] < floor / size):
        rest = [i for i in free if i != short]
        for held in combinations(rest, size - 2):
            after = rest[rest.index(held[-1]) + 1 :] if held else rest
            if not after:
                continue
            together = near[short] + near[list(held)].sum(axis=0)
            lost = (together[None, :] + near[after]).max(axis=1)
            for i in np.flatnonzero(lost < floor):
                group = tuple(sorted((short, *held, after[i])))
                if group not in told:
                    told.add(group)
                    yield group
