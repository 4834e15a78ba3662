"""The sets of faults that are weighed against each other, and how likely each makes a finding."""

from dataclasses import dataclass, replace
from itertools import combinations
from typing import Any

import numpy as np

from frosty_piston.core.cached import cached_property

UNLISTED = "unlisted"
BLUR = 0.05
NO_WEIGHT = -700.0
MOST_FITTED = 60
FITTED = 2e-3


@dataclass(frozen=True, slots=True, eq=False)
class Finding:
    """One thing that can be observed, with its possible outcomes from the best to the worst.

    `general`: chance of each outcome on a vehicle without a related fault, shape (K,). `shows`: for a fault
    by id, the chance of each outcome when that fault alone is present, shape (K,). All rows sum to 1. `blur`:
    the share of an even spread that something unlisted mixes into the general chances. `well`: the chances
    with nothing wrong, where a test is only made because something is: shape (K,); the general ones when left
    out.
    """

    id: str
    outcomes: tuple[str, ...]
    general: np.ndarray
    shows: dict[str, np.ndarray]
    blur: float = BLUR
    well: np.ndarray | None = None

    def __post_init__(self) -> None:
        for name, row in [("general", self.general), ("well", self.with_nothing_wrong), *self.shows.items()]:
            if len(row) != len(self.outcomes) or abs(float(np.sum(row)) - 1) > 1e-6:
                raise ValueError(f"{self.id}: the chances of {name} must be one per outcome and sum to 1")
            if np.min(row) <= 0 or np.max(row) >= 1:
                raise ValueError(f"{self.id}: no chance of {name} may be 0 or 1")

    def repeated(self, outcome: str, times: int, share: float, least: float) -> "Finding":
        """The same finding when one bad outcome was seen at several places: with nothing behind it that is
        rarer each time.

        Parameters: `outcome`: the outcome; `times`: at how many places, 1 or more; `share`: how often a false
        alarm repeats at the next place; `least`: the chance is never taken lower, since one cause can fool
        all of them. Raises ValueError for an outcome it has not. Source: repeated slips, `docs/models.md`.

        >>> f = Finding("x", ("no", "yes"), np.array([0.9, 0.1]), {})
        >>> f.repeated("yes", 3, 0.25, 0.001).general.round(5).tolist()
        [0.99375, 0.00625]
        """
        at = self.outcomes.index(outcome)
        factor = share ** (times - 1)

        def rarer(row: np.ndarray) -> np.ndarray:
            row = row.copy()
            chance = max(min(least, float(row[at])), float(row[at]) * factor)
            row[0] = row[0] + row[at] - chance
            row[at] = chance
            return row

        well = None if self.well is None else rarer(self.well)
        return replace(self, general=rarer(self.general), well=well)

    @property
    def with_nothing_wrong(self) -> np.ndarray:
        """The chance of each outcome on a vehicle with nothing wrong at all, shape (K,)."""
        return self.general if self.well is None else self.well


