"""What a test not yet made would tell about what to repair, what it costs to get there, and when to stop
testing."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from .space import Space

MOST_TOGETHER = 3
TINY = 1e-300
GROUPS_LOOKED_AT = 160
LEAST_MIN = 0.1
MOST_BEHIND_ONE = 8


def likeliest_sets(sets: np.ndarray, most: int = 1500, share: float = 0.995) -> np.ndarray:
    """Return the places of the sets that hold nearly all of the chance, likeliest first.

    `sets`: chance of each set, shape (N,). Returns at most `most` places that together reach `share`. Source:
    sorting.

    >>> likeliest_sets(np.array([0.2, 0.0001, 0.7, 0.0999])).tolist()
    [2, 0, 3]
    """
    most = min(most, len(sets))
    places = np.argpartition(-sets, most - 1)[:most]
    places = places[np.argsort(-sets[places], kind="stable")]
    return places[: int(np.searchsorted(np.cumsum(sets[places]), share)) + 1]


def repair_groups(
    space: Space, repair_of: tuple[str, ...], rows: np.ndarray | None = None, counts: np.ndarray | None = None
) -> tuple[np.ndarray, list[tuple[str, ...]]]:
    """Return which sets of faults end in the same repairs.

    `repair_of`: the repair of each fault, length F; `unlisted` ends in no repair known. `rows`: the sets
    asked for, all when left out. `counts`: shape (len(rows), most), False for a fault of a set that needs no
    repair here. Returns the group of each set, and the repairs of each group. Parameters: `space`: the sets
    of faults.

    >>> from frosty_piston.core.suspects.space import build_space
    >>> groups, repairs = repair_groups(build_space(("a", "b", "c"), most=1), ("plugs", "plugs", "relay"))
    >>> groups.tolist(), repairs
    ([1, 1, 2, 0, 0], [(), ('plugs',), ('relay',)])
    """
    held = space.held if rows is None else space.held[rows]
    names = tuple(dict.fromkeys(repair_of))
    number = np.array([1 + names.index(r) for r in repair_of] + [0, 0])
    kept = np.sort(number[held] if counts is None else number[held] * counts, axis=1)
    for place in range(kept.shape[1] - 1, 0, -1):
        kept[:, place][kept[:, place] == kept[:, place - 1]] = 0
    kept = np.sort(kept, axis=1)
    code = np.zeros(len(kept), dtype=np.int64)
    for place in range(kept.shape[1]):
        code = code * (len(names) + 1) + kept[:, place]
    _, first, groups = np.unique(code, return_index=True, return_inverse=True)
    return groups.reshape(-1), [tuple(names[n - 1] for n in row if n) for row in kept[first].tolist()]


@dataclass(frozen=True, slots=True, eq=False)
class Test:
    """A test as the choice sees it: the chance of each outcome under each set, shape (M, K); minutes of its
    own; what must be taken off or brought about first; how likely it will be asked for anyway, so that its
    minutes are no reason to stop before it."""

    name: str
    table: np.ndarray
    minutes: float
    access: frozenset[str] = frozenset()
    anyway: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Belief:
    """What is believed now: the chance of each set, shape (M,); the repair group of each, shape (M,); what
    each group's repair costs in minutes, shape (G,); what another look takes once a repair failed, min."""

    sets: np.ndarray
    groups: np.ndarray
    cost_min: np.ndarray
    look_min: float = float("inf")


@dataclass(frozen=True, slots=True, eq=False)
class Proposal:
    """What one test promises.

    `bits`: expected information about what to repair. `minutes`: its own and those of the access it needs
    first; `price_min`: those of them that would not be spent anyway. `saves_min`: how many minutes of repairs
    in vain it is expected to spare, alone or with `along`; `spared`: the share that
    it spares alone of all the repairs in vain if none were followed by another look.
    `rate`: bits per minute, the access shared with `along`: the other tests that the same access opens.
    `outcomes`: chance of each.
    """

    test: int
    bits: float
    minutes: float
    price_min: float
    saves_min: float
    spared: float
    rate: float
    along: tuple[int, ...]
    outcomes: np.ndarray


