"""From findings to odds, exactly, and which finding moved them."""

from dataclasses import dataclass

import numpy as np

from .space import Space

CONFLICT_RATIO = 0.08


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
    weight = np.exp(log_weight - log_weight.max(axis=-1, keepdims=True))
    return weight / weight.sum(axis=-1, keepdims=True)


def _log2_odds(chance: np.ndarray) -> np.ndarray:
    chance = np.clip(chance, 1e-12, 1 - 1e-12)
    return np.log2(chance) - np.log2(1 - chance)


def weigh(space: Space, prior: np.ndarray, evidence: np.ndarray) -> Weighed:
    """Weigh every set of faults by Bayes' rule, exactly.

    Parameters: `prior` log weights, shape (N,); `evidence` log likelihoods, shape (E, N), one row per piece
    of evidence, already tempered where it covers only part of what it should. Independent given the set.

    >>> from frosty_piston.core.suspects.space import build_space, log_prior
    >>> s = build_space(("a", "b"), most=1)
    >>> w = weigh(s, log_prior(s, np.array([0.1, 0.1, 0.1])), np.log([[0.8, 0.1, 0.1]]))
    >>> w.faults.round(2).tolist(), w.moved.round(1).tolist()
    ([0.8, 0.1, 0.1], [[3.0, -2.2, -2.2]])
    """
    evidence = np.reshape(evidence, (-1, len(prior)))
    total = prior + evidence.sum(axis=0)
    sets = _normal(total)
    faults = sets @ space.members
    without = _normal(total - evidence) @ space.members if len(evidence) else np.zeros((0, len(faults)))
    return Weighed(sets, faults, _log2_odds(faults) - _log2_odds(without))


def conflicts(evidence: np.ndarray) -> list[tuple[int, int]]:
    """Answer the pairs of findings that no allowed set of faults explains together.

    Each alone is well explained by some set, yet the best set for both reaches less than 8 % of what the
    two best ones reach apart. `evidence`: log likelihoods, shape (E, N). Returns index pairs.

    >>> conflicts(np.log([[0.9, 0.01], [0.01, 0.9], [0.5, 0.6]]))
    [(0, 1)]
    """
    best = evidence.max(axis=1) if len(evidence) else np.zeros(0)
    return [(i, j) for i in range(len(evidence)) for j in range(i + 1, len(evidence))
            if (evidence[i] + evidence[j]).max() - best[i] - best[j] < np.log(CONFLICT_RATIO)]