@dataclass(frozen=True, eq=False)
class Space:
    """All sets of one up to `most` faults, then `unlisted`, then the empty set as the last row.

    `faults`: ids, length F. `held`: shape (N, most), the places in `faults` each set holds; place F stands
    for `unlisted` and F + 1 for nobody. `members`: shape (N, F + 1), 1 where the set holds the fault,
    `unlisted` last. The empty set is a vehicle with nothing wrong: no prior gives it weight, repairs do.
    """

    faults: tuple[str, ...]
    held: np.ndarray
    members: np.ndarray
    most: int

    @property
    def unlisted_at(self) -> int:
        return len(self.held) - 2

    @property
    def empty_at(self) -> int:
        return len(self.held) - 1

    @property
    def names(self) -> tuple[str, ...]:
        return (*self.faults, UNLISTED)

    @cached_property
    def place(self) -> dict[str, int]:
        return {name: i for i, name in enumerate(self.names)}

    @cached_property
    def _codes(self) -> tuple[np.ndarray, np.ndarray]:
        codes = _code(self.held, len(self.faults) + 2)
        order = np.argsort(codes)
        return codes[order], order

    def without(self, rows: np.ndarray, column: int) -> np.ndarray:
        """The places of the sets that are left when each of some sets loses the fault in one column, shape
        (len(rows),). A set that has no fault there, and `unlisted`, answer themselves; one that loses its
        last answers the empty set.

        Parameters: `rows`: some sets, by number, shape (R,); `column`: a place within a set.

        >>> space = build_space(("a", "b"))
        >>> space.held.tolist()[:3], space.without(np.arange(3), 0).tolist()
        ([[0, 3, 3], [1, 3, 3], [0, 1, 3]], [4, 4, 1])
        """
        held = self.held[rows].copy()
        held[:, column] = np.where(held[:, column] == len(self.faults), held[:, column], len(self.faults) + 1)
        return self._find(held)

    def after_taking(self, cured: frozenset[str]) -> np.ndarray:
        """The places of the sets that are left when every set loses some faults, shape (N,); kept once worked
        out.

        Parameters: `cured`: the faults that were taken away.

        >>> build_space(("a", "b")).after_taking(frozenset({"a"})).tolist()
        [4, 1, 1, 3, 4]
        """
        key = ("taken", cured)
        values = self.kept.get(key)
        if values is None:
            lost = np.zeros(len(self.faults) + 2, bool)
            lost[[self.place[f] for f in cured if f in self.place]] = True
            touched = np.flatnonzero(lost[self.held].any(axis=1))
            held = self.held[touched]
            values = np.arange(len(self.held))
            values[touched] = self._find(np.where(lost[held], len(self.faults) + 1, held))
            self.kept[key] = values
        return values

    def _find(self, held: np.ndarray) -> np.ndarray:
        codes, order = self._codes
        return order[np.searchsorted(codes, _code(held, len(self.faults) + 2))]

    @cached_property
    def kept(self) -> dict[object, Any]:
        """Room for what was worked out once for this space."""
        return {}

    def present(self, sets: np.ndarray) -> np.ndarray:
        """Add up the chance of each fault over the sets that hold it: shape (N,) in, (F + 1,) out.

        Parameters: `sets`: chance of each set, shape (N,).

        >>> space = build_space(("a", "b"))
        >>> space.present(np.full(len(space.held), 0.2)).round(1).tolist()
        [0.4, 0.4, 0.2]
        """
        count = len(self.faults) + 2
        total = np.zeros(count)
        for place in range(self.most):
            total += np.bincount(self.held[:, place], weights=sets, minlength=count)
        return total[:-1]

    def spread(self, per_fault: np.ndarray) -> np.ndarray:
        """Add up a figure per fault over each set: shape (F + 1,) in, (N,) out.

        Parameters: `per_fault`: a figure for each fault, shape (F + 1,).

        >>> build_space(("a", "b")).spread(np.array([1.0, 10.0, 100.0])).tolist()
        [1.0, 10.0, 11.0, 100.0, 0.0]
        """
        padded = np.append(per_fault, 0.0)
        return np.asarray(
            padded[self.held[:, 0]] + sum(padded[self.held[:, i]] for i in range(1, self.held.shape[1]))
        )


def _code(held: np.ndarray, base: int) -> np.ndarray:
    """One number for each set, whatever the order of its faults."""
    code = np.zeros(len(held), dtype=np.int64)
    for column in np.sort(held, axis=1).T:
        code = code * base + column
    return code