def _bits(joint: np.ndarray) -> float:
    outcome = joint.sum(axis=0)
    group = joint.sum(axis=1)
    terms = joint * np.log2(np.maximum(joint, TINY) / np.maximum(group[:, None] * outcome[None, :], TINY))
    return float(terms.sum())


def repair_minutes(groups: np.ndarray, cost_min: np.ndarray, look_min: float = float("inf")) -> np.ndarray:
    """Return how many minutes the cure is expected to take when no further test is made now.

    Repairs are tried one after the other, the best chance per minute first, until one of them failed and
    another look is cheaper than the next try: that look finds what it is, which then is mended. `groups`:
    chance of each repair group, shape (..., G), need not sum to 1; `cost_min`: minutes of each repair, shape
    (G,); `look_min`: minutes of another look, without it there is none. Returns shape (...).

    Source: the ordering by p/c of sequential search with independent costs (Blackwell, 1950s), stopped
    backwards from its end.

    >>> repair_minutes(np.array([0.75, 0.25]), np.array([60.0, 30.0])).round(1)
    np.float64(67.5)
    >>> repair_minutes(np.array([0.5, 0.3, 0.2]), np.array([60.0, 300.0, 400.0]), 30.0).round(1)
    np.float64(245.0)
    """
    order = np.argsort(-groups / cost_min, axis=-1, kind="stable")
    chance = np.take_along_axis(groups, order, axis=-1)
    cost = cost_min[order]
    left = chance.sum(axis=-1, keepdims=True) - np.cumsum(chance, axis=-1) + chance
    tries = left * cost
    if np.isinf(look_min):
        return np.asarray(tries.sum(axis=-1))
    known = chance * cost
    cures = known.sum(axis=-1, keepdims=True) - np.cumsum(known, axis=-1) + known
    looks = left * look_min + cures
    # Backwards: from each place on, the next try and what follows it, or the look, whichever is less.
    follows = np.zeros(chance.shape[:-1])
    for place in range(chance.shape[-1] - 1, 0, -1):
        follows = np.minimum(tries[..., place] + follows, looks[..., place])
    return np.asarray(tries[..., 0] + follows)


def information(belief: Belief, table: np.ndarray) -> tuple[float, np.ndarray]:
    """Return the expected bits one test tells about what to repair, and the chance of each outcome, shape
    (K,).

    Mutual information between the repair needed and the outcome: ``sum P(r, k)*log2(P(r, k)/(P(r)*P(k)))``.
    Parameters: `belief`: the likeliest sets and what each needs; `table`: chance of each outcome under each
    set, shape (N, K). Source: mutual information, Shannon.

    >>> b = Belief(np.array([0.5, 0.5]), np.array([0, 1]), np.array([60.0, 60.0]))
    >>> round(information(b, np.array([[0.999, 0.001], [0.001, 0.999]]))[0], 2)
    0.99
    """
    (joint,) = _joints(belief, [table])
    return _bits(joint), joint.sum(axis=0)


def _joints(belief: Belief, tables: list[np.ndarray]) -> list[np.ndarray]:
    """The chance of each repair group together with each outcome, shape (G, K), for every table."""
    if not tables:
        return []
    share = np.zeros((len(belief.cost_min), len(belief.sets)))
    share[belief.groups, np.arange(len(belief.sets))] = belief.sets
    return np.split(share @ np.hstack(tables), np.cumsum([t.shape[1] for t in tables])[:-1], axis=1)


