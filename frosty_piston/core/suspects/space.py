"""The sets of faults that are weighed against each other, and how likely each makes a finding."""

from dataclasses import dataclass
from itertools import combinations

import numpy as np

UNLISTED = "unlisted"
UNLISTED_BLUR = 0.35


@dataclass(frozen=True, slots=True, eq=False)
class Finding:
    """One thing that can be observed, with its possible outcomes from the best to the worst.

    `general`: chance of each outcome on a vehicle without a related fault, shape (K,). `shows`: for a fault
    by id, the chance of each outcome when that fault alone is present, shape (K,). All rows sum to 1.
    """

    id: str
    outcomes: tuple[str, ...]
    general: np.ndarray
    shows: dict[str, np.ndarray]

    def __post_init__(self) -> None:
        for name, row in [("general", self.general), *self.shows.items()]:
            if len(row) != len(self.outcomes) or abs(float(np.sum(row)) - 1) > 1e-6:
                raise ValueError(f"{self.id}: the chances of {name} must be one per outcome and sum to 1")
            if np.min(row) <= 0 or np.max(row) >= 1:
                raise ValueError(f"{self.id}: no chance of {name} may be 0 or 1")


@dataclass(frozen=True, slots=True, eq=False)
class Space:
    """All sets of one up to `most` faults, and `unlisted` as the last row.

    `faults`: ids, length F. `members`: shape (N, F + 1), 1.0 where the set holds the fault; the last column
    is `unlisted`, true in the last row only.
    """

    faults: tuple[str, ...]
    members: np.ndarray
    most: int

    @property
    def names(self) -> tuple[str, ...]:
        return (*self.faults, UNLISTED)


def build_space(faults: tuple[str, ...], most: int = 2) -> Space:
    """Lay out every set of up to `most` of the faults, and `unlisted` alone.

    Raises ValueError for repeated faults or `most` outside 1..3.

    >>> build_space(("a", "b", "c")).members.shape
    (7, 4)
    """
    if len(set(faults)) != len(faults):
        raise ValueError("a fault is named twice")
    if not 1 <= most <= 3:
        raise ValueError("sets of one to three faults are weighed")
    sets = [s for size in range(1, most + 1) for s in combinations(range(len(faults)), size)]
    members = np.zeros((len(sets) + 1, len(faults) + 1))
    for row, held in enumerate(sets):
        members[row, list(held)] = 1.0
    members[-1, -1] = 1.0
    members.setflags(write=False)
    return Space(faults, members, most)


def log_prior(space: Space, odds: np.ndarray) -> np.ndarray:
    """Answer the log weight of each set before any finding: the product of its faults' odds.

    `odds`: shape (F + 1,), present against absent, `unlisted` last. Returns shape (N,).

    >>> s = build_space(("a", "b"))
    >>> np.exp(log_prior(s, np.array([0.1, 0.2, 0.05]))).round(3).tolist()
    [0.1, 0.2, 0.02, 0.05]
    """
    return space.members @ np.log(odds)


def outcome_chances(space: Space, finding: Finding) -> np.ndarray:
    """Answer how likely each set of faults makes each outcome, shape (N, K).

    Rule for graded outcomes (noisy worst): every fault present, and the general background, would each show
    some outcome by itself; what is seen is the worst of them. So the chance of "k or better" is the product
    of theirs: ``P(<= k | set) = G(k)*prod_f F_f(k)``. With two outcomes this is the noisy-or. A fault the
    finding says nothing about leaves it as it is. `unlisted` shows the background blurred with an even
    spread (35 %), since anything is possible with it.

    >>> f = Finding("x", ("no", "yes"), np.array([0.9, 0.1]), {"a": np.array([0.2, 0.8])})
    >>> outcome_chances(build_space(("a", "b")), f).round(3).tolist()
    [[0.18, 0.82], [0.9, 0.1], [0.18, 0.82], [0.76, 0.24]]
    """
    count = len(finding.outcomes)
    log_cdf = np.zeros((len(space.names), count))
    for index, fault in enumerate(space.faults):
        row = finding.shows.get(fault)
        if row is not None:
            log_cdf[index] = np.log(np.clip(np.cumsum(row), 1e-300, 1.0))
    general = np.clip(np.cumsum(finding.general), 1e-300, 1.0)
    cdf = np.exp(space.members @ log_cdf) * general
    cdf[:, -1] = 1.0
    table = np.diff(cdf, axis=1, prepend=0.0)
    table[-1] = (1 - UNLISTED_BLUR) * finding.general + UNLISTED_BLUR / count
    return np.clip(table, 1e-9, 1.0)