def build_space(faults: tuple[str, ...], most: int = 3) -> Space:
    """Lay out every set of up to `most` of the faults, `unlisted` alone, and the empty set.

    Raises ValueError for repeated faults or `most` outside 1..3. Source: all sets of one and two faults,
    `docs/models.md`.

    >>> build_space(("a", "b", "c")).members.shape
    (9, 4)
    """
    if len(set(faults)) != len(faults):
        raise ValueError("a fault is named twice")
    if not 1 <= most <= 3:
        raise ValueError("sets of one to three faults are weighed")
    count = len(faults)
    nobody = count + 1
    rows = [
        np.array(list(combinations(range(count), size)), dtype=np.intp).reshape(-1, size)
        for size in range(1, most + 1)
    ]
    held = np.full((sum(len(r) for r in rows) + 2, most), nobody, dtype=np.intp)
    at = 0
    for block in rows:
        held[at : at + len(block), : block.shape[1]] = block
        at += len(block)
    held[-2, 0] = count
    members = np.zeros((len(held), count + 2), dtype=np.float32)
    for place in range(most):
        members[np.arange(len(held)), held[:, place]] = 1.0
    members = np.ascontiguousarray(members[:, :-1])
    held = np.ascontiguousarray(held.T).T
    for array in (held, members):
        array.setflags(write=False)
    return Space(faults, held, members, most)


def log_prior(
    space: Space, odds: np.ndarray, together: np.ndarray | None = None, sound: float = 0.0
) -> np.ndarray:
    """Return the log weight of each set before any finding.

    The product of its faults' odds and, for every two of its faults, of how many times likelier they come
    together than by chance. `odds`: shape (F + 1,), present against absent, `unlisted` last. `together`:
    shape (F, F), symmetric, all ones when left out: it shares the chances out among the sets and adds to
    none, so that each fault keeps the chance that its own odds give it. `sound`: the weight of the empty set
    beside them, 0 when a vehicle that comes in has something. Returns shape (N,). Parameters: `space`: the
    sets of faults. Source: base rates of `faults/`, independent but for what kills what; proportional fitting
    to the chances of the single faults.

    >>> s = build_space(("a", "b"))
    >>> np.exp(log_prior(s, np.array([0.1, 0.2, 0.05]))).round(3).tolist()
    [0.1, 0.2, 0.02, 0.05, 0.0]
    >>> odds, bond = np.array([0.1, 0.2, 0.05]), np.array([[1, 3], [3, 1]])
    >>> bound = np.exp(log_prior(s, odds, bond))
    >>> (space_chances(s, bound) / space_chances(s, np.exp(log_prior(s, odds)))).round(2).tolist()
    [1.0, 1.0, 1.0]
    """
    weight = space.spread(np.log(odds))
    weight[space.empty_at] = np.log(sound) if sound else NO_WEIGHT
    if together is None or space.most < 2:
        return weight
    total = float(np.exp(weight).sum())
    wanted = space_chances(space, np.exp(weight))
    bonds = np.zeros((len(space.faults) + 2,) * 2)
    bonds[:-2, :-2] = np.log(together)
    for one, other in combinations(range(space.most), 2):
        weight += bonds[space.held[:, one], space.held[:, other]]
    for _ in range(MOST_FITTED):
        off = np.log(wanted / space_chances(space, np.exp(weight)))
        weight += space.spread(off)
        weight[: space.empty_at] += np.log((total - sound) / np.exp(weight[: space.empty_at]).sum())
        if np.abs(off).max() < FITTED:
            break
    return weight


def space_chances(space: Space, weight: np.ndarray) -> np.ndarray:
    """Return the chance of each fault by the weights of the sets, shape (F + 1,).

    Parameters: `space`: the sets of faults; `weight`: a weight for each, shape (N,), that need not sum to 1.

    >>> space_chances(build_space(("a", "b"), most=1), np.array([1.0, 1.0, 2.0, 0.0])).tolist()
    [0.25, 0.25, 0.5]
    """
    return np.asarray(space.present(weight) / weight.sum())