def propose(belief: Belief, tests: Sequence[Test], access_min: Mapping[str, float]) -> list[Proposal]:
    """Rank the tests: the most information about what to repair per minute first.

    Minutes that will be spent anyway (`Test.anyway`) are no price of a test, and access that is reached
    already is not in `access_min` or costs 0. What the same access opens is looked at together, up to three
    tests at a time, so that one cover off pays for all that lives under it: the test that tells most for its
    minutes is ranked by the rate of the company, each further one by what it adds to those before it. Within
    such company outcomes are taken as independent given the repair, and the 160 likeliest repair groups are
    looked at. Parameters: `belief`: the likeliest sets and what each needs. Source: `information` per minute,
    `docs/models.md`.

    >>> b = Belief(np.array([0.5, 0.5]), np.array([0, 1]), np.array([60.0, 60.0]))
    >>> sharp = np.array([[0.95, 0.05], [0.05, 0.95]])
    >>> ranked = propose(
    ...     b, [Test("far", sharp, 5, frozenset({"cover"})), Test("near", sharp, 5)], {"cover": 20.0}
    ... )
    >>> [(p.test, p.minutes, round(p.bits, 2)) for p in ranked]
    [(1, 5, 0.71), (0, 25.0, 0.71)]
    """
    joints = _joints(belief, [t.table for t in tests])
    bits = [_bits(j) for j in joints]
    weight = np.bincount(belief.groups, weights=belief.sets, minlength=len(belief.cost_min))
    top = np.argsort(-weight, kind="stable")[:GROUPS_LOOKED_AT]
    chance = weight[top]
    cost = belief.cost_min[top]
    blind = float(repair_minutes(chance, cost))
    now = float(repair_minutes(chance, cost, belief.look_min))
    given = [np.clip(j[top], 1e-300, None) / np.clip(chance[:, None], 1e-300, None) for j in joints]
    own = [max(t.minutes, LEAST_MIN) for t in tests]
    reach = [sum(access_min.get(a, 0.0) for a in t.access) for t in tests]
    joint = [(chance[:, None] * g).T for g in given]
    alone = _spared(joint, cost, now, belief.look_min)
    spared = _spared(joint, cost, blind, float("inf"))
    price = [(own[i] + reach[i]) * (1 - t.anyway) for i, t in enumerate(tests)]
    paid = [1 - t.anyway for t in tests]
    known = _Known(
        chance, cost, belief.look_min, now, given, [own[i] * paid[i] for i in range(len(tests))], paid, bits
    )
    ranks = _Ranks(
        [bits[i] / max(price[i], LEAST_MIN) for i in range(len(tests))], list(alone), [()] * len(tests)
    )
    closed = [frozenset(a for a in t.access if access_min.get(a, 0.0) > 0) for t in tests]
    for opened in set(closed) - {frozenset()}:
        inside = [i for i in range(len(tests)) if closed[i] and closed[i] <= opened]
        _company(known, ranks, inside, sum(access_min[a] for a in opened))
    return sorted(
        (
            Proposal(
                index,
                bits[index],
                own[index] + reach[index],
                price_min=price[index],
                saves_min=ranks.saves[index],
                spared=spared[index] / max(blind - float(chance @ cost), LEAST_MIN),
                rate=ranks.rates[index],
                along=ranks.along[index],
                outcomes=joints[index].sum(axis=0),
            )
            for index in range(len(tests))
        ),
        key=lambda p: (-p.rate, p.minutes, p.test),
    )


def _spared(joint: list[np.ndarray], cost: np.ndarray, now: float, look_min: float) -> list[float]:
    """How many minutes each test spares by itself, by the chance of each outcome and group, shape (K, G)."""
    if not joint:
        return []
    after = repair_minutes(np.vstack(joint), cost, look_min)
    ends = np.cumsum([len(j) for j in joint])[:-1]
    return [float(now - left.sum()) for left in np.split(after, ends)]


@dataclass(frozen=True, slots=True, eq=False)
class _Known:
    """What the companies are worked out from: the chance and the minutes of each repair group, shape (G,),
    another look, the minutes expected without a test, the chance of each outcome of each test given the
    group, shape (G, K), the price of each test, the share of its access that would not be opened anyway, and
    its bits."""

    chance: np.ndarray
    cost: np.ndarray
    look_min: float
    now: float
    given: list[np.ndarray]
    price: list[float]
    paid: list[float]
    bits: list[float]

    def worth(self, i: int) -> float:
        return self.bits[i] / max(self.price[i], LEAST_MIN)


