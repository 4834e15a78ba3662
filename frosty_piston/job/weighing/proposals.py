"""The next best tests of a job, the test to make before a part is bought, and when to stop testing."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import islice

import numpy as np

from frosty_piston.core.cached import cached_property
from frosty_piston.core.quantity import percent
from frosty_piston.core.suspects.next_test import (
    LEAST_MIN,
    Belief,
    Proposal,
    Sure,
    Test,
    information,
    likeliest_sets,
    propose,
    sure_enough,
)
from frosty_piston.core.suspects.space import Finding, outcome_chances
from frosty_piston.core.telling import TellingLimits
from frosty_piston.core.words import inside, listed, sentence
from frosty_piston.job.afterwards.experience import Experience
from frosty_piston.job.circuit.leaks import TESTS as CIRCUIT_TESTS
from frosty_piston.job.circuit.leaks import Leaks
from frosty_piston.job.circuit.proposed import circuit_tests
from frosty_piston.job.entries import Code
from frosty_piston.job.judging.measured import recorded_in, to_judge
from frosty_piston.job.judging.result import Result
from frosty_piston.job.repair.fit import barred, missing_pieces
from frosty_piston.job.repair.road import Road
from frosty_piston.job.repair.waits import open_waits
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.finding import NOT_SEEN, TestFinding

from . import access as a
from . import lines
from .addresses import Addresses
from .evidence import Evidence, belongs
from .places import DECIDED
from .presence import Presence
from .stopping import LEVER, lever_result, stop_open, stopped_by_hand
from .suspicion import EXPLAINS_RATIO, Likely, Suspicion

LEAST_GAIN_BITS = 0.015
LEAST_SAVED = 0.02
TELLS_LITTLE_BITS = 0.1
LEAST_PROPOSED = 3
SENSOR_WIRE = "sensor_wiring"
MOST_PROPOSED = 20
OPEN_SEARCH_MIN = 480.0
LOOK_MIN = 90.0
NOTHING_LEFT_MIN = 5.0
GROUPS_APART = 24
LEAST_CHANCE = 0.01
LEAST_ODDS = 0.004
LEAST_SWING = 0.02
SEARCH_WIDER = 0.5
STANDS_OUT = 0.5
LEAST_BESIDE = 0.02
LONG_MIN = 60.0
LEAST_LEFT = 0.2
ALL_BUT_CERTAIN = 0.9
AS_QUICK_MIN = 2.0
STANDS_OUT_FROM = 0.7
ROAD = "road_test"
JUDGE_MIN = 2.0
MOSTLY_ANYWAY = 0.5
CONDEMNS_FROM = 0.8
OPEN_UP_TO = 0.7


@dataclass(frozen=True)
class NextTest:
    """A proposed test: where, minutes with what must still come off, what it tells, what comes along with
    it. `spared`: the share of the repairs in vain to be feared that it spares by itself."""

    test: str
    title: str
    where: dict[str, str]
    minutes: float
    access: tuple[str, ...]
    gain_bits: float
    because: str
    cautions: tuple[str, ...]
    tools: tuple[str, ...]
    along: tuple[str, ...] = ()
    spared: float = 1.0


@dataclass(frozen=True)
class LeftOut:
    """A test that would tell something and cannot be made now, and why."""

    title: str
    why: str


@dataclass(frozen=True)
class Swing:
    """How far one outcome of a test would take a suspect, and how likely that outcome is."""

    test: NextTest
    outcome: str
    chance: float
    odds_after: float


@dataclass(frozen=True, eq=False)
class _Candidate:
    known: TestFinding
    way: a.Way
    where: dict[str, str]
    test: Test


class Proposals:
    """What to do next on a job. `own`: the workshop's patterns and the tools it lacks."""

    def __init__(
        self,
        job: Job,
        knowledge: Knowledge,
        suspicion: Suspicion,
        experience: Experience,
        verdicts: Sequence[Result] = (),
        leaks: Leaks | None = None,
        addresses: Addresses | None = None,
    ):
        self.verdicts = verdicts
        self._addresses = addresses
        self.leaks = leaks
        self.job = job
        self.knowledge = knowledge
        self.suspicion = suspicion
        self.experience = experience
        self.evidence = _still_standing(suspicion)
        self.states = a.states(job, knowledge)
        self.still = a.minutes_to(knowledge, a.access_reached(job, knowledge))
        self.left_out: list[LeftOut] = []
        self.words = knowledge.limits(TellingLimits)
        self._worded: dict[int, NextTest] = {}
        likely = suspicion.likely
        self.rows = likely.rows
        self.belief = self._belief(suspicion.weighed.sets, likely)
        self.candidates = self._with_anyway(list(self._candidates()))

    def _belief(self, sets: np.ndarray, likely: Likely) -> Belief:
        """The likeliest sets, in the groups of what they need; what is not among the likeliest groups is one
        open search."""
        rows, groups, repairs = likely
        weight = sets[rows] / sets[rows].sum()
        chance = np.bincount(groups, weights=weight, minlength=len(repairs))
        known = [n for n in np.argsort(-chance, kind="stable") if repairs[n]][:GROUPS_APART]
        renamed = np.full(len(repairs), len(known))
        renamed[known] = np.arange(len(known))
        groups = renamed[groups]
        cost = [sum(self._repair_min(r) for r in repairs[n]) for n in known]
        nothing = (
            rows == self.suspicion.space.empty_at
            if self.suspicion.left is None
            else ~self.suspicion.left[rows]
        )
        groups = np.where(nothing, len(known) + 1, groups)
        return Belief(weight, groups, np.array([*cost, OPEN_SEARCH_MIN, NOTHING_LEFT_MIN]), LOOK_MIN)

    def _repair_min(self, repair: str) -> float:
        shape = self.knowledge.repairs[repair].shape
        return shape.minutes + shape.part_minutes

    def _candidates(self) -> Iterator[_Candidate]:
        """Every finding not yet made that can be made on this vehicle, with its chances under the likeliest
        sets."""
        settled = {e.finding.id for e in self.evidence if e.finding and e.settled}
        unclear = self._unclear()
        condemned = _plug_condemned(self.evidence)
        dead = not self.job.repairs and any(s in self.job.complaints for s in ("no_start", "no_start_cold"))
        told = {
            shape.told_by
            for symptom in (self.job.symptoms if self.suspicion.before is None else ())
            if (shape := self.knowledge.symptoms[symptom]).told_whole
        }
        missing: dict[str, LeftOut] = {}
        alive = self._alive()
        recordings = to_judge(self.job)
        read = {v.test for v in self.verdicts}
        for test, findings in self.knowledge.findings.items():
            if (
                test in told
                or self.leaks
                and test in CIRCUIT_TESTS
                or self.job.engine.rules_out(self.knowledge.tests[test].needs)
            ):
                continue
            for known in findings:
                node = known.shape.nodes[0] if known.shape.nodes else None
                needs = {**known.shape.needs, **(self.knowledge.nodes[node].needs if node else {})}
                if (
                    known.finding.id in settled
                    or known.finding.id in unclear
                    or f"{test}.{known.shape.unless}" in settled
                    or not {x.by for x in known.shape.told_apart.values()} <= read
                    or known.shape.covers == "suspect_plugs"
                    and not condemned
                    or self.job.engine.rules_out(needs)
                ):
                    continue
                if self._told_already(test) or self.knowledge.tests[test].about_codes and not self._has_code:
                    continue
                if alive.isdisjoint(known.finding.shows):
                    continue
                way = a.cheapest_way(self.job, self.knowledge, known, self.still)
                way = replace(way, own_min=way.own_min * self._left_to_read(known))
                if why := self._not_now(known, way, dead):
                    missing.setdefault(test, LeftOut(self.knowledge.tests[test].title, why))
                    continue
                where = {
                    key: value
                    for key, value in (
                        ("point", way.point),
                        ("node", node),
                        ("channel", known.shape.channels[0] if known.shape.channels else None),
                    )
                    if value
                }
                table = outcome_chances(self.suspicion.space, self._to_come(known), self.rows)
                if recorded_in(self.knowledge, recordings, test, node or ""):
                    # What is recorded already is only to be judged.
                    way = replace(way, own_min=JUDGE_MIN, access=())
                choice = Test(known.finding.id, table, way.own_min, frozenset(way.access))
                yield _Candidate(known, way, where, choice)
        self.left_out = list(missing.values())
        yield from self._on_circuit(alive)

    def _left_to_read(self, known: TestFinding) -> float:
        """The share of a test that is still to be read: one that was begun takes less to end."""
        begun = [v.left for v in self.verdicts if v.test == known.test and v.left]
        if begun:
            return max(LEAST_LEFT, begun[-1])
        if known.shape.covers != "cylinders":
            return 1.0
        here = (v for v in self.verdicts if v.test == known.test)
        read = {
            verdict.where.get("cylinder")
            for verdict in here
            if verdict.judgement.verdict in DECIDED and belongs(self.job, self.knowledge, known, verdict)
        }
        return max(LEAST_LEFT, 1 - len(read - {None}) / self.job.cylinders)

    @cached_property
    def _has_code(self) -> bool:
        return any(True for _ in self.job.of(Code))

    def _told_already(self, test: str) -> bool:
        """Whether a test at the same part that tells more was made already."""
        shape = self.knowledge.tests[test]
        made = [v for v in self.verdicts if v.test in shape.adds_nothing_after]
        nodes = [self.knowledge.node(str(v.where["node"])) if "node" in v.where else None for v in made]
        return any(node is None or self.knowledge.nodes[node].part in shape.parts for node in nodes)

    def _on_circuit(self, alive: set[str]) -> Iterator[_Candidate]:
        """The tests at places of the circuit, with the chances that they have by now."""
        if self.leaks is None or self.experience.lacking & set(self.knowledge.tests[CIRCUIT_TESTS[0]].tools):
            return
        for one in circuit_tests(self.job, self.knowledge, self.leaks, self.suspicion):
            if alive.isdisjoint(one.finding.shows):
                continue
            known = replace(self.knowledge.findings[one.test][0], finding=one.finding)
            way = a.Way(None, one.minutes, ())
            where = {"node": one.at}
            table = outcome_chances(self.suspicion.space, one.finding, self.rows)
            yield _Candidate(known, way, where, Test(one.finding.id, table, one.minutes, frozenset(), 0.0))

    def _with_anyway(self, candidates: list[_Candidate]) -> list[_Candidate]:
        """The tests with how likely each will be asked for anyway: nothing is pulled before it is seen or
        measured bad at itself, and nothing on the word of a circuit code before its pins were measured. Of
        several ways to see that, the one that tells most for its minutes is asked for."""
        anyway: dict[str, float] = {}
        by_finding = {c.known.finding.id: c for c in reversed(candidates)}
        for repair, chance in self.suspicion.repairs_needed.items():
            cures = self.knowledge.repairs[repair].cures
            at_part = self.knowledge.proofs_at_part[repair]
            proven = any(_proves(e, cures) for e in self.evidence if e.finding and e.finding.id in at_part)
            by_code = any(_by_circuit_code(e, cures) for e in self.evidence)
            asked = [set() if proven else at_part, self.knowledge.pins_of[repair] if by_code else set()]
            for ways in asked:
                open_still = [f for f in by_finding if f in ways]
                if open_still:
                    best = max(open_still, key=lambda f: self._tells_a_minute(by_finding[f]))
                    anyway[best] = min(1.0, anyway.get(best, 0.0) + chance)
        return [
            replace(c, test=replace(c.test, anyway=anyway.get(c.known.finding.id, 0.0))) for c in candidates
        ]

    def _tells_a_minute(self, candidate: _Candidate) -> float:
        return information(self.belief, candidate.test.table)[0] / max(
            self._minutes(candidate.way), LEAST_MIN
        )

    def _unclear(self) -> set[str]:
        """The findings that were read now and stay unclear: the same again with the same instrument tells no
        more."""
        unclear: set[str] = set()
        decided = {e.finding.id for e in self.evidence if e.finding}
        for test in {v.test for v in self.verdicts if v.judgement.verdict == "unclear"}:
            for known in self.knowledge.findings.get(test, ()):
                here = [
                    verdict
                    for verdict in self.verdicts
                    if verdict.test == test
                    and not verdict.left
                    and belongs(self.job, self.knowledge, known, verdict)
                ]
                whole = known.shape.covers != "cylinders" or len(here) >= (self.job.engine.cylinders or 0)
                if any(v.judgement.verdict == "unclear" for v in here) and (
                    known.finding.id not in decided or known.shape.covers == "cylinders" and whole
                ):
                    unclear.add(known.finding.id)
        return unclear

    def _alive(self) -> set[str]:
        """The faults that a test is made for: those that explain what was found, and once they are no longer
        likelier than not, all that show when the complaint does. Seldom ones wait while one stands out."""
        odds = self.suspicion.weighed.faults[:-1]
        suspicion = self.suspicion
        sets = suspicion.weighed.sets
        explaining = np.append(suspicion.explains, [False, False])
        covered = float(sets[explaining[suspicion.space.held].any(axis=1)].sum())
        wide = covered < SEARCH_WIDER
        regimes = self._regimes()
        least = LEAST_BESIDE if odds.max() > STANDS_OUT else LEAST_ODDS
        open_still = {f for e in suspicion.unexplained_findings if e.finding for f in e.finding.shows}
        return {
            fault
            for fault, chance, explains in zip(suspicion.space.faults, odds, suspicion.explains, strict=True)
            if chance >= (LEAST_ODDS if fault in open_still else least)
            and (
                explains
                or wide
                and (
                    not regimes
                    or not self.knowledge.regimes[fault]
                    or regimes & self.knowledge.regimes[fault]
                )
            )
        }

    def _regimes(self) -> set[str]:
        """When the complaint shows: at the start, running, at the stop; empty when only a lamp or a message
        says that something is wrong."""
        regimes: set[str] = {self.knowledge.symptoms[s].regime for s in self.job.complaints}
        return set() if regimes <= {"message"} else regimes - {"message"}

    def _not_now(self, known: TestFinding, way: a.Way, dead: bool) -> str:
        """Why a test cannot be made now, in words; empty when it can."""
        tools = [t for t in self.knowledge.tests[known.test].tools if t in self.experience.lacking]
        if tools:
            return f"needs what is not here: {', '.join(inside(self.knowledge.tools[t]) for t in tools)}"
        if dead and any(s in a.WARMS for s in way.access):
            return "needs the engine running, and it does not start"
        if self._pieces_out and (bar := barred(self.job, self.knowledge, known.test)):
            return bar
        shape = self.knowledge.tests[known.test]
        turns = shape.runs or shape.cranks or any(s in a.WARMS for s in way.access)
        if self._ground_off and (turns or a.KEY_ON in way.access):
            return "needs the battery, and its ground is off"
        if self._soaks and turns:
            return "would warm the engine, and it stands to get cold"
        better = [
            t for t in shape.stands_in_for if not set(self.knowledge.tests[t].tools) & self.experience.lacking
        ]
        if better:
            return (
                f"rough: {inside(self.knowledge.tests[better[0]].title)} tells more, and its tools are here"
            )
        if ROAD in shape.cautions and self._road.bar:
            hard = "the brakes are not assisted: they come first"
            return f"needs the road, and {hard if self._road.hard else self._road.bar}"
        if self._road.no_start and (shape.runs or shape.cranks):
            return "needs a start, and the countdown has none left"
        if a.WAITS in self.states:
            if a.COLD in way.access and a.COLD not in self.states:
                return "needs a cold engine, and the customer waits"
            if (minutes := self._minutes(way)) > a.LONGEST_WHILE_WAITED_FOR:
                return f"takes {minutes:g} min, and the customer waits"
        return ""

    @cached_property
    def _ground_off(self) -> bool:
        return a.ground_is_off(self.job, self.knowledge)

    @cached_property
    def _soaks(self) -> bool:
        return any(x.data.wait == "cold_soak" for x in open_waits(self.job))

    @cached_property
    def _pieces_out(self) -> bool:
        return bool(missing_pieces(self.job))

    @cached_property
    def _made(self) -> tuple[tuple[str, str], ...]:
        """The findings that stand, by id, with their outcomes."""
        return tuple((e.finding.id, e.outcome) for e in self.evidence if e.finding)

    @cached_property
    def _presence(self) -> Presence:
        return Presence(self.job, self.knowledge)

    def _to_come(self, known: TestFinding) -> Finding:
        """A finding before its test is made: the complaint may be away, and the fault elsewhere."""
        finding = self._presence.to_come(known, lines.to_come(self.knowledge, known, self._made))
        return self._addresses.to_come(known, finding) if self._addresses else finding

    @cached_property
    def _road(self) -> Road:
        return Road.of(self.job, self.knowledge, self.experience)

    def _minutes(self, way: a.Way) -> float:
        """Work only: the wait for a cold engine is filled with other jobs."""
        return way.own_min + sum(self.still.get(x, 0.0) for x in way.access if x != a.COLD)

    @cached_property
    def ranked(self) -> list[Proposal]:
        return propose(self.belief, [c.test for c in self.candidates], self.still)

    @cached_property
    def _unswayed(self) -> tuple[np.ndarray, Belief] | None:
        """The likeliest sets and the belief by the findings alone, when a workshop pattern had a say."""
        sets = self.suspicion.without_patterns
        if sets is None or self.suspicion.before is not None:
            return None
        rows = likeliest_sets(sets)
        return rows, self._belief(sets, Likely(rows, *self.suspicion.needed(rows)))

    def _unswayed_test(self, c: _Candidate, rows: np.ndarray) -> Test:
        return replace(c.test, table=outcome_chances(self.suspicion.space, self._to_come(c.known), rows))

    def _tells(self, proposal: Proposal) -> bool:
        """Whether a test would tell something. Experience alone never takes one off the list: what would tell
        something without it stays."""
        if proposal.bits >= LEAST_GAIN_BITS or not self._unswayed:
            return proposal.bits >= LEAST_GAIN_BITS
        rows, belief = self._unswayed
        test = self._unswayed_test(self.candidates[proposal.test], rows)
        return information(belief, test.table)[0] >= LEAST_GAIN_BITS

    def _begun(self, proposal: Proposal) -> bool:
        """Whether a test was begun and what is left of it is still to be read: it is ended first."""
        known = self.candidates[proposal.test].known
        return any(
            v.test == known.test and v.left and belongs(self.job, self.knowledge, known, v)
            for v in self.verdicts
        )

    def _idle(self, proposal: Proposal) -> bool:
        """Whether a test tells little, and spares next to nothing of the work in vain to be feared."""
        return proposal.spared < LEAST_SAVED and proposal.bits < TELLS_LITTLE_BITS

    def _telling(self) -> Iterator[NextTest]:
        """What would tell something, best first; what lies behind an hour of work only after every look.
        Where it is not known what stops the engine, that stands before everything."""
        places: set[tuple[str, tuple[tuple[str, str], ...]]] = set()
        if stop_open(self.job) and lever_result(self.job) is None and not stopped_by_hand(self.job):
            places.add((LEVER, ()))
            yield self._lever()
        long = [p for p in self.ranked if p.minutes >= LONG_MIN]
        short = [p for p in self.ranked if p.minutes < LONG_MIN]
        # What is all but certain is read at itself before it is pulled: as quick as the best, it goes first.
        quick = short[0].minutes + AS_QUICK_MIN if short else 0.0
        short.sort(
            key=lambda p: (
                not self._begun(p)
                and (p.minutes > quick or self.candidates[p.test].test.anyway < ALL_BUT_CERTAIN)
            )
        )
        shown = 0
        for proposal in sorted([*short, *long], key=self._idle):
            candidate = self.candidates[proposal.test]
            key = (candidate.known.test, tuple(candidate.where.items()))
            if key in places or not self._tells(proposal) or not self._moves_anything(candidate):
                continue
            if self._idle(proposal) and shown >= LEAST_PROPOSED:
                return
            shown += 1
            places.add(key)
            yield self._next(candidate, proposal)

    def _lever(self) -> NextTest:
        """The emergency lever, before anything runs."""
        shape = self.knowledge.tests[LEVER]
        because = "Know what stops it before anything else runs it; stalling it in gear is no test."
        return NextTest(
            LEVER,
            shape.title,
            {},
            minutes=shape.minutes,
            access=tuple(shape.access),
            gain_bits=0.0,
            because=because,
            cautions=tuple(shape.cautions),
            tools=tuple(shape.tools),
            along=(),
        )

    @cached_property
    def first(self) -> NextTest | None:
        """The next best test; None when none would tell more."""
        return next(iter(self.top(1)), None)

    @cached_property
    def next_tests(self) -> tuple[NextTest, ...]:
        """Best first: the most information about what to repair per minute, each test once at each place."""
        return self.top(MOST_PROPOSED)

    def top(self, most: int) -> tuple[NextTest, ...]:
        """The first of the next tests."""
        return tuple(islice(self._telling(), most))

    def _next(self, c: _Candidate, p: Proposal) -> NextTest:
        if p.test not in self._worded:
            self._worded[p.test] = self._in_words(c, p)
        return self._worded[p.test]

    def _in_words(self, candidate: _Candidate, proposal: Proposal) -> NextTest:
        shape = self.knowledge.tests[candidate.known.test]
        along = tuple(
            dict.fromkeys(
                t for i in proposal.along if (t := self._short(self.candidates[i])) != self._short(candidate)
            )
        )
        return NextTest(
            candidate.known.test,
            self._title(candidate),
            candidate.where,
            minutes=self._minutes(candidate.way),
            access=candidate.way.access,
            gain_bits=proposal.bits,
            because=self._promise(candidate, along),
            cautions=tuple(shape.cautions),
            tools=tuple(shape.tools),
            along=along,
            spared=proposal.spared,
        )

    def _title(self, candidate: _Candidate) -> str:
        shape = self.knowledge.tests[candidate.known.test]
        if candidate.way.point in shape.at:
            spot = shape.at[candidate.way.point].title
        elif "node" in candidate.where:
            spot = self._called(candidate.where["node"])
        else:
            spot = candidate.where.get("channel", "").replace("_", " ")
        repeats = not spot or spot.lower() in shape.title.lower()
        return shape.title if repeats else f"{shape.title}, {inside(spot)}"

    def _short(self, c: _Candidate) -> str:
        title = self.knowledge.tests[c.known.test].title.split(",")[0].split(":")[0]
        return inside(title) + (f" ({inside(self._called(c.where['node']))})" if "node" in c.where else "")

    def _called(self, node: str) -> str:
        """What a part is called: on the circuit of the job, or anywhere."""
        if self.leaks and node in self.leaks.leaking.named:
            return self.leaks.leaking.named[node]
        return self.knowledge.nodes[node].title

    @cached_property
    def _members(self) -> np.ndarray:
        return np.asarray(self.suspicion.space.members[self.rows].astype(np.float64))

    @cached_property
    def _now(self) -> np.ndarray:
        """The chance of each fault among the likeliest sets, shape (F + 1,)."""
        return np.asarray(self.belief.sets @ self._members)

    def _after(self, c: _Candidate) -> tuple[np.ndarray, np.ndarray]:
        """The chance of each outcome, shape (K,), and of each fault after each, shape (K, F + 1)."""
        joint = self.belief.sets[:, None] * c.test.table
        outcomes = joint.sum(axis=0)
        return outcomes, (joint.T @ self._members) / np.maximum(outcomes, 1e-12)[:, None]

    def _moved_most(self, c: _Candidate) -> tuple[int, float, float]:
        """The fault that a test moves most, by its place, and its highest and lowest chance after it."""
        outcomes, after = self._after(c)
        fault = int(np.argmax((outcomes @ np.abs(after - self._now))[:-1]))
        likely = outcomes >= LEAST_CHANCE
        return fault, float(after[likely, fault].max()), float(after[likely, fault].min())

    def _moves_anything(self, c: _Candidate) -> bool:
        """Whether a test moves the chance of a fault by as much as can be read."""
        fault, high, low = self._moved_most(c)
        return len({percent(high), percent(low), percent(float(self._now[fault]))}) > 1

    def _promise(self, candidate: _Candidate, along: tuple[str, ...]) -> str:
        """Why a test is worth its minutes, as a colleague would say it."""
        fault, high, low = self._moved_most(candidate)
        now = self._now
        name = inside(self.knowledge.faults[self.suspicion.space.faults[fault]].title)
        stood = percent(float(now[fault]))
        minutes = round(self._minutes(candidate.way))
        text = "A minute" if minutes <= 1 else f"{minutes} minutes"
        condemns = high >= CONDEMNS_FROM and now[fault] <= OPEN_UP_TO
        clears = self.words.clears(low, float(now[fault]))
        if condemns and clears:
            text += f", and it clears “{name}” or condemns it ({stood} now)."
        elif clears:
            text += f", and it can clear “{name}” ({stood} now)."
        elif condemns:
            text += f", and it can condemn “{name}” ({stood} now)."
        elif high <= now[fault]:
            text += f", and it can lower “{name}” from {stood} to {percent(low)}."
        elif low >= now[fault]:
            text += f", and it can raise “{name}” from {stood} to {percent(high)}."
        else:
            text += f", and it moves “{name}” from {stood} up to {percent(high)}"
            text += f" or down to {percent(low)}."
        opens = [
            inside(self.knowledge.access[access].title)
            for access in candidate.way.access
            if self.still.get(access, 0) > 1 and access not in (a.COLD, a.HOT)
        ]
        if along and opens:
            text += f" {sentence(opens[0])} pays for more: {', '.join(along)}."
        if a.COLD in candidate.way.access and a.COLD in self.still:
            text += " Needs a cold engine: plan it for the morning."
        return text

    def swings(self, fault: str, most: int | None = None) -> list[Swing]:
        """What would change one suspect most: for every test the outcome that takes its odds furthest,
        strongest first; at most so many that raise it and so many that lower it."""
        at = self.suspicion.space.place[fault]
        now = float(self._now[at])
        by_test: dict[tuple[object, ...], tuple[int, int, float, float]] = {}
        for number, candidate in enumerate(self.candidates):
            outcomes, after = self._after(candidate)
            for index in np.flatnonzero(outcomes >= LEAST_CHANCE):
                odds = float(after[index, at])
                key = (candidate.known.test, tuple(candidate.where.items()), odds > now)
                if key not in by_test or abs(odds - now) > abs(by_test[key][3] - now):
                    by_test[key] = (number, int(index), float(outcomes[index]), odds)
        told = sorted(by_test.values(), key=lambda s: -abs(s[3] - now))
        told = [s for s in told if abs(s[3] - now) > LEAST_SWING]
        if most is not None:
            up, down = ([s for s in told if (s[3] > now) == raised][:most] for raised in (True, False))
            told = [s for s in told if s in up or s in down]
        return [
            Swing(
                self._proposed(number), _word(self.candidates[number].known.finding.outcomes[i]), chance, odds
            )
            for number, i, chance, odds in told
        ]

    def _proposed(self, number: int) -> NextTest:
        return self._next(self.candidates[number], next(p for p in self.ranked if p.test == number))

    @cached_property
    def before_you_buy(self) -> Swing | None:
        """The cheapest test that could still clear the leading suspect: found sound, it takes it to a third
        or less."""
        leading = self.suspicion.suspects[0].fault
        if leading not in self.suspicion.space.faults:
            return None
        at = self.suspicion.space.place[leading]
        now = float(self._now[at])
        best = None
        for number, candidate in enumerate(self.candidates):
            minutes = self._minutes(candidate.way)
            if leading not in candidate.known.finding.shows or best is not None and minutes >= best[0]:
                continue
            outcomes, after = self._after(candidate)
            if self.words.clears(float(after[0, at]), now):
                best = (
                    minutes,
                    number,
                    _word(candidate.known.finding.outcomes[0]),
                    float(outcomes[0]),
                    float(after[0, at]),
                )
        return Swing(self._proposed(best[1]), *best[2:]) if best else None

    @cached_property
    def sure(self) -> Sure:
        """Whether to stop testing: when no test spares more than it takes and one repair stands out, or
        nothing would tell more. A pattern of the workshop never ends the search by itself."""
        sure = sure_enough(self.belief, self.ranked)
        open_still = sure.chance < STANDS_OUT_FROM or self.suspicion.left_to_explain
        if sure.enough and open_still and self.first:
            return replace(sure, enough=False)
        if sure.enough and self._unswayed:
            rows, belief = self._unswayed
            ranked = propose(belief, [self._unswayed_test(c, rows) for c in self.candidates], self.still)
            return replace(sure, enough=sure_enough(belief, ranked).enough)
        return sure

    @cached_property
    def acquits(self) -> bool:
        """Whether the search may end with nothing found: something was tested, nothing of it failed, and that
        nothing is wrong is likely while no single repair is."""
        verdicts = {v.judgement.verdict for v in self.verdicts}
        likeliest = max(self.suspicion.repairs_needed.values(), default=0.0)
        return (
            "sound" in verdicts
            and not verdicts & {"failed", "marginal"}
            and not self.job.repairs
            and self.suspicion.sound >= self.words.acquits
            and likeliest <= self.words.acquits_beside
        )

    @cached_property
    def nothing_says(self) -> str:
        """That nothing is wrong, or nothing on the list fits, where that is likelier than any repair; else
        empty."""
        likeliest = max(self.suspicion.repairs_needed.values(), default=0.0)
        sound = self.suspicion.sound
        unlisted = float(self.suspicion.weighed.faults[-1])
        if max(sound, unlisted) <= likeliest:
            return ""
        if sound >= unlisted:
            return f"Nothing found, {percent(sound)}: it runs as it should"
        return f"Nothing on this list fits, {percent(unlisted)}"

    @cached_property
    def stop_rule(self) -> str:
        """The stop rule in one sentence, with what being wrong costs against what another test takes."""
        sure = self.sure
        if self.acquits:
            return "What would show is cleared, and no single repair is likely to be needed."
        head = self._likeliest_says()
        cost = f"being wrong is expected to cost {round(sure.wrong_min)} min of work and parts"
        if not self.ranked:
            return f"No test is left that would tell more: {head}; {cost}."
        if sure.enough and self._likeliest_p < STANDS_OUT_FROM:
            return f"No test spares more than it takes: {self.nothing_says or head}; {cost}. General times."
        if sure.enough:
            return f"Sure enough: {head}; {cost}, less than another test saves. General times."
        if sure.saves_min <= sure.price_min:
            if sure.chance >= STANDS_OUT_FROM and self.suspicion.left_to_explain and self.first:
                left = listed([inside(e.says) for e in self.suspicion.left_to_explain[:2]])
                return f"Not yet: {head}, but it does not explain {left}."
            if sure.chance < STANDS_OUT_FROM and self.first:
                return f"Not yet: {head}, and no repair stands out. {self.first.title} tells more first."
            return (
                f"Not by findings alone: {head}, and the workshop's own pattern carries part of it. One more"
                " test first."
            )
        return f"Not yet: {head}; {cost}.{self._first_pays()} General times."

    def _first_pays(self) -> str:
        """What the first of the proposed tests takes and spares, in words; empty when none is proposed."""
        named = self.first
        first = next((p for p in self.ranked if named and self._worded.get(p.test) is named), None)
        if named is None or first is None:
            return ""
        anyway = ""
        if first.price_min < first.minutes * MOSTLY_ANYWAY:
            anyway = ", asked for anyway before the part is pulled,"
        spares = round(first.saves_min)
        saves = f" and is expected to save {spares} min" if spares >= 1 else ""
        return f" The next test takes {max(1, round(named.minutes))} min{anyway}{saves}."

    @cached_property
    def _likeliest_p(self) -> float:
        """The chance of what is likeliest: a repair, some together, or that nothing is wrong."""
        return max([*self.suspicion.together.values(), self.suspicion.sound], default=0.0)

    def _likeliest_says(self) -> str:
        """What would most likely cure, alone or together, in words."""
        known = {names: p for names, p in self.suspicion.together.items() if names}
        if not known:
            return "nothing is known that would cure"
        likeliest = max(known, key=lambda names: known[names])
        if self.suspicion.sound > known[likeliest]:
            return f"{percent(self.suspicion.sound)} that nothing is wrong"
        named = [f"“{inside(self.knowledge.repairs[r].title)}”" for r in likeliest]
        return (
            f"{percent(known[likeliest])} that it needs {listed(named)}{' alone' if len(named) == 1 else ''}"
        )


