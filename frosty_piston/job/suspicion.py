"""Suspects with their odds and reasons, the conflicts among what was found, and how the odds went along the tape."""

from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import NamedTuple

import numpy as np

from frosty_piston.core.quantity import percent
from frosty_piston.core.suspects.next_test import likeliest_sets, repair_groups
from frosty_piston.core.suspects.odds import Weighed, conflicts, trail, weigh
from frosty_piston.core.suspects.space import UNLISTED, Space, build_space, log_prior
from frosty_piston.knowledge import Knowledge

from .engine import EngineCard
from .evidence import Evidence
from .tape import Job

UNLISTED_PER_THOUSAND = 15.0
MOVED_BITS = 0.15
EXPLAINS_RATIO = 1.5
COMMONLY_KILLS = 0.2
PASSENGER = float(np.log(2))
ENGINES_KEPT = 4


class Moved(NamedTuple):
    """One piece of evidence and how far it moved a suspect, in bits of log odds."""

    entries: tuple[str, ...]
    says: str
    bits: float
    because: str
    pattern: bool = False


@dataclass(frozen=True)
class Suspect:
    """A fault, how likely it is present, and what speaks for and against it."""

    fault: str
    title: str
    system: str
    probability: float
    speaks_for: tuple[Moved, ...]
    speaks_against: tuple[Moved, ...]
    because: str


@dataclass(frozen=True)
class ConflictFound:
    """Findings that no allowed set of faults explains together, and which to repeat."""

    entries: tuple[str, ...]
    because: str


@dataclass(frozen=True)
class Step:
    """One step of a suspect's trail: what was found, and the odds after it."""

    says: str
    entries: tuple[str, ...]
    odds: float


class Engine:
    """What is worked out once for all jobs of the same fittings: the sets of faults and their prior."""

    def __init__(self, k: Knowledge, faults: tuple[str, ...]):
        self.space: Space = build_space(faults)
        rates = np.array([k.faults[f].per_thousand for f in faults] + [UNLISTED_PER_THOUSAND], float) / 1000
        self.prior = log_prior(self.space, rates / (1 - rates), _together(k, faults))
        self.kills = _kills(k, faults)


def _together(k: Knowledge, faults: tuple[str, ...]) -> np.ndarray:
    """How many times likelier two faults come together than by chance: what kills the one is often still there."""
    place = {f: i for i, f in enumerate(faults)}
    bonds = np.ones((len(faults), len(faults)))
    for f in faults:
        for cause, chance in k.upstream[f].items():
            if cause in place:
                times = max(1.0, chance / (k.faults[f].per_thousand / 1000))
                bonds[place[f], place[cause]] = bonds[place[cause], place[f]] = max(times, bonds[place[f], place[cause]])
    return bonds


def _kills(k: Knowledge, faults: tuple[str, ...]) -> np.ndarray:
    """Which fault commonly kills which, shape (F + 2, F + 2): the cause in the row. How the vehicle is used is asked
    of the driver, not repaired."""
    place = {f: i for i, f in enumerate(faults)}
    kills = np.zeros((len(faults) + 2,) * 2, bool)
    for f in faults:
        for cause, chance in k.upstream[f].items():
            if cause in place and chance >= COMMONLY_KILLS and k.fault_system[cause] != "driver":
                kills[place[cause], place[f]] = True
    return kills


_engine = lru_cache(maxsize=ENGINES_KEPT)(Engine)


def possible_faults(k: Knowledge, engine: EngineCard) -> tuple[str, ...]:
    """The faults that are weighed: those that the card does not rule out."""
    return tuple(f for f, shape in k.faults.items() if not engine.rules_out(shape.needs))


