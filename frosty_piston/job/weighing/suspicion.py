"""Suspects with their odds and reasons, the conflicts among what was found, and how the odds went along the
tape."""

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from frosty_piston.core.cached import cached_property
from frosty_piston.core.quantity import percent
from frosty_piston.core.suspects.carried import carried, log_weights, said_by_proof, still_explaining
from frosty_piston.core.suspects.next_test import likeliest_sets, repair_groups
from frosty_piston.core.suspects.odds import Weighed, chances, conflicts, trail, weigh
from frosty_piston.core.suspects.space import UNLISTED, Finding, Space, build_space, log_prior
from frosty_piston.core.words import inside
from frosty_piston.job.engine import EngineCard
from frosty_piston.job.entries import Entry, Outcome, Reading
from frosty_piston.job.tape.fold import CHANGES_NO_PART, Job
from frosty_piston.knowledge import Knowledge

from .codes_seen import LIFE_OF_HISTORY
from .evidence import Evidence

UNLISTED_PER_THOUSAND = 15.0
# A complaint with nothing behind it weighs as much as a common fault before anything is found.
SOUND_WEIGHT = 0.05
MOVED_BITS = 0.15
EXPLAINS_RATIO = 1.5
MAY_WELL_BE = 0.5
STILL_OPEN = 0.05
COMMONLY_KILLS = 0.2
NEVER_TOGETHER = 1e-6
LEAST_WITHOUT = 1e-6
APART = 2.0
WORTH_SAYING = 0.05
PASSENGER = float(np.log(2))
ENGINES_KEPT = 4
TINY = 1e-300
VACUUM = "vacuum"


class Moved(NamedTuple):
    """One piece of evidence and how far it moved a suspect, in bits of log odds."""

    entries: tuple[str, ...]
    says: str
    bits: float
    because: str
    pattern: bool = False


class Likely(NamedTuple):
    """The likeliest sets by number, the group of each, and the repairs that each group needs."""

    rows: np.ndarray
    groups: np.ndarray
    repairs: list[tuple[str, ...]]


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

    def __init__(self, knowledge: Knowledge, faults: tuple[str, ...]):
        self.space: Space = build_space(faults)
        rates = (
            np.array([knowledge.faults[f].per_thousand for f in faults] + [UNLISTED_PER_THOUSAND], float)
            / 1000
        )
        self.prior = log_prior(self.space, rates / (1 - rates), _together(knowledge, faults), SOUND_WEIGHT)
        self.kills = _kills(knowledge, faults)


def _together(knowledge: Knowledge, faults: tuple[str, ...]) -> np.ndarray:
    """How many times likelier two faults come together than by chance: what kills the one is often still
    there; two states of one thing are never there at once."""
    place = {f: i for i, f in enumerate(faults)}
    bonds = np.ones((len(faults), len(faults)))
    for fault in faults:
        for cause, chance in knowledge.upstream[fault].items():
            if cause in place:
                times = max(1.0, chance / (knowledge.faults[fault].per_thousand / 1000))
                bonds[place[fault], place[cause]] = bonds[place[cause], place[fault]] = max(
                    times, bonds[place[fault], place[cause]]
                )
        for other in knowledge.faults[fault].never_with:
            if other in place:
                bonds[place[fault], place[other]] = bonds[place[other], place[fault]] = NEVER_TOGETHER
    return bonds


def _kills(knowledge: Knowledge, faults: tuple[str, ...]) -> np.ndarray:
    """Which fault commonly kills which, shape (F + 2, F + 2): the cause in the row. How the vehicle is used
    is asked of the driver, not repaired."""
    place = {f: i for i, f in enumerate(faults)}
    kills = np.zeros((len(faults) + 2,) * 2, bool)
    for f in faults:
        for cause, chance in knowledge.upstream[f].items():
            if cause in place and chance >= COMMONLY_KILLS and knowledge.fault_system[cause] != "driver":
                kills[place[cause], place[f]] = True
    return kills


_engine = lru_cache(maxsize=ENGINES_KEPT)(Engine)


