"""What a test not yet made would tell about what to repair."""

from dataclasses import dataclass

import numpy as np

from .space import Space


def repair_groups(space: Space, repair_of: tuple[str, ...]) -> np.ndarray:
    """Answer which sets of faults end in the same repair: a group number per set, shape (N,).

    `repair_of`: the repair of each fault, length F; `unlisted` is a group of its own.

    >>> from frosty_piston.core.suspects.space import build_space
    >>> repair_groups(build_space(("a", "b", "c"), most=1), ("plugs", "plugs", "relay")).tolist()
    [0, 0, 1, 2]
    """
    columns = {name: i for i, name in enumerate(dict.fromkeys(repair_of))}
    needs = np.zeros((len(space.members), len(columns) + 1), dtype=bool)
    for index, repair in enumerate(repair_of):
        needs[:, columns[repair]] |= space.members[:, index] > 0
    needs[:, -1] = space.members[:, -1] > 0
    seen: dict[bytes, int] = {}
    return np.array([seen.setdefault(row.tobytes(), len(seen)) for row in np.packbits(needs, axis=1)])


@dataclass(frozen=True, slots=True)
class Prospect:
    """What a test promises: bits about what to repair; the chance of each outcome, shape (K,); and the chance of
    each fault after each outcome, shape (K, F + 1)."""

    bits: float
    outcomes: np.ndarray
    faults_after: np.ndarray


def prospect(space: Space, sets: np.ndarray, table: np.ndarray, groups: np.ndarray) -> Prospect:
    """Answer what one test promises, given the odds now.

    Mutual information between the repair needed and the outcome:
    ``sum P(r, k)*log2(P(r, k)/(P(r)*P(k)))``. Parameters: chance of each set (N,); chance of each outcome
    under each set (N, K); repair group of each set (N,).

    >>> from frosty_piston.core.suspects.space import build_space
    >>> s = build_space(("a", "b"), most=1)
    >>> p = prospect(s, np.array([0.5, 0.5, 0.0]), np.array([[0.999, 0.001], [0.001, 0.999], [0.5, 0.5]]), np.array([0, 1, 2]))
    >>> round(p.bits, 2)
    0.99
    """
    joint = sets[:, None] * table
    by_repair = np.stack([np.bincount(groups, weights=column) for column in joint.T], axis=1)
    outcome, repair = by_repair.sum(axis=0), by_repair.sum(axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        terms = by_repair * np.log2(by_repair / (repair[:, None] * outcome[None, :]))
    after = (joint / np.clip(outcome, 1e-300, None)).T @ space.members
    return Prospect(float(np.nansum(terms)), outcome, after)
