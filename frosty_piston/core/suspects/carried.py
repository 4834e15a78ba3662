"""Odds carried across a repair: evidence before it speaks of the vehicle as it was, evidence after it of what
is left."""

from collections.abc import Iterable, Sequence

import numpy as np

from .odds import Weighed, weigh
from .space import NO_WEIGHT, Space

HALF_AS_WELL = float(np.log(2))


def carried(space: Space, sets: np.ndarray, cured: Iterable[str], takes: float) -> np.ndarray:
    """Return the chance of each set after an act that takes some faults away.

    One coin falls for the whole act: with `takes` every set loses all faults of `cured` that it holds, else
    none. Nothing else changes, and no fault is added, so that the sets of up to three stay closed under
    repairs. Parameters: `sets` chance of each set, shape (N,), sums to 1; `takes` between 0 and 1. Returns
    shape (N,).

    Raises ValueError when `takes` is no chance. Parameters: `space`: the sets of faults. Source: Bayes' rule
    across the repair, `docs/models.md`.

    >>> from frosty_piston.core.suspects.space import build_space
    >>> s = build_space(("hose", "valve"))
    >>> carried(s, np.array([0.6, 0.1, 0.2, 0.1, 0.0]), {"hose"}, 0.9).round(2).tolist()
    [0.06, 0.28, 0.02, 0.1, 0.54]
    """
    if not 0 <= takes <= 1:
        raise ValueError("the chance that a repair takes lies between 0 and 1")
    # A repair only takes faults away, and every set without them is in the space: the chance of each set
    # moves to exactly one other, so the sum over sets is a count with weights.
    gone = np.bincount(space.after_taking(frozenset(cured)), weights=sets, minlength=len(sets))
    return (1 - takes) * sets + takes * gone


def log_weights(sets: np.ndarray) -> np.ndarray:
    """Turn chances of sets back into log weights for `weigh`; no weight stays as good as none.

    Source: `docs/models.md`.

    >>> log_weights(np.array([1.0, 0.0])).tolist()
    [0.0, -700.0]
    """
    return np.asarray(np.log(np.maximum(sets, np.exp(NO_WEIGHT))))


def weigh_across(
    space: Space,
    prior: np.ndarray,
    times: Sequence[Sequence[np.ndarray]],
    acts: Sequence[tuple[Iterable[str], float]],
) -> list[Weighed]:
    """Weigh the evidence of every time on the vehicle as it was then, exactly.

    Parameters: `prior` log weights, shape (N,); `times` the log likelihoods of each time, one more than
    `acts`; `acts` what was done between two times: the faults it takes and the chance that it does. Returns
    what was believed at the end of each time by all that was known until then. Parameters: `space`: the sets
    of faults. Source: `docs/models.md`.

    >>> from frosty_piston.core.suspects.space import build_space, log_prior
    >>> s = build_space(("hose", "valve"), most=1)
    >>> before, after = weigh_across(
    ...     s,
    ...     log_prior(s, np.array([0.1, 0.1, 0.05])),
    ...     [[np.log([0.8, 0.1, 0.1, 0.1])], []],
    ...     [({"hose"}, 0.9)],
    ... )
    >>> before.faults.round(2).tolist(), after.faults.round(2).tolist(), after.sets[-1].round(2)
    ([0.84, 0.11, 0.05], [0.08, 0.11, 0.05], np.float64(0.76))
    """
    if len(times) != len(acts) + 1:
        raise ValueError("there is one time more than there are acts between them")
    weighed = [weigh(space, prior, times[0])]
    for (cured, takes), rows in zip(acts, times[1:], strict=True):
        weighed.append(weigh(space, log_weights(carried(space, weighed[-1].sets, cured, takes)), rows))
    return weighed


def said_by_proof(
    left: np.ndarray, unexplained: np.ndarray, if_left: float, if_cured: float
) -> tuple[np.ndarray, np.ndarray]:
    """Return how likely each set makes what a proof showed, and the share of each in which the complaint
    never came from its faults, after it.

    Where the findings before the repair were explained by nothing in the set, the complaint came from
    something unlisted, and no repair took it away: there a proof says the same as of a set that still
    explains it. Parameters: `left` which sets still explain it, shape (N,); `unexplained` that share before,
    shape (N,); `if_left`, `if_cured` the chance of what was seen in either case. Returns two arrays of shape
    (N,). Source: `docs/models.md`.

    >>> row, share = said_by_proof(np.array([True, False, False]), np.array([0.0, 0.0, 0.5]), 0.2, 1.0)
    >>> row.round(2).tolist(), share.round(2).tolist()
    ([0.2, 1.0, 0.6], [0.0, 0.0, 0.17])
    """
    mixed = (1 - unexplained) * np.where(left, if_left, if_cured) + unexplained * if_left
    return mixed, unexplained * if_left / mixed


def still_explaining(space: Space, told: np.ndarray) -> np.ndarray:
    """Return which sets still explain the complaint, shape (N,).

    A fault explains it if, with it taken out, its set explains the findings less than half as well; a set
    does if one of its faults does, in it or alone: two that each explain it all leave it there when one is
    mended. `unlisted` always does, the empty set never. `told`: the log likelihood of the findings by each
    set, shape (N,). Parameters: `space`: the sets of faults. Source: `docs/models.md`.

    >>> from frosty_piston.core.suspects.space import build_space
    >>> s = build_space(("a", "b"))
    >>> still_explaining(s, np.log([0.8, 0.1, 0.8, 0.2, 0.1])).tolist()
    [True, False, True, True, False]
    >>> still_explaining(s, np.log([0.8, 0.7, 0.85, 0.2, 0.1])).tolist()
    [True, True, True, True, False]
    """
    rows = np.arange(len(told))
    nobody = len(space.faults) + 1
    alone = np.zeros(nobody + 1, bool)
    alone[: len(space.faults)] = told[: len(space.faults)] - told[space.empty_at] > HALF_AS_WELL
    explains = alone[space.held].any(axis=1)
    for column in range(space.most):
        explains |= (space.held[:, column] != nobody) & (
            told - told[_left(space, rows, column)] > HALF_AS_WELL
        )
    explains[space.unlisted_at] = True
    explains[space.empty_at] = False
    return np.asarray(explains)


def _left(space: Space, rows: np.ndarray, column: int) -> np.ndarray:
    key = ("left", column)
    if key not in space.kept:
        space.kept[key] = space.without(rows, column)
    return np.asarray(space.kept[key])
