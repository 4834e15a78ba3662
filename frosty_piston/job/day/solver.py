"""The day laid out by a constraint solver: nobody and nothing in two places, deadlines before idle time."""

import os
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from functools import cache
from importlib import import_module
from threading import get_native_id
from typing import Any

from frosty_piston.core.day import SOLVER, Day, DayLimits, Person, Piece, Placed, Plan, Work, cost, plain_rule

SEARCH_S = 1.2
WORKERS = 2
SEED = 11
NICENESS = 10
SLACK_MIN = 1440


@cache
def _cp() -> Any:
    """The solver, loaded when it is first asked for: that takes a second. None where it is not installed."""
    try:
        return import_module("ortools.sat.python.cp_model")
    except ModuleNotFoundError:
        return None


def installed() -> bool:
    """Whether there is a solver on this machine; without one a day is laid out by the plain rule."""
    return _cp() is not None


def warm() -> None:
    """Load the solver, so that the first plan is answered as fast as the next.

    >>> warm()
    """
    _cp()


class _Model:
    """One day as whole-numbered variables: a start for each piece, a yes or no for each who and where."""

    def __init__(self, day: Day, hint: Plan, limits: DayLimits):
        self.day = day
        self.hint = hint
        self.limits = limits
        # CP-SAT with optional intervals: a piece has one interval for each who may do it and each where it
        # may stand, of which exactly one is present; no two present ones of a lane overlap.
        self.cp = _cp()
        self.m = _cp().CpModel()
        latest = max((p.end for p in hint.placed), default=0)
        self.horizon = latest + SLACK_MIN
        self.running: dict[str, int] = {}
        self.start: dict[str, Any] = {}
        self.end: dict[str, Any] = {}
        self.who: dict[tuple[str, str], Any] = {}
        self.where: dict[tuple[str, str], Any] = {}
        self.of_person: dict[str, list[Any]] = {p.name: [] for p in day.people}
        self.of_bay: dict[str, list[Any]] = {b.name: [] for b in day.bays}
        self.of_tool: dict[str, list[Any]] = {t: [] for t in day.single_tools}
        for work in day.works:
            self._work(work)
        for person in day.people:
            self._off(person)
        for lane in (*self.of_person.values(), *self.of_bay.values(), *self.of_tool.values()):
            self.m.add_no_overlap(lane)
        self.m.minimize(
            sum(self._cost(w) for w in day.works if self._whole(w)) + self._breaks() + self._changes()
        )

    def _pieces(self, work: Work) -> list[Piece]:
        """What the hint could lay out: the rest is left by both."""
        return [p for p in work.pieces if p.id in self.hint.of]

    def _whole(self, work: Work) -> bool:
        return bool(work.pieces) and work.pieces[-1].id in self.hint.of

    def _work(self, work: Work) -> None:
        before = None
        first = self._first_possible(work)
        for piece in self._pieces(work):
            pin = self.day.pin_of.get(piece.id)
            hint = self.hint.of[piece.id]
            minutes = hint.end - hint.start
            at = pin.at if pin is not None and pin.lasts is not None else None
            # What has begun and runs stays where it is: a domain of one minute.
            low = first[piece.id]
            start = self.m.new_int_var(low, low if at is not None else max(low, self.horizon), piece.id)
            end = start + minutes
            self.start[piece.id] = start
            self.end[piece.id] = end
            self.m.add_hint(start, hint.start)
            if before is not None:
                self.m.add(start >= self.end[before])
            if not piece.wait:
                self._people(piece, start, minutes, at is not None)
                whole = self.m.new_fixed_size_interval_var(start, minutes, f"i {piece.id}")
                for tool in piece.tools & self.day.single_tools:
                    self.of_tool[tool].append(whole)
            before = piece.id
        for stay in self.day.stays(work):
            if stay.first in self.start:
                self._stay(work, stay)

    def _first_possible(self, work: Work) -> dict[str, int]:
        """The first minute at which each piece could begin if this job were alone: a bound for the search."""
        free = 0
        first = {}
        for piece in self._pieces(work):
            pin = self.day.pin_of.get(piece.id)
            lasts = self.hint.of[piece.id]
            start = max(free, piece.earliest, pin.at or 0 if pin else 0)
            if pin is not None and pin.lasts is not None:
                start = lasts.start
            elif not piece.wait:
                there = [w for p in self.day.can_do(piece) for w in p.there]
                start = min(max(start, b) for b, e in there if max(start, b) + piece.minutes <= e)
            first[piece.id] = start
            free = start + lasts.end - lasts.start
        return first

    def _people(self, piece: Piece, start: Any, minutes: int, begun: bool) -> None:
        able = [p.name for p in self.day.can_do(piece)]
        if begun:
            able = [self.hint.of[piece.id].person] if self.hint.of[piece.id].person in self.of_person else []
        chosen = []
        for name in able:
            does = self.m.new_bool_var(f"{piece.id} {name}")
            self.who[piece.id, name] = does
            self.m.add_hint(does, self.hint.of[piece.id].person == name)
            lane = self.m.new_optional_fixed_size_interval_var(start, minutes, does, f"{piece.id} by {name}")
            self.of_person[name].append(lane)
            if begun:
                self._let_run(name, self.hint.of[piece.id])
            elif piece.block and piece.block != piece.id and (piece.block, name) in self.who:
                self.m.add(does == self.who[piece.block, name])
            chosen.append(does)
        if chosen:
            self.m.add_exactly_one(chosen)

    def _let_run(self, name: str, placed: Placed) -> None:
        """What has begun may run into a break: those minutes of the break are not closed."""
        self.running[name] = placed.end

    def _stay(self, work: Work, stay: Any) -> None:
        placed = [p for p in self._pieces(work)]
        ids = [p.id for p in work.pieces]
        inner = [p for p in placed if ids.index(stay.first) <= ids.index(p.id) <= ids.index(stay.last)]
        begin = 0 if stay.bays == (work.stands_in,) else self.start[stay.first]
        end = self.end[inner[-1].id]
        size = self.m.new_int_var(0, self.horizon + SLACK_MIN, f"stay {stay.first}")
        chosen = []
        for name in stay.bays:
            here = self.m.new_bool_var(f"{stay.first} in {name}")
            self.where[stay.first, name] = here
            self.m.add_hint(here, self.hint.of[stay.first].bay == name)
            self.of_bay[name].append(
                self.m.new_optional_interval_var(begin, size, end, here, f"{stay.first} at {name}")
            )
            chosen.append(here)
        if chosen:
            self.m.add_exactly_one(chosen)

    def _off(self, person: Person) -> None:
        """The minutes in which somebody is not there."""
        from_here = self.running.get(person.name, 0)
        gaps = []
        last = 0
        for begin, end in (*person.there, (self.horizon + 1, self.horizon + 1)):
            if begin > max(last, from_here):
                gaps.append((max(last, from_here), begin))
            last = end
        for begin, end in gaps:
            self.of_person[person.name].append(
                self.m.new_fixed_size_interval_var(begin, end - begin, f"{person.name} off {begin}")
            )

    def _cost(self, work: Work) -> Any:
        rate = self._rate(work)
        ready = self.end[work.pieces[-1].id]
        spent = rate * ready
        if work.deadline is not None:
            late = self.m.new_int_var(0, self.horizon + SLACK_MIN + abs(work.deadline), f"late {work.id}")
            missed = self.m.new_bool_var(f"missed {work.id}")
            self.m.add(late >= ready - work.deadline)
            self.m.add(late <= 0).only_enforce_if(missed.negated())
            spent = spent + rate * int(self.limits.late_times) * late
            spent = spent + rate * int(self.limits.late_once_min) * missed
        return spent

    def _rate(self, work: Work) -> int:
        return max(1, work.coin_per_min)

    def _breaks(self) -> Any:
        """Work that was begun goes on: what lies between its parts is paid."""
        total = 0
        for work in self.day.works:
            for a, b in zip(work.pieces, work.pieces[1:], strict=False):
                if b.block and b.block == a.block and b.id in self.start:
                    total = total + self._rate(work) * (self.start[b.id] - self.end[a.id])
        return total

    def _changes(self) -> Any:
        """Somebody else goes on with a job."""
        total = 0
        for work in self.day.works:
            worked = [p for p in self._pieces(work) if not p.wait]
            for before, after in zip(worked, worked[1:], strict=False):
                if after.block and after.block != after.id:
                    continue
                change = self.m.new_bool_var(f"change {after.id}")
                for (piece, name), does in list(self.who.items()):
                    if piece == after.id:
                        did = self.who.get((before.id, name))
                        self.m.add(change >= does - (did if did is not None else 0))
                total = total + self._rate(work) * int(self.limits.change_min) * change
        return total

    def solve(self, seconds: float) -> Plan:
        solver = self.cp.CpSolver()
        solver.parameters.max_time_in_seconds = seconds
        solver.parameters.num_workers = WORKERS
        solver.parameters.random_seed = SEED
        with ThreadPoolExecutor(1, initializer=_behind_others) as apart:
            status = apart.submit(solver.solve, self.m).result()
        if status not in (self.cp.OPTIMAL, self.cp.FEASIBLE):
            return self.hint
        placed = tuple(
            sorted(
                (self._placed(solver, p) for w in self.day.works for p in self._pieces(w)),
                key=lambda p: (p.start, p.end),
            )
        )
        return Plan(placed, SOLVER, self.hint.left, solver.best_objective_bound)

    def _placed(self, solver: Any, piece: Piece) -> Placed:
        start = solver.value(self.start[piece.id])
        person = next((n for (i, n), v in self.who.items() if i == piece.id and solver.boolean_value(v)), "")
        hint = self.hint.of[piece.id]
        return Placed(piece.id, start, start + hint.end - hint.start, person, self._bay(solver, piece))

    def _bay(self, solver: Any, piece: Piece) -> str:
        work = self.day.work_of[piece.job]
        ids = [p.id for p in work.pieces]
        for stay in self.day.stays(work):
            if ids.index(stay.first) <= ids.index(piece.id) <= ids.index(stay.last):
                found = ((n, v) for (i, n), v in self.where.items() if i == stay.first)
                return next((n for n, v in found if solver.boolean_value(v)), "")
        return ""