@dataclass(frozen=True)
class Suspicion:
    """All evidence of a job weighed. What few ask for is worked out when it is first asked for."""

    job: Job
    knowledge: Knowledge
    evidence: list[Evidence]

    @cached_property
    def engine(self) -> Engine:
        return _engine(self.knowledge, possible_faults(self.knowledge, self.job.engine))

    @property
    def space(self) -> Space:
        return self.engine.space

    @cached_property
    def rows(self) -> list[np.ndarray]:
        """How likely each set of faults makes each piece of evidence, in logs."""
        return [e.log_likelihood(self.space) for e in self.evidence]

    @cached_property
    def weighed(self) -> Weighed:
        return weigh(self.space, self.engine.prior, self.rows)

    @cached_property
    def without_patterns(self) -> np.ndarray | None:
        """The chance of each set by what was found alone; None when no workshop pattern had a say."""
        kept = [row for e, row in zip(self.evidence, self.rows, strict=True) if not e.pattern]
        return None if len(kept) == len(self.evidence) else weigh(self.space, self.engine.prior, kept).sets

    @cached_property
    def suspects(self) -> tuple[Suspect, ...]:
        """Every fault with its odds, likeliest first; `unlisted` stands last."""
        k, found = self.knowledge, []
        for index, fault in enumerate(self.space.faults):
            pro, con = self._moved(index, fault)
            p = float(self.weighed.faults[index])
            found.append(Suspect(fault, k.faults[fault].title, k.fault_system[fault], p, pro, con, _because(k.faults[fault].shows, pro, con, p)))
        found.sort(key=lambda s: (-s.probability, s.fault))
        pro, con = self._moved(-1, UNLISTED)
        return (*found, Suspect(UNLISTED, "Something not on this list", "", float(self.weighed.faults[-1]), pro, con,
                                "Kept open: no list is whole. It grows when the findings fit none of the others."))

    def _moved(self, index: int, fault: str) -> tuple[tuple[Moved, ...], tuple[Moved, ...]]:
        bits = self.weighed.moved[:, index]
        moved = [Moved(self.evidence[i].entries, self.evidence[i].says, float(bits[i]), self.evidence[i].reasons.get(fault, ""), self.evidence[i].pattern)
                 for i in np.flatnonzero(np.abs(bits) > MOVED_BITS)]
        return tuple(sorted((m for m in moved if m.bits > 0), key=lambda m: -m.bits)), tuple(sorted((m for m in moved if m.bits < 0), key=lambda m: m.bits))

    @cached_property
    def explains(self) -> np.ndarray:
        """Which faults explain something that was found, shape (F,). The others, there or not, are no part of this
        complaint: nothing is repaired or tested for them here. All of them, as long as nothing was found."""
        found = np.zeros(len(self.space.faults), bool)
        for e in self.evidence:
            at = e.finding.outcomes.index(e.outcome) if e.finding else 0
            if e.finding and at:
                for fault, row in e.finding.shows.items():
                    if fault in self.space.place and row[at] > EXPLAINS_RATIO * e.finding.general[at]:
                        found[self.space.place[fault]] = True
        return found if found.any() else ~found

    def needed(self, rows: np.ndarray) -> tuple[np.ndarray, list[tuple[str, ...]]]:
        """What each of some sets of faults needs for this complaint to be cured: the group of each, the repairs of
        each group. A fault without which the rest of its set explains the findings at least half as well is a
        passenger and needs nothing here, unless it is what kills another of the set."""
        repair_of = tuple(self.knowledge.faults[f].repair for f in self.space.faults)
        held = self.space.held[rows]
        left = [self.space.without(rows, column) for column in range(self.space.most)]
        told, *told_without = self._told(np.stack([rows, *left]))
        explains = np.append(self.explains, [False, False])[held]
        counts = np.zeros(held.shape, bool)
        for column in range(self.space.most):
            kills = np.any([self.engine.kills[held[:, column], held[:, other]] for other in range(self.space.most) if other != column], axis=0)
            counts[:, column] = explains[:, column] & ((left[column] == rows) | (told - told_without[column] > PASSENGER)) | kills
        return repair_groups(self.space, repair_of, rows, counts)

    def _told(self, places: np.ndarray) -> np.ndarray:
        """How likely some sets make all that was found, in logs, contexts and patterns left out; the shape of `places`."""
        told = np.zeros(places.shape, np.float32)
        for e, row in zip(self.evidence, self.rows, strict=True):
            if e.finding:
                told += row[places]
        return told

    @cached_property
    def repairs(self) -> dict[str, float]:
        """The chance that one repair alone cures the complaint, likeliest first."""
        rows = likeliest_sets(self.weighed.sets)
        groups, repairs = self.needed(rows)
        by_group = np.bincount(groups, weights=self.weighed.sets[rows], minlength=len(repairs)) / self.weighed.sets[rows].sum()
        odds = dict.fromkeys((self.knowledge.faults[f].repair for f in self.space.faults), 0.0)
        for names, p in zip(repairs, by_group, strict=True):
            if len(names) == 1:
                odds[names[0]] += float(p)
        return dict(sorted(odds.items(), key=lambda item: -item[1]))

    @cached_property
    def conflicts(self) -> tuple[ConflictFound, ...]:
        said = [i for i, e in enumerate(self.evidence) if e.finding is not None]
        return tuple(self._conflict([said[i] for i in group]) for group in conflicts([self.rows[i] for i in said]))

    def _conflict(self, group: list[int]) -> ConflictFound:
        members = [self.evidence[i] for i in group]
        entries = tuple(dict.fromkeys(i for e in members for i in e.entries))
        both = "both" if len(members) == 2 else "all of these"
        again = min(members, key=self._repeat_min)
        return ConflictFound(entries, f"No fault, nor three together, explains {both}: {'; '.join(e.says for e in members)}. "
                                      f"{'Ask again' if self._repeat_min(again) < 1 else 'Repeat first'}: {again.says.split(':')[0]}.")

    def _repeat_min(self, e: Evidence) -> float:
        """What it takes to repeat a finding; a word of the driver is asked again, a code is read again."""
        assert e.finding is not None
        test = self.knowledge.tests.get(e.finding.id.split(".")[0])
        return test.minutes if test else 2.0 if e.finding.id.startswith("codes.") else 0.5

    @cached_property
    def trails(self) -> np.ndarray:
        """The odds of each fault before anything was found and after each piece of evidence in the order of the tape."""
        return trail(self.space, self.engine.prior, self.rows)

    def trail_of(self, fault: str) -> list[Step]:
        """How the odds of one fault went along the tape, by what each finding is taken for now."""
        column = self.trails[:, self.space.place[fault]]
        return [Step("Before anything was found", (), float(column[0])),
                *(Step(e.says, e.entries, float(p)) for e, p in zip(self.evidence, column[1:], strict=True))]


def _because(shows: str, pro: tuple[Moved, ...], con: tuple[Moved, ...], p: float) -> str:
    def told(moved: tuple[Moved, ...]) -> str:
        return "; ".join(m.says + (f" ({m.because})" if m.because else "") for m in moved[:3])

    sentence = f"For it: {told(pro)}." if pro else f"Nothing found speaks for it; {percent(p)} is what its base rate leaves."
    if con:
        sentence += f" Against it: {told(con)}."
    return sentence + (f" It shows as: {shows}." if not pro and shows else "")