def possible_faults(knowledge: Knowledge, engine: EngineCard, named: bool = False) -> tuple[str, ...]:
    """The faults that are weighed: those that the card does not rule out. Where nothing lives on vacuum but
    the brakes, faults of the vacuum circuit are weighed only when they were named: the brakes complained of,
    or something of the circuit looked at or measured; and that of a part which the card leaves open."""
    dry = engine.vacuum_consumers is False and not named
    return tuple(
        fault
        for fault, shape in knowledge.faults.items()
        if not engine.rules_out(shape.needs)
        and not (dry and knowledge.fault_system[fault] == VACUUM and not _left_open(engine, shape.needs))
    )


def _left_open(engine: EngineCard, needs: Collection[str]) -> bool:
    return any(getattr(engine, field) is None for field in needs)


@dataclass(frozen=True)
class Done:
    """What an act on the tape takes away: the faults, and the chance that it does."""

    entry: Entry
    says: str
    cures: tuple[str, ...]
    takes: float

    @property
    def is_repair(self) -> bool:
        return bool(self.entry.data.action != CHANGES_NO_PART)


@dataclass(frozen=True)
class Suspicion:
    """The evidence of one time of a job weighed on the vehicle as it was then: what was believed before it,
    less what was done since. What few ask for is worked out when it is first asked for."""

    job: Job
    knowledge: Knowledge
    evidence: list[Evidence]
    before: "Suspicion | None" = None
    done: Done | None = None

    @cached_property
    def engine(self) -> Engine:
        tests = self.knowledge.tests
        # What was found sound names nothing: a good brake pedal brings no vacuum faults among the suspects.
        named = "hard_brake_pedal" in self.job.symptoms or any(
            tests[entry.data.test].system == VACUUM
            and tests[entry.data.test].outcomes.get(getattr(entry.data, "outcome", None) or "") != "sound"
            for entry in self.job.tape
            if isinstance(entry.data, Reading | Outcome)
        )
        return _engine(self.knowledge, possible_faults(self.knowledge, self.job.engine, named))

    @property
    def space(self) -> Space:
        return self.engine.space

    @cached_property
    def prior(self) -> np.ndarray:
        """The log weight of each set before this time's evidence."""
        if self.before is None or self.done is None:
            return self.engine.prior
        return log_weights(carried(self.space, self.before.weighed.sets, self.done.cures, self.done.takes))

    @property
    def rows(self) -> list[np.ndarray]:
        """How likely each set of faults makes each piece of evidence, in logs."""
        return self._walked[0]

    @property
    def unexplained(self) -> np.ndarray:
        """The share of each set, at the end of this time, in which the complaint never came from its
        faults."""
        return self._walked[1]

    @cached_property
    def _walked(self) -> tuple[list[np.ndarray], np.ndarray]:
        """The rows of the evidence. A proof says the same of a set that still explains the complaint and of
        one that never did: there the complaint came from something unlisted, and no repair took it away."""
        share = self._unexplained_before
        rows = []
        for piece in self.evidence:
            if piece.if_left is None or self.left is None:
                rows.append(piece.log_likelihood(self.space))
                continue
            row, share = said_by_proof(self.left, share, *piece.if_left)
            rows.append(np.log(row).astype(np.float32))
        return rows, share

    @cached_property
    def _unexplained_before(self) -> np.ndarray:
        if self.before is None or self.done is None:
            return np.zeros(len(self.space.held))
        weight = self.before.weighed.sets
        share = (
            np.where(self.before.explaining, 0.0, 1.0)
            if self.before.before is None
            else self.before.unexplained
        )
        moved = carried(self.space, weight * share, self.done.cures, self.done.takes)
        return np.asarray(
            moved / np.maximum(carried(self.space, weight, self.done.cures, self.done.takes), TINY)
        )

    @cached_property
    def told(self) -> np.ndarray:
        """How likely each set makes all that was found until now, in logs; contexts, patterns and proofs left
        out."""
        told = np.zeros(len(self.space.held), np.float32) if self.before is None else self.before.told.copy()
        for e, row in zip(self.evidence, self.rows, strict=True):
            if e.finding:
                told += row
        return told

    @cached_property
    def explaining(self) -> np.ndarray:
        """Which sets explain the complaint by all that was found until now, shape (N,). Every one that holds
        a fault, as long as nothing was found that it could explain."""
        if self.found_something:
            return still_explaining(self.space, self.told)
        explaining = np.ones(len(self.space.held), bool)
        explaining[self.space.empty_at] = False
        return explaining

    @property
    def left(self) -> np.ndarray | None:
        """Which sets still explain the complaint, by what was found before this time; None before the first
        repair."""
        return None if self.before is None else self.before.explaining

    @cached_property
    def found_something(self) -> bool:
        something = any(e.finding and e.outcome != e.finding.outcomes[0] for e in self.evidence)
        return something or self.before is not None and self.before.found_something

    @cached_property
    def sure(self) -> float | None:
        """The chance that nothing is left that explains the complaint; None before the first repair."""
        return (
            None
            if self.left is None
            else float((self.weighed.sets * (1 - self.unexplained))[~self.left].sum())
        )

    @property
    def sound(self) -> float:
        """The chance that nothing at all is wrong, or nothing is left."""
        return float(self.weighed.sets[self.space.empty_at])

    def cured_by(self, acts: list[tuple[tuple[str, ...], float]]) -> tuple[float, np.ndarray]:
        """Return the chance that some acts together would leave nothing that explains the complaint, and the
        chance that each fault is there after them, shape (F + 1,)."""
        share = np.where(self.explaining, 0.0, 1.0) if self.before is None else self.unexplained
        sets = self.weighed.sets
        lost = self.weighed.sets * share
        for cures, takes in acts:
            sets = carried(self.space, sets, cures, takes)
            lost = carried(self.space, lost, cures, takes)
        left = self.explaining
        return float((sets - lost)[~left].sum()), self.space.present(sets)

    @cached_property
    def weighed(self) -> Weighed:
        return weigh(self.space, self.prior, self.rows)

    @cached_property
    def without_patterns(self) -> np.ndarray | None:
        """The chance of each set by what was found alone; None when no workshop pattern had a say."""
        kept = [row for e, row in zip(self.evidence, self.rows, strict=True) if not e.pattern]
        return None if len(kept) == len(self.evidence) else chances(self.engine.prior, kept)

    @property
    def chain(self) -> "list[Suspicion]":
        """All times of the job until this one."""
        return [*(self.before.chain if self.before else ()), self]

    def odds(self, fault: str) -> float:
        """The chance of a fault; 0 for one that this engine cannot have."""
        at = self.space.place.get(fault)
        return 0.0 if at is None else float(self.weighed.faults[at])

    def at_repair(self, fault: str) -> float | None:
        """The chance of a fault when its repair was done, by the evidence before it alone: its last repair,
        else the latest one. None before the first repair."""
        repaired = [s for s in self.chain if s.done and s.done.is_repair and s.before]
        if not repaired:
            return None
        its_own = [s for s in repaired if s.done and fault in s.done.cures]
        return (its_own or repaired)[-1].before.odds(fault)  # type: ignore[union-attr]

    @cached_property
    def all_evidence(self) -> list[Evidence]:
        return [e for s in self.chain for e in s.evidence]

    @cached_property
    def suspects(self) -> tuple[Suspect, ...]:
        """Every fault with its odds, likeliest first; `unlisted` stands last."""
        knowledge = self.knowledge
        listed = []
        for index, fault in enumerate(self.space.faults):
            pro, con = self._moved(index, fault)
            chance = float(self.weighed.faults[index])
            because = self._carried_because(fault)
            because += _because(knowledge.faults[fault].shows, pro, con, chance, self._told_before(fault))
            beside = self._beside_leading(index, fault, chance)
            because += beside or self._left_over(chance, bool(pro))
            listed.append(
                Suspect(
                    fault,
                    knowledge.faults[fault].title,
                    knowledge.fault_system[fault],
                    probability=chance,
                    speaks_for=pro,
                    speaks_against=con,
                    because=because,
                )
            )
        listed.sort(key=lambda s: (-s.probability, s.fault))
        pro, con = self._moved(-1, UNLISTED)
        return (
            *listed,
            Suspect(
                UNLISTED,
                "Something not on this list",
                "",
                probability=float(self.weighed.faults[-1]),
                speaks_for=pro,
                speaks_against=con,
                because="Kept open: no list is whole. It grows when the findings fit none of the others.",
            ),
        )

    @cached_property
    def _leading(self) -> tuple[str, np.ndarray] | None:
        """The fault that explains most, likelier than not, and the chance of each other fault were it not
        there; None while nothing stands out."""
        at = int(self.weighed.faults[:-1].argmax())
        if self.weighed.faults[at] < MAY_WELL_BE:
            return None
        without = np.where((self.space.held == at).any(axis=1), 0.0, self.weighed.sets)
        left = float(without.sum())
        return (self.space.faults[at], self.space.present(without / left)) if left > LEAST_WITHOUT else None

    def _beside_leading(self, index: int, fault: str, p: float) -> str:
        """That a fault stands low because another one explains what was found, or high because it comes with
        it, by name."""
        if self._leading is None or self._leading[0] == fault:
            return ""
        name, without = self._leading
        alone = float(without[index])
        other = inside(self.knowledge.faults[name].title)
        if alone >= max(APART * p, p + WORTH_SAYING):
            return f" “{other}” explains what was found: without it this would stand at {percent(alone)}."
        if p >= max(APART * alone, alone + WORTH_SAYING):
            return f" It comes with “{other}”: without that it would stand at {percent(alone)}."
        return ""

    def _left_over(self, chance: float, told: bool) -> str:
        """That a fault which nothing speaks for stands as high as it does since others are cleared."""
        if told or self.before is not None or chance < WORTH_SAYING:
            return ""
        return f" {percent(chance)} is left of it as others are cleared."

    def _carried_because(self, fault: str) -> str:
        """What the repair before this time did to a fault, in words."""
        if self.before is None or self.done is None:
            return ""
        was = percent(self.before.odds(fault))
        if fault in self.done.cures:
            return (
                f"Stood at {was}; {inside(self.done.says)}, which takes it away in"
                f" {percent(self.done.takes)}. "
            )
        return f"Stood at {was} when this was done: {inside(self.done.says)}. "

    def moved_by(self, fault: str) -> tuple[tuple[Moved, ...], tuple[Moved, ...]]:
        """What moved a fault up and down in this time, strongest first."""
        return self._moved(self.space.place[fault], fault)

    def _told_before(self, fault: str) -> str | None:
        """What was found of a fault before the repairs, strongest first; None before the first of them."""
        if self.before is None:
            return None
        moved = [m for time in self.before.chain for way in time.moved_by(fault) for m in way]
        return _told(tuple(sorted(moved, key=lambda m: -abs(m.bits))))

    def _moved(self, index: int, fault: str) -> tuple[tuple[Moved, ...], tuple[Moved, ...]]:
        bits = self.weighed.moved[:, index]
        moved = [
            Moved(piece.entries, piece.says, float(bits[i]), because, piece.pattern)
            for i in np.flatnonzero(np.abs(bits) > MOVED_BITS)
            if (because := (piece := self.evidence[i]).reason(fault, bits[i] > 0)) is not None
        ]
        return tuple(sorted((m for m in moved if m.bits > 0), key=lambda m: -m.bits)), tuple(
            sorted((m for m in moved if m.bits < 0), key=lambda m: m.bits)
        )

    @cached_property
    def explains(self) -> np.ndarray:
        """Which faults explain something that was found, shape (F,). The others, there or not, are no part of
        this complaint: nothing is repaired or tested for them here. All of them, as long as nothing was
        found."""
        now = self._explained_by(e for e in self.all_evidence if not _of_the_past(e))
        explained = now if now.any() else self._explained_by(self.all_evidence)
        return explained if explained.any() else ~explained

    def _explained_by(self, evidence: Iterable[Evidence]) -> np.ndarray:
        """Which faults explain something of some evidence, shape (F,)."""
        explained = np.zeros(len(self.space.faults), bool)
        for piece in evidence:
            at = piece.finding.outcomes.index(piece.outcome) if piece.finding else 0
            if piece.finding and at:
                for fault, row in piece.finding.shows.items():
                    if fault in self.space.place and row[at] > EXPLAINS_RATIO * piece.finding.general[at]:
                        explained[self.space.place[fault]] = True
        return explained

    @cached_property
    def unexplained_findings(self) -> tuple[Evidence, ...]:
        """What was found that no fault which may well be there would bring: one fault found does not end the
        search while these stand."""
        odds = dict(zip(self.space.names, self.weighed.faults, strict=True))
        return tuple(
            e
            for e in self.evidence
            if e.finding and not _of_the_past(e) and not self._brought(e, e.finding, odds)
        )

    @cached_property
    def left_to_explain(self) -> tuple[Evidence, ...]:
        """Those of the unexplained that something may still bring: once all that would has been looked at,
        what is left is told by chance, or something that no test here shows."""
        return tuple(e for e in self.unexplained_findings if self._may_bring(e) >= STILL_OPEN)

    def _may_bring(self, evidence: Evidence) -> float:
        """The chance that any fault is there that would bring a finding."""
        assert evidence.finding is not None
        at = evidence.finding.outcomes.index(evidence.outcome)
        place = self.space.place
        brings = np.zeros(len(self.space.names) + 1, bool)
        for fault, row in evidence.finding.shows.items():
            if fault in place and row[at] > EXPLAINS_RATIO * evidence.finding.general[at]:
                brings[place[fault]] = True
        return float(self.weighed.sets[brings[self.space.held].any(axis=1)].sum())

    @staticmethod
    def _brought(e: Evidence, finding: Finding, odds: dict[str, float]) -> bool:
        at = finding.outcomes.index(e.outcome)
        return not at or any(
            odds.get(fault, 0.0) >= MAY_WELL_BE and row[at] > EXPLAINS_RATIO * finding.general[at]
            for fault, row in finding.shows.items()
        )

    def needed(self, rows: np.ndarray) -> tuple[np.ndarray, list[tuple[str, ...]]]:
        """What each of some sets of faults needs for this complaint to be cured: the group of each, the
        repairs of each group. A fault without which the rest of its set explains the findings at least half
        as well is a passenger and needs nothing here, unless it is what kills another of the set."""
        repair_of = tuple(self.knowledge.repair_of[f] for f in self.space.faults)
        held = self.space.held[rows]
        left = [self.space.without(rows, column) for column in range(self.space.most)]
        # How well a set explains the findings, beside the same set without each of its faults in turn: a
        # fault that nothing misses came along by chance, and its repair would be made for nothing.
        told, *told_without = self.told[np.stack([rows, *left])]
        explains = np.append(self.explains, [False, False])[held]
        counts = np.zeros(held.shape, bool)
        for column in range(self.space.most):
            others = [other for other in range(self.space.most) if other != column]
            kills = np.any([self.engine.kills[held[:, column], held[:, other]] for other in others], axis=0)
            # Alone in its set, and no repair behind it, there is nobody else to blame for the complaint.
            sole = left[column] == self.space.empty_at if self.before is None else np.zeros(len(rows), bool)
            misses = (told - told_without[column] > PASSENGER) & (left[column] != rows)
            counts[:, column] = explains[:, column] & (sole | misses) | kills
        if self.left is not None:
            counts[~self.left[rows]] = False
        return repair_groups(self.space, repair_of, rows, counts)

    @cached_property
    def likely(self) -> Likely:
        """The likeliest sets and what each needs."""
        rows = likeliest_sets(self.weighed.sets)
        return Likely(rows, *self.needed(rows))

    @cached_property
    def together(self) -> dict[tuple[str, ...], float]:
        """The chance that just these repairs are needed for this complaint, for every group of repairs."""
        rows, groups, repairs = self.likely
        weight = np.bincount(groups, weights=self.weighed.sets[rows], minlength=len(repairs))
        return {names: float(p) for names, p in zip(repairs, weight / weight.sum(), strict=True)}

    @cached_property
    def repairs(self) -> dict[str, float]:
        """The chance that one repair alone cures the complaint, likeliest first."""
        odds = dict.fromkeys((self.knowledge.repair_of[f] for f in self.space.faults), 0.0)
        for names, p in self.together.items():
            if len(names) == 1:
                odds[names[0]] += p
        return dict(sorted(odds.items(), key=lambda item: -item[1]))

    @cached_property
    def repairs_needed(self) -> dict[str, float]:
        """The chance that each repair is needed for this complaint, alone or with others, likeliest first."""
        odds: dict[str, float] = {}
        for names, p in self.together.items():
            for name in names:
                odds[name] = odds.get(name, 0.0) + p
        return dict(sorted(odds.items(), key=lambda item: -item[1]))

    @cached_property
    def conflicts(self) -> tuple[ConflictFound, ...]:
        said = [i for i, e in enumerate(self.evidence) if e.finding is not None]
        tried = slice(None) if self.before else slice(self.space.empty_at)
        of_one_place = [ConflictFound(e.entries, e.at_odds) for e in self.evidence if e.at_odds]
        among = conflicts([self.rows[i][tried] for i in said])
        return (*of_one_place, *(self._conflict([said[i] for i in group]) for group in among))

    def _conflict(self, group: list[int]) -> ConflictFound:
        members = [self.evidence[i] for i in group]
        entries = tuple(dict.fromkeys(i for e in members for i in e.entries))
        both = "both" if len(members) == 2 else "all of these"
        again = min(members, key=self._repeat_min)
        return ConflictFound(
            entries,
            f"No fault, nor three together, explains {both}: {'; '.join(e.says for e in members)}. "
            f"{'Ask again' if self._repeat_min(again) < 1 else 'Repeat first'}: {again.says.split(':')[0]}.",
        )

    def _repeat_min(self, evidence: Evidence) -> float:
        """What it takes to repeat a finding; a word of the driver is asked again, a code is read again."""
        assert evidence.finding is not None
        test = self.knowledge.tests.get(evidence.finding.id.split(".")[0])
        if test:
            return test.minutes
        if evidence.finding.id.startswith("codes."):
            return 2.0
        return 0.5

    @cached_property
    def trails(self) -> np.ndarray:
        """The odds of each fault before anything was found and after each piece of evidence in the order of
        the tape."""
        return trail(self.space, self.prior, self.rows)

    def trail_of(self, fault: str) -> list[Step]:
        """How the odds of one fault went along the tape, repairs among the steps, by what each finding is
        taken for now."""
        column = self.trails[:, self.space.place[fault]]
        begun = self.before.trail_of(fault) if self.before else []
        first = (
            Step(self.done.says, (self.done.entry.id,), float(column[0]))
            if self.done
            else Step("Before anything was found", (), float(column[0]))
        )
        return [
            *begun,
            first,
            *(Step(e.says, e.entries, float(p)) for e, p in zip(self.evidence, column[1:], strict=True)),
        ]