@dataclass(frozen=True, slots=True)
class _Ranks:
    """What companies raise: the rate of each test, the minutes it spares, and who comes along."""

    rates: list[float]
    saves: list[float]
    along: list[tuple[int, ...]]


def _company(known: _Known, ranks: _Ranks, inside: list[int], open_min: float) -> None:
    """Grow a company of tests behind one access greedily. Its first member opens, and is ranked by the rate
    of all; each further one by what it adds, at most by that rate."""
    inside = sorted(inside, key=lambda i: -known.worth(i))[:MOST_BEHIND_ONE]
    company: list[int] = []
    adds: list[float] = []
    table = np.ones((len(known.chance), 1))
    told = 0.0
    spent = 0.0
    opening = open_min
    while inside and len(company) < MOST_TOGETHER:
        joint = {i: (table[:, :, None] * known.given[i][:, None, :]).reshape(len(table), -1) for i in inside}
        told_with = {i: _bits(known.chance[:, None] * joint[i]) for i in inside}
        takes = {i: spent + known.price[i] + min(opening, open_min * known.paid[i]) for i in inside}
        best = max(inside, key=lambda i: told_with[i] / max(takes[i], LEAST_MIN))
        adds.append((told_with[best] - told) / max(known.price[best], LEAST_MIN))
        table, told = joint[best], told_with[best]
        spent += known.price[best]
        opening = min(opening, open_min * known.paid[best])
        inside.remove(best)
        company.append(best)
        if len(company) == 1:
            continue
        rate = told / max(spent + opening, LEAST_MIN)
        for i, adding in zip(company, [rate, *adds[1:]], strict=True):
            if min(rate, adding) > ranks.rates[i]:
                ranks.rates[i] = min(rate, adding)
                ranks.along[i] = tuple(j for j in company if j != i)
        left = float(repair_minutes((known.chance[:, None] * table).T, known.cost, known.look_min).sum())
        saved = known.now - left - sum(known.price[i] for i in company[1:])
        ranks.saves[company[0]] = max(ranks.saves[company[0]], saved)


@dataclass(frozen=True, slots=True)
class Sure:
    """Whether to stop testing. `chance`: that the likeliest repair cures. `wrong_min`: minutes a repair in
    vain is expected to cost if one stops now. `saves_min`: what the best test would spare; `price_min`: what
    it takes less what would be spent anyway."""

    enough: bool
    chance: float
    wrong_min: float
    saves_min: float
    price_min: float


def sure_enough(belief: Belief, proposals: Sequence[Proposal]) -> Sure:
    """Return whether being wrong costs less than another test: no test spares more minutes than it takes.

    Parameters: `belief`: the likeliest sets and what each needs; `proposals`: the tests in their order.
    Source: expected minutes, `docs/models.md`.

    >>> b = Belief(np.array([0.98, 0.02]), np.array([0, 1]), np.array([60.0, 60.0]))
    >>> sharp = Test("sharp", np.array([[0.95, 0.05], [0.05, 0.95]]), 20)
    >>> sure = sure_enough(b, propose(b, [sharp], {}))
    >>> sure.enough, round(sure.wrong_min, 1)
    (True, 1.2)
    """
    weight = np.bincount(belief.groups, weights=belief.sets, minlength=len(belief.cost_min))
    certain = float(weight @ belief.cost_min)
    wrong = float(repair_minutes(weight, belief.cost_min, belief.look_min)) - certain
    best = max(proposals, key=lambda p: p.saves_min - p.price_min, default=None)
    saves, price = (best.saves_min, best.price_min) if best else (0.0, 0.0)
    return Sure(best is None or saves <= price, float(weight.max()), wrong, saves, price)
