"""Finding a leak in a branched circuit: which place to take off next, and what is still to come."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

TRIED_DEEPER = 5
CLAMP_MIN = 0.5


@dataclass(frozen=True, slots=True)
class Site:
    """A place that can leak: the number of the place it hangs on (-1 at the pump), its odds among all, and
    the minutes it takes to pump from there outward."""

    hangs_on: int
    odds: float
    minutes: float


@dataclass(frozen=True, slots=True)
class BlockOff:
    """Where to pump next: the place, how likely it holds, the bits it tells, and its minutes. `tests`: the
    places it tests, as bits; `alone`: what hangs on the place is clamped off."""

    site: int
    holds: float
    bits: float
    minutes: float
    tests: int = 0
    alone: bool = False


@dataclass(frozen=True, slots=True)
class StillTo:
    """What is still expected until one place is left: steps and minutes."""

    steps: float
    minutes: float


class Branches:
    """The places of a circuit from the pump outward. Pumping at a place tests it and all that hangs on it.

    Places are numbered so that each hangs on one before it. Parameters: `sites`: the places. Raises
    ValueError when a place hangs on one after it, has no odds, or takes no time. Source: a leak beyond a
    place is seen from it, one before it is not.

    >>> chain = Branches([Site(n - 1, 1.0, 6.0) for n in range(8)])
    >>> first = chain.next_block_off(chain.everything)
    >>> first.site, round(first.holds, 2), chain.still_to(chain.everything).steps
    (4, 0.5, 3.0)
    """

    def __init__(self, sites: Sequence[Site]) -> None:
        for index, s in enumerate(sites):
            if not -1 <= s.hangs_on < index or not s.odds > 0 or not s.minutes > 0:
                raise ValueError(f"place {index} hangs on {s.hangs_on}, odds {s.odds}, {s.minutes} min")
        self.sites = tuple(sites)
        beyond = [1 << n for n in range(len(sites))]
        for index in range(len(sites) - 1, -1, -1):
            if sites[index].hangs_on >= 0:
                beyond[sites[index].hangs_on] |= beyond[index]
        self.beyond = tuple(beyond)
        self.everything = (1 << len(sites)) - 1
        self._tables = tuple(
            tuple(sum(s.odds for n, s in enumerate(sites[at : at + 8]) if low >> n & 1) for low in range(256))
            for at in range(0, len(sites), 8)
        )
        self._weigh = lru_cache(maxsize=200_000)(self._weight)
        self._far = lru_cache(maxsize=200_000)(self._still_to)
        self._pick = lru_cache(maxsize=200_000)(self._greedy)

    def _weight(self, left: int) -> float:
        return sum(table[left >> 8 * at & 255] for at, table in enumerate(self._tables))

    def block_offs(self, left: int) -> list[BlockOff]:
        """Every place that splits what is left, with all that hangs on it or alone, the most bits per minute
        first.

        Parameters: `left`: the places that may still leak, one bit each; one of them does. Source:
        information of a yes or no, by the odds; a clamp takes half a minute (general).

        >>> two = Branches([Site(-1, 3.0, 2.0), Site(0, 1.0, 1.0)])
        >>> [(b.site, round(b.holds, 2), round(b.bits, 2)) for b in two.block_offs(two.everything)]
        [(1, 0.75, 0.81), (0, 0.25, 0.81)]
        """
        whole = self._weigh(left)
        found = dict[int, BlockOff]()
        for n, site in enumerate(self.sites):
            for tests, minutes in ((self.beyond[n], site.minutes), (1 << n, site.minutes + CLAMP_MIN)):
                inside = tests & left
                if inside in (0, left):
                    continue
                p = self._weigh(inside) / whole
                bits = -(p * math.log2(p) + (1 - p) * math.log2(1 - p))
                known = found.get(inside)
                if known is None or minutes < known.minutes:
                    alone = tests != self.beyond[n]
                    found[inside] = BlockOff(n, 1 - p, bits, minutes=minutes, tests=tests, alone=alone)
        return sorted(found.values(), key=lambda b: -b.bits / b.minutes)

    def _greedy(self, left: int) -> BlockOff | None:
        offs = self.block_offs(left)
        return offs[0] if offs else None

    def _after(self, left: int, off: BlockOff) -> StillTo:
        inside = off.tests & left
        leaks = self._far(inside)
        holds = self._far(left & ~inside)
        p = 1 - off.holds
        return StillTo(
            1 + p * leaks.steps + off.holds * holds.steps,
            off.minutes + p * leaks.minutes + off.holds * holds.minutes,
        )

    def _still_to(self, left: int) -> StillTo:
        off = self._pick(left)
        return self._after(left, off) if off else StillTo(0.0, 0.0)

    def next_block_off(self, left: int) -> BlockOff | None:
        """The place to pump next: of the few that tell the most per minute, the one after which the fewest
        minutes are expected. None when one place is left.

        Parameters: `left`: the places that may still leak, one bit each. Source: one step of policy
        improvement over bits per minute.

        >>> one = Branches([Site(-1, 1.0, 5.0)])
        >>> one.next_block_off(one.everything) is None
        True
        """
        offs = self.block_offs(left)[:TRIED_DEEPER]
        return min(offs, key=lambda b: self._after(left, b).minutes, default=None)

    def still_to(self, left: int) -> StillTo:
        """Steps and minutes still expected from here: first what `next_block_off` names, then whatever tells
        the most per minute.

        Parameters: `left`: the places that may still leak, one bit each. Source: expectation over the
        answers, by the odds.

        >>> pair = Branches([Site(-1, 1.0, 4.0), Site(0, 1.0, 6.0)])
        >>> pair.still_to(pair.everything)
        StillTo(steps=1.0, minutes=4.5)
        """
        off = self.next_block_off(left)
        return self._after(left, off) if off else StillTo(0.0, 0.0)

    def one_by_one(self, left: int) -> StillTo:
        """Steps and minutes expected from the pump outward, each place by itself until one leaks; the last
        needs no test.

        Parameters: `left`: the places that may still leak, one bit each. Source: expectation by the odds.

        >>> three = Branches([Site(n - 1, 1.0, 3.0) for n in range(3)])
        >>> round(three.one_by_one(three.everything).minutes, 2)
        5.83
        """
        places = [n for n in range(len(self.sites)) if left >> n & 1]
        whole = self._weigh(left)
        steps = 0.0
        minutes = 0.0
        spent_steps = 0
        spent = 0.0
        for at, n in enumerate(places):
            if at < len(places) - 1:
                clamp = CLAMP_MIN if self.beyond[n] != 1 << n else 0.0
                spent_steps = spent_steps + 1
                spent = spent + self.sites[n].minutes + clamp
            share = self.sites[n].odds / whole
            steps = steps + share * spent_steps
            minutes = minutes + share * spent
        return StillTo(steps, minutes)


def optimum_minutes(branches: Branches, left: int, most_states: int = 50_000) -> float | None:
    """The fewest minutes that any order of block-offs can be expected to take; None when it is too much to
    work out.

    Parameters: `branches`: the circuit; `left`: the places that may still leak, one bit each; `most_states`:
    at most so many remainders. Source: dynamic programming over what is left.

    >>> chain = Branches([Site(n - 1, 1.0, 6.0) for n in range(8)])
    >>> optimum_minutes(chain, chain.everything)
    18.0
    """
    known: dict[int, float] = {}
    single = {1 << n for n in range(len(branches.sites))}
    ways = [
        (tests, minutes)
        for n, site in enumerate(branches.sites)
        for tests, minutes in ((branches.beyond[n], site.minutes), (1 << n, site.minutes + CLAMP_MIN))
    ]
    ways.sort(key=lambda way: way[1])
    weigh = branches._weigh

    def best(rest: int) -> float:
        if rest in single or not rest:
            return 0.0
        if rest in known:
            return known[rest]
        if len(known) > most_states:
            raise OverflowError
        least = math.inf
        whole = weigh(rest)
        seen = set[int]()
        for tests, minutes in ways:
            inside = tests & rest
            if minutes >= least:
                break
            if inside == 0 or inside == rest or inside in seen:
                continue
            seen.add(inside)
            p = weigh(inside) / whole
            least = min(least, minutes + p * best(inside) + (1 - p) * best(rest & ~inside))
        known[rest] = least
        return least

    try:
        return best(left)
    except OverflowError:
        return None