def outcome_chances(space: Space, finding: Finding, rows: np.ndarray | None = None) -> np.ndarray:
    """Return how likely each set of faults makes each outcome, shape (N, K), or (len(rows), K) for some sets.

    Rule for graded outcomes (noisy worst): every fault present, and the general background, would each show
    some outcome by itself; what is seen is the worst of them. So the chance of "k or better" is the product
    of theirs: ``P(<= k | set) = G(k)*prod_f F_f(k)``. With two outcomes this is the noisy-or. A fault the
    finding says nothing about leaves it as it is. `unlisted` shows the background mixed with the finding's
    blur of an even spread, since anything is possible with it. Parameters: `space`: the sets of faults.
    Source: the worst outcome shows, `docs/models.md`.

    >>> f = Finding("x", ("no", "yes"), np.array([0.9, 0.1]), {"a": np.array([0.2, 0.8])}, 0.35)
    >>> outcome_chances(build_space(("a", "b")), f).round(3).tolist()
    [[0.18, 0.82], [0.9, 0.1], [0.18, 0.82], [0.76, 0.24], [0.9, 0.1]]
    """
    held = space.held if rows is None else space.held[rows]
    table = np.empty((len(finding.outcomes), len(held)))
    upto: float | np.ndarray = 0.0
    for k, shares in enumerate(_shares(space, finding)):
        next_upto = _this_or_better(shares, held)
        np.subtract(next_upto, upto, out=table[k])
        upto = next_upto
    np.subtract(1.0, upto, out=table[-1])
    table[:, held[:, 0] == len(space.faults)] = unlisted_row(finding)[:, None]
    table[:, held[:, 0] == len(space.faults) + 1] = finding.with_nothing_wrong[:, None]
    return np.maximum(table, 1e-9).T


def log_chance(space: Space, finding: Finding, outcome: str) -> np.ndarray:
    """Return in logs how likely each set makes one outcome, shape (N,): a column of `outcome_chances`.

    Parameters: `space`: the sets of faults; `finding`: the finding. Raises ValueError for an outcome that the
    finding has not. Source: `outcome_chances`.

    >>> f = Finding("x", ("no", "yes"), np.array([0.9, 0.1]), {"a": np.array([0.2, 0.8])}, 0.35)
    >>> np.exp(log_chance(build_space(("a", "b")), f, "yes")).round(2).tolist()
    [0.82, 0.1, 0.82, 0.24, 0.1]
    """
    k = finding.outcomes.index(outcome)
    shares = _shares(space, finding)
    upto = _this_or_better(shares[k], space.held) if k < len(shares) else np.ones(len(space.held))
    chance = upto - _this_or_better(shares[k - 1], space.held) if k else upto
    chance[space.unlisted_at] = unlisted_row(finding)[k]
    chance[space.empty_at] = finding.with_nothing_wrong[k]
    return np.log(np.clip(chance, 1e-9, 1.0))


def _shares(space: Space, finding: Finding) -> np.ndarray:
    """The chance of each outcome or a better one by each fault alone, shape (K - 1, F + 3); the background
    stands last."""
    values = space.kept.get(finding)
    if values is None:
        values = np.ones((len(finding.outcomes) - 1, len(space.faults) + 3))
        values[:, -1] = np.cumsum(finding.general)[:-1]
        for name, row in finding.shows.items():
            if name in space.place:
                values[:, space.place[name]] = np.cumsum(row)[:-1]
        space.kept[finding] = values
    return values


def _this_or_better(shares: np.ndarray, held: np.ndarray) -> np.ndarray:
    product = shares[held[:, 0]] * shares[-1]
    for place in range(1, held.shape[1]):
        product *= shares[held[:, place]]
    return np.asarray(product)


def unlisted_row(finding: Finding) -> np.ndarray:
    """Return the chance of each outcome when something that is on no list is wrong, shape (K,).

    Parameters: `finding`: the finding. Source: general chances, blurred.

    >>> unlisted_row(Finding("x", ("no", "yes"), np.array([0.9, 0.1]), {}, 0.5)).round(2).tolist()
    [0.7, 0.3]
    """
    return (1 - finding.blur) * finding.general + finding.blur / len(finding.outcomes)