def _of_the_past(e: Evidence) -> bool:
    """Whether a code counts in half only: it waits for the complaint to be explained, and holds nobody up
    once it is."""
    return bool(e.finding and e.finding.id.startswith("codes.") and e.weight <= LIFE_OF_HISTORY)


def _told(moved: tuple[Moved, ...]) -> str:
    return "; ".join(m.says + (f" ({m.because})" if m.because else "") for m in moved[:3])


def _nothing_says(chance: float, since: bool) -> str:
    if since:
        return "Nothing found since speaks for it."
    if chance < WORTH_SAYING:
        return f"Nothing found speaks for it; {percent(chance)} is what its base rate leaves."
    return "Nothing found speaks for it by itself."


def _because(
    shows: str, pro: tuple[Moved, ...], con: tuple[Moved, ...], chance: float, before: str | None
) -> str:
    """Why a fault stands as it does. `before`: what was found of it before the repairs, None without one."""
    earlier = f" Before the repair: {before}." if before else ""
    if before is not None and not pro and not con:
        return f"{percent(chance)} is what is left; nothing found since moves it.{earlier}"
    sentence = f"For it: {_told(pro)}." if pro else _nothing_says(chance, before is not None)
    if con:
        sentence += f" Against it: {_told(con)}."
    return sentence + earlier + (f" It shows as: {shows}." if not pro and shows else "")