def _behind_others() -> None:
    """The threads that this one starts get a processor when nobody's page wants it, where the system can."""
    with suppress(AttributeError, OSError):
        os.setpriority(os.PRIO_PROCESS, get_native_id(), NICENESS)


def lay_out(day: Day, limits: DayLimits, seconds: float = SEARCH_S) -> Plan:
    """Return the best plan that the solver finds in a given time; the plan of the plain rule where that is no
    worse, where the solver finds none, or where it is not installed.

    Parameters: `day`: jobs, people, bays, pins; `limits`: what lateness costs; `seconds`: how long it may
    search. Source: constraint programming (CP-SAT), begun at the plain rule's plan.

    >>> from frosty_piston.knowledge.figures import general
    >>> long = Work("j", "Van", (Piece("a", "j", "Fit it", 40), Piece("b", "j", "Soak", 60, wait=True)), 100)
    >>> short = Work("k", "Truck", (Piece("c", "k", "Read it", 30),), 90)
    >>> day = Day((long, short), (Person("Ylva", frozenset(), ((0, 480),)),), ())
    >>> [(p.piece, p.start) for p in lay_out(day, general(DayLimits), 5).placed]
    [('a', 0), ('c', 40), ('b', 40)]
    """
    rule = plain_rule(day, limits)
    if not rule.placed or not installed():
        return rule
    found = _Model(day, rule, limits).solve(seconds)
    if found.by == SOLVER and cost(day, found, limits) <= cost(day, rule, limits):
        return found
    return Plan(rule.placed, rule.by, rule.left, found.bound)