def _word(outcome: str) -> str:
    return outcome.removeprefix("all_").removeprefix("glow_").replace("_", " ")


def _still_standing(suspicion: Suspicion) -> list[Evidence]:
    """The evidence that need not be gathered again: what was found in this time, and what was found before of
    parts that nothing was done to since."""
    done: set[str] = set()
    standing: list[Evidence] = []
    for time in reversed(suspicion.chain):
        standing += [e for e in time.evidence if not (e.finding and done & set(e.finding.shows))]
        done |= set(time.done.cures) if time.done else set()
    return standing


def _proves(evidence: Evidence, faults: Sequence[str]) -> bool:
    """Whether a finding speaks for one of some faults."""
    if evidence.finding is None:
        return False
    at = evidence.finding.outcomes.index(evidence.outcome)
    rows = [evidence.finding.shows[f] for f in faults if f in evidence.finding.shows]
    return at > 0 and any(row[at] > EXPLAINS_RATIO * evidence.finding.general[at] for row in rows)


def _by_circuit_code(evidence: Evidence, faults: Sequence[str]) -> bool:
    """Whether a circuit code speaks for one of some faults: the wire stands beside the part in its group."""
    finding = evidence.finding
    if finding is None or not finding.id.startswith("codes.") or SENSOR_WIRE not in finding.shows:
        return False
    return any(f in finding.shows for f in faults if f != SENSOR_WIRE)


def _plug_condemned(evidence: list[Evidence]) -> bool:
    return any(
        piece.finding
        and piece.finding.id.startswith(("glow_resistance", "glow_current", "glow_lamp"))
        and piece.outcome not in ("sound", "not_open", NOT_SEEN)
        for piece in evidence
    )
