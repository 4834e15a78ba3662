"""A workshop's day: pieces of work and waits of several jobs laid on a time line, by plain rules; how sure
the times are; why something stands where it does. Times are minutes from the moment the plan begins."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from .cached import cached_property
from .limits import Limit
from .words import inside

NEVER = 10**7
RULE = "rule"
ONE_BY_ONE = "one after the other"
SOLVER = "solver"
LOGNORMAL_LEAST = 0.5
SAMPLES = 400
SEED = 7


@dataclass(frozen=True, slots=True)
class DayLimits:
    """How long a piece is before it may be parted by a break, what lateness costs, how times spread, and what
    takes how long where nothing else says it."""

    chunk_min: Limit
    late_times: Limit
    late_once_min: Limit
    least_coin_per_min: Limit
    change_min: Limit
    spread_share: Limit
    more_at_least_min: Limit
    check_min: Limit
    reset_min: Limit
    condition_min: Limit
    drive_min: Limit
    word_min: Limit
    answer_min: Limit
    cool_min: Limit
    sure_bits: Limit


@dataclass(frozen=True, slots=True)
class Piece:
    """Something that is done on a job, or waited for. `minutes`: expected; `spread_min`: standard deviation;
    `task`: what somebody must be allowed to do; `bays`: kinds of bay it can be done in, none: it needs none;
    `lets_out`: a wait during which the vehicle may leave its bay; `earliest`: not before, in minutes; `why`:
    why not before; `block`: the piece this is a part of.
    """

    id: str
    job: str
    title: str
    minutes: int
    spread_min: float = 0.0
    wait: bool = False
    task: str = ""
    bays: frozenset[str] = frozenset()
    tools: frozenset[str] = frozenset()
    lets_out: bool = False
    earliest: int = 0
    why: str = ""
    block: str = ""


@dataclass(frozen=True, slots=True)
class Work:
    """A job: its pieces in their order, its deadline in minutes, what a minute of standing still costs in the
    smallest coin, the bay it stands in."""

    id: str
    name: str
    pieces: tuple[Piece, ...]
    deadline: int | None = None
    coin_per_min: int = 1
    stands_in: str = ""


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody at work: what they may do, and when they are there, from and until in minutes."""

    name: str
    tasks: frozenset[str]
    there: tuple[tuple[int, int], ...]


@dataclass(frozen=True, slots=True)
class Bay:
    """A place for one vehicle, of a kind."""

    name: str
    kind: str


@dataclass(frozen=True, slots=True)
class Pin:
    """What somebody fixed: who does a piece, when it begins in minutes; `lasts`: it has begun, and takes that
    long."""

    piece: str
    person: str = ""
    at: int | None = None
    lasts: int | None = None


@dataclass(frozen=True)
class Day:
    """What there is to lay out: jobs, people, bays, tools that exist once, pins by the id of their piece."""

    works: tuple[Work, ...]
    people: tuple[Person, ...]
    bays: tuple[Bay, ...]
    single_tools: frozenset[str] = frozenset()
    pins: tuple[Pin, ...] = ()

    @cached_property
    def pin_of(self) -> dict[str, Pin]:
        return {p.piece: p for p in self.pins}

    @cached_property
    def pieces(self) -> dict[str, Piece]:
        return {p.id: p for w in self.works for p in w.pieces}

    @cached_property
    def work_of(self) -> dict[str, Work]:
        return {w.id: w for w in self.works}

    def can_do(self, piece: Piece) -> tuple[Person, ...]:
        """Return who may do a piece: those who are allowed to, and of them whom a pin names.

        Parameters: `piece`: a piece of a job.

        >>> people = (
        ...     Person("Ylva", frozenset({"fit"}), ((0, 60),)),
        ...     Person("Torvald", frozenset(), ((0, 60),)),
        ... )
        >>> [p.name for p in Day((), people, ()).can_do(Piece("a", "j", "Fit it", 30, task="fit"))]
        ['Ylva']
        """
        pin = self.pin_of.get(piece.id)
        return tuple(
            person
            for person in self.people
            if (not piece.task or piece.task in person.tasks)
            and (pin is None or pin.person in ("", person.name))
            and any(e - s >= min(piece.minutes, 1) for s, e in person.there)
        )

    def stays(self, work: Work) -> tuple["Stay", ...]:
        """Return when a vehicle takes up a bay: from its first piece that needs one to its last, anew after
        every wait that lets it out.

        Parameters: `work`: a job.

        >>> lift = frozenset({"lift"})
        >>> parts = Piece("b", "j", "Wait for parts", 900, wait=True, lets_out=True)
        >>> pieces = (
        ...     Piece("a", "j", "Read it", 5, bays=lift),
        ...     parts,
        ...     Piece("c", "j", "Fit it", 5, bays=lift),
        ... )
        >>> work = Work("j", "Van", pieces)
        >>> [(s.first, s.last, s.bays) for s in Day((work,), (), (Bay("Lift 1", "lift"),)).stays(work)]
        [('a', 'a', ('Lift 1',)), ('c', 'c', ('Lift 1',))]
        """
        stays: list[list[Piece]] = [[]]
        for piece in work.pieces:
            if piece.lets_out:
                stays.append([])
            stays[-1].append(piece)
        made = []
        for n, pieces in enumerate(stays):
            inner = [p for p in pieces if p.bays]
            if inner:
                made.append(Stay(work.id, inner[0].id, inner[-1].id, self._bays_for(work, inner, n == 0)))
        return tuple(made)

    def _bays_for(self, work: Work, inner: Sequence[Piece], first: bool) -> tuple[str, ...]:
        kinds = frozenset.intersection(*(p.bays for p in inner)) or inner[-1].bays
        here = [b.name for b in self.bays if b.name == work.stands_in]
        if first and here and any(b.kind in kinds for b in self.bays if b.name == work.stands_in):
            return (here[0],)
        return tuple(b.name for b in self.bays if b.kind in kinds)


@dataclass(frozen=True, slots=True)
class Stay:
    """A vehicle in a bay, from one piece to another; `bays`: those that would do."""

    job: str
    first: str
    last: str
    bays: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Placed:
    """A piece on the time line: from when until when, who, and in which bay."""

    piece: str
    start: int
    end: int
    person: str = ""
    bay: str = ""


@dataclass(frozen=True)
class Plan:
    """A day laid out. `left`: pieces that nobody here can do, with why; `by`: what laid it out; `bound`: what
    no plan can be better than, in cost, where it is known."""

    placed: tuple[Placed, ...]
    by: str
    left: dict[str, str] = field(default_factory=dict)
    bound: float | None = None

    @cached_property
    def of(self) -> dict[str, Placed]:
        return {p.piece: p for p in self.placed}

    def ready(self, work: Work) -> int | None:
        """Return when the last piece of a job is over, in minutes; None when it is not laid out to the end.

        Parameters: `work`: a job.

        >>> work = Work("j", "Van", (Piece("a", "j", "Read it", 10),))
        >>> Plan((Placed("a", 5, 15, "Ylva"),), RULE).ready(work), Plan((), RULE).ready(work)
        (15, None)
        """
        last = work.pieces[-1].id if work.pieces else ""
        return self.of[last].end if last in self.of else None


def parted(piece: Piece, chunk_min: float) -> tuple[Piece, ...]:
    """Return a piece in even parts that a break may lie between; a wait and what is short stay whole.

    Parameters: `piece`: what is done; `chunk_min`: the longest part in minutes.

    >>> [p.minutes for p in parted(Piece("a", "j", "Fit it", 100), 45)]
    [34, 33, 33]
    """
    count = -(-piece.minutes // max(1, int(chunk_min)))
    if piece.wait or count <= 1:
        return (piece,)
    whole, more = divmod(piece.minutes, count)
    return tuple(
        replace(
            piece,
            id=piece.id if n == 0 else f"{piece.id}#{n + 1}",
            minutes=whole + (n < more),
            spread_min=piece.spread_min / count**0.5,
            block=piece.id,
        )
        for n in range(count)
    )


def cost(day: Day, plan: Plan, limits: DayLimits) -> float:
    """Return what a plan costs in the smallest coin: standing still until ready, what is late, every time
    that somebody else goes on with a job, and what lies between the parts of work that was begun.

    Parameters: `day`, `plan`: what was laid out; `limits`: what lateness costs. A job that is not laid out to
    the end costs nothing here: compare plans of one day only. Source: `figures/day.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> work = Work("j", "Van", (Piece("a", "j", "Read it", 10),), deadline=5, coin_per_min=2)
    >>> plan = Plan((Placed("a", 0, 10, "Ylva"),), "rule")
    >>> cost(Day((work,), (), ()), plan, general(DayLimits))
    600.0
    """
    total = 0.0
    for work in day.works:
        ready = plan.ready(work)
        if ready is not None:
            total += work.coin_per_min * ready
            if work.deadline is not None and ready > work.deadline:
                late = limits.late_times * (ready - work.deadline) + limits.late_once_min
                total += work.coin_per_min * late
        who = [plan.of[p.id].person for p in work.pieces if p.id in plan.of and plan.of[p.id].person]
        changes = sum(a != b for a, b in zip(who, who[1:], strict=False))
        total += work.coin_per_min * limits.change_min * changes
        total += work.coin_per_min * sum(_torn(work, plan))
    return total


def _torn(work: Work, plan: Plan) -> list[int]:
    """The minutes between the parts of one piece."""
    pairs = zip(work.pieces, work.pieces[1:], strict=False)
    parts = [(a.id, b.id) for a, b in pairs if b.block and b.block == a.block]
    return [plan.of[b].start - plan.of[a].end for a, b in parts if a in plan.of and b in plan.of]


# laid out by rule


class _Table:
    """What is taken already: people, bays, tools."""

    def __init__(self, day: Day):
        self.day = day
        self.busy: dict[str, list[tuple[int, int]]] = {p.name: [] for p in day.people}
        self.tools: dict[str, list[tuple[int, int]]] = {t: [] for t in day.single_tools}
        self.bay_free: dict[str, int] = {b.name: 0 for b in day.bays}
        self.held: dict[str, str] = {}
        self.last_person: dict[str, str] = {}
        self.placed: dict[str, Placed] = {}
        for work in day.works:
            stays = day.stays(work)
            if work.stands_in and stays and stays[0].bays == (work.stands_in,):
                self.held.setdefault(work.stands_in, work.id)

    def takes(self, person: Person, piece: Piece, not_before: int) -> int:
        """The first minute from which somebody can do a piece without a pause."""
        tools = [self.tools[t] for t in piece.tools if t in self.tools]
        for begin, end in person.there:
            start = max(begin, not_before)
            for taken_from, taken_to in sorted([*self.busy[person.name], *(x for t in tools for x in t)]):
                if start + piece.minutes <= taken_from:
                    break
                start = max(start, taken_to)
            if start + piece.minutes <= end:
                return start
        return NEVER

    def bay_for(self, stay: Stay) -> tuple[str, int]:
        """The bay a vehicle would get, and from when: its own, else the one that is free first."""
        own = next((b for b, job in self.held.items() if job == stay.job and b in stay.bays), None)
        if own is not None:
            return own, self.bay_free[own]
        free = [b for b in stay.bays if b not in self.held]
        best = min(free, key=lambda b: self.bay_free[b], default="")
        return best, self.bay_free[best] if best else NEVER


@dataclass(frozen=True, slots=True)
class _Offer:
    start: int
    person: str
    bay: str


class _Rule:
    """Lays out piece after piece: always the one that can begin first, and of those the most urgent."""

    def __init__(self, day: Day, limits: DayLimits, name: str):
        self.day = day
        self.name = name
        self.table = _Table(day)
        self.change_min = int(limits.change_min)
        self.at_it: dict[str, str] = {}
        self.next = {w.id: 0 for w in day.works}
        self.ends = {w.id: 0 for w in day.works}
        self.left: dict[str, str] = {}
        self.stays = {w.id: day.stays(w) for w in day.works}
        self.order = sorted(
            day.works,
            key=lambda w: (w.deadline is None, w.deadline or 0, -sum(p.minutes for p in w.pieces), w.id),
        )

    def plan(self) -> Plan:
        for work in self.order:  # what has begun stands before anything else
            first = work.pieces[0] if work.pieces else None
            pin = self.day.pin_of.get(first.id) if first else None
            if first is not None and pin is not None and pin.lasts is not None:
                self._place(work, first, _Offer(pin.at or 0, pin.person, self._bay(work, first)[0]))
        while (choice := self._choose()) is not None:
            self._place(*choice)
        for work in self.order:
            for piece in work.pieces[self.next[work.id] :]:
                self.left.setdefault(piece.id, nobody_says(self.day, piece))
        return Plan(
            tuple(sorted(self.table.placed.values(), key=lambda p: (p.start, p.end))),
            self.name,
            self.left,
        )

    def _choose(self) -> tuple[Work, Piece, _Offer] | None:
        best: tuple[int, int] | None = None
        chosen = None
        for rank, work in enumerate(self.order):
            at = self.next[work.id]
            if at >= len(work.pieces):
                continue
            piece = work.pieces[at]
            offer = self._offer(work, piece)
            if offer.start < NEVER and (best is None or (offer.start, rank) < best):
                best = (offer.start, rank)
                chosen = (work, piece, offer)
        return chosen

    def _bay(self, work: Work, piece: Piece) -> tuple[str, int]:
        order = [p.id for p in work.pieces]
        at = order.index(piece.id)
        stay = next(
            (s for s in self.stays[work.id] if order.index(s.first) <= at <= order.index(s.last)), None
        )
        return self.table.bay_for(stay) if stay is not None else ("", 0)

    def _offer(self, work: Work, piece: Piece) -> _Offer:
        pin = self.day.pin_of.get(piece.id)
        bay, bay_from = self._bay(work, piece)
        start = max(self.ends[work.id], piece.earliest, pin.at or 0 if pin else 0)
        if piece.wait:
            return _Offer(start, "", bay)
        start = max(start, bay_from)
        people = self.day.can_do(piece)
        own = self.table.last_person.get(piece.block) if piece.block else None
        offers = [
            _Offer(self.table.takes(person, piece, start), person.name, bay)
            for person in people
            if own is None or person.name == own
        ]
        mine = self.at_it.get(work.id)
        return min(
            offers,
            key=lambda o: o.start + (self.change_min if mine and o.person != mine else 0),
            default=_Offer(NEVER, "", ""),
        )

    def _place(self, work: Work, piece: Piece, offer: _Offer) -> None:
        table = self.table
        pin = self.day.pin_of.get(piece.id)
        minutes = pin.lasts if pin is not None and pin.lasts is not None else piece.minutes
        end = offer.start + minutes
        table.placed[piece.id] = Placed(piece.id, offer.start, end, offer.person, offer.bay)
        self.next[work.id] += 1
        self.ends[work.id] = end
        if offer.person:
            table.busy[offer.person].append((offer.start, end))
            table.last_person[piece.block or piece.id] = self.at_it[work.id] = offer.person
            for tool in piece.tools & set(table.tools):
                table.tools[tool].append((offer.start, end))
        if offer.bay:
            table.held[offer.bay] = work.id
        for stay in self.stays[work.id]:
            if stay.last == piece.id:
                for bay in [b for b, job in table.held.items() if job == work.id]:
                    del table.held[bay]
                    table.bay_free[bay] = end


def nobody_says(day: Day, piece: Piece) -> str:
    """Return why a piece is not on the time line, in words.

    Parameters: `day`, `piece`: what was to be laid out.

    >>> nobody_says(Day((), (), ()), Piece("a", "j", "Drive it", 30, task="road"))
    'Nobody here may do it: drive it.'
    """
    if not piece.wait and not day.can_do(piece):
        return f"Nobody here may do it: {inside(piece.title)}."
    if piece.bays and not any(b.kind in piece.bays for b in day.bays):
        return f"There is no bay for it: {inside(piece.title)}."
    return "It comes after something that cannot be laid out, or after the days that are looked at."


def plain_rule(day: Day, limits: DayLimits) -> Plan:
    """Return a plan by the plain rule: what can begin first goes first; of those the earliest deadline, then
    the longest path that remains.

    Parameters: `day`: jobs, people, bays, pins; `limits`: what a change of hands costs. Source: earliest
    deadline, longest path.

    >>> from frosty_piston.knowledge.figures import general
    >>> read, wait = Piece("a", "j", "Read it", 10), Piece("b", "j", "Soak", 60, wait=True)
    >>> other = Work("k", "Truck", (Piece("c", "k", "Fit it", 30),))
    >>> day = Day(
    ...     (Work("j", "Van", (read, wait), 90), other), (Person("Ylva", frozenset(), ((0, 480),)),), ()
    ... )
    >>> [(p.piece, p.start, p.end) for p in plain_rule(day, general(DayLimits)).placed]
    [('a', 0, 10), ('c', 10, 40), ('b', 10, 70)]
    """
    return _Rule(day, limits, RULE).plan()


def one_after_other(day: Day, limits: DayLimits) -> Plan:
    """Return the plan that finishes one job before the next is begun, by deadline: what waiting costs without
    a plan.

    Parameters: `day`: jobs, people, bays, pins; `limits`: as for the plain rule.

    >>> from frosty_piston.knowledge.figures import general
    >>> read, wait = Piece("a", "j", "Read it", 10), Piece("b", "j", "Soak", 60, wait=True)
    >>> other = Work("k", "Truck", (Piece("c", "k", "Fit it", 30),))
    >>> day = Day(
    ...     (Work("j", "Van", (read, wait), 90), other), (Person("Ylva", frozenset(), ((0, 480),)),), ()
    ... )
    >>> plan = one_after_other(day, general(DayLimits))
    >>> [(p.piece, p.start) for p in plan.placed]
    [('a', 0), ('b', 10), ('c', 70)]
    """
    rule = _Rule(day, limits, ONE_BY_ONE)
    for work in rule.order:  # nothing of a later job before the one before it is over
        done = max(rule.ends.values(), default=0)
        rule.ends[work.id] = max(rule.ends[work.id], done)
        while rule.next[work.id] < len(work.pieces):
            piece = work.pieces[rule.next[work.id]]
            offer = rule._offer(work, piece)
            if offer.start >= NEVER:
                break
            rule._place(work, piece, offer)
    return rule.plan()


# how sure, how good


def idle_minutes(day: Day, plan: Plan) -> int:
    """Return how long people are there without work until everything is done, in minutes.

    Parameters: `day`, `plan`: what was laid out.

    >>> person = Person("Ylva", frozenset(), ((0, 60), (90, 200)))
    >>> plan = Plan((Placed("a", 0, 10, "Ylva"), Placed("b", 100, 120, "Ylva")), "rule")
    >>> idle_minutes(Day((), (person,), ()), plan)
    60
    """
    until = max((p.end for p in plan.placed if p.person), default=0)
    there = sum(max(0, min(e, until) - s) for p in day.people for s, e in p.there)
    return there - sum(p.end - p.start for p in plan.placed if p.person)


def in_time(day: Day, plan: Plan) -> int:
    """Return how many jobs are ready by their deadline; those without one are left out.

    Parameters: `day`, `plan`: what was laid out.

    >>> work = Work("j", "Van", (Piece("a", "j", "Read it", 10),), deadline=15)
    >>> in_time(Day((work,), (), ()), Plan((Placed("a", 0, 10, "Ylva"),), "rule"))
    1
    """
    ready = ((w, plan.ready(w)) for w in day.works if w.deadline is not None)
    return sum(at is not None and at <= (w.deadline or 0) for w, at in ready)


@dataclass(frozen=True, slots=True)
class Ready:
    """When a job is ready: half of the days by `middle`, nine in ten by `late`, in minutes; `chance`: that it
    is ready by its deadline."""

    middle: int
    late: int
    chance: float | None


def _lasting(piece: Piece, placed: Placed, rng: np.random.Generator) -> np.ndarray:
    """How long a piece may take: never less than half, skewed to the long side."""
    mean = placed.end - placed.start
    if piece.spread_min <= 0 or mean <= 0:
        return np.full(SAMPLES, float(mean))
    ratio = np.log1p((piece.spread_min / mean) ** 2)
    drawn = np.exp(np.log(mean) - ratio / 2 + np.sqrt(ratio) * rng.standard_normal(SAMPLES))
    lasts: np.ndarray = np.maximum(drawn, LOGNORMAL_LEAST * mean)
    return lasts


def _into(there: Sequence[tuple[int, int]], start: np.ndarray, lasts: np.ndarray) -> np.ndarray:
    """The first moment from `start` on at which somebody is there; what runs into a break runs on."""
    out = start.copy()
    for (_, end), (begin, _) in zip(there, [*there[1:], (NEVER, NEVER)], strict=True):
        out = np.where((out >= end) & (out < begin) | (out + lasts / 2 > end) & (out < begin), begin, out)
    return np.maximum(out, there[0][0]) if there else out


def readiness(day: Day, plan: Plan) -> dict[str, Ready]:
    """Return when each job is ready when times spread: the order of the plan is kept, what runs over pushes
    what comes after it.

    Parameters: `day`, `plan`: what was laid out. Jobs that are not laid out to the end are left out. Source:
    400 drawn days, log-normal times, a seed of its own, so that it is the same each time.

    >>> work = Work("j", "Van", (Piece("a", "j", "Read it", 60, 20.0),), deadline=70)
    >>> person = Person("Ylva", frozenset(), ((0, 480),))
    >>> day = Day((work,), (person,), ())
    >>> one = readiness(day, Plan((Placed("a", 0, 60, "Ylva"),), "rule"))["j"]
    >>> 50 < one.middle < 62, 0.6 < one.chance < 0.85
    (True, True)
    """
    rng = np.random.default_rng(SEED)
    free: dict[tuple[str, str], np.ndarray] = {}
    nothing = np.zeros(SAMPLES)
    ends: dict[str, np.ndarray] = {}
    there = {p.name: p.there for p in day.people}
    for placed in sorted(plan.placed, key=lambda p: (p.start, p.end)):
        piece = day.pieces[placed.piece]
        keys = [("job", piece.job)]
        keys += [("person", placed.person)] if placed.person else []
        keys += [("bay", placed.bay)] if placed.bay else []
        keys += [("tool", t) for t in piece.tools & day.single_tools]
        start = np.maximum.reduce(
            [np.full(SAMPLES, float(piece.earliest)), *(free.get(k, nothing) for k in keys)]
        )
        lasts = _lasting(piece, placed, rng)
        if placed.person:
            start = _into(there.get(placed.person, ()), start, lasts)
        end = start + lasts
        for key in keys:
            free[key] = end
        ends[piece.id] = end
    found = {}
    for work in day.works:
        if plan.ready(work) is not None:
            end = ends[work.pieces[-1].id]
            chance = None if work.deadline is None else float((end <= work.deadline).mean())
            found[work.id] = Ready(int(np.median(end)), int(np.quantile(end, 0.9)), chance)
    return found


def why(day: Day, plan: Plan, piece_id: str) -> str:
    """Return why a piece stands where it does, in a sentence: what it waits for, else what made it come
    first.

    Parameters: `day`, `plan`: what was laid out; `piece_id`: a piece of it. Raises KeyError for a piece that
    is not on the time line. Source: what would be broken if it began earlier.

    >>> read, fit = Piece("a", "j", "Read it", 10), Piece("b", "j", "Fit it", 30)
    >>> day = Day((Work("j", "Van", (read, fit)),), (Person("Ylva", frozenset(), ((0, 480),)),), ())
    >>> from frosty_piston.knowledge.figures import general
    >>> plan = plain_rule(day, general(DayLimits))
    >>> why(day, plan, "a"), why(day, plan, "b")
    ('It can begin now.', 'It comes after: read it.')
    """
    placed = plan.of[piece_id]
    piece = day.pieces[piece_id]
    pin = day.pin_of.get(piece_id)
    if pin is not None and pin.lasts is not None:
        return "It has begun."
    if pin is not None and pin.at == placed.start:
        return "Somebody pinned it to this time."
    if pin is not None and pin.person and pin.at is None and placed.start == 0:
        return f"{pin.person} has it in hand."
    work = day.work_of[piece.job]
    at = [p.id for p in work.pieces].index(piece_id)
    before = work.pieces[at - 1] if at else None
    ended = plan.of.get(before.id) if before else None
    parted_by_break = before is not None and piece.block and before.block == piece.block
    if ended is not None and before is not None and ended.end == placed.start:
        if parted_by_break:
            return f"It goes on with the same: {inside(piece.title)}."
        return f"It comes after: {inside(before.title)}."
    if piece.earliest and placed.start == piece.earliest and piece.why:
        return piece.why
    if placed.start == 0:
        return "It can begin now."
    return _held_by(day, plan, piece, placed)


def _held_by(day: Day, plan: Plan, piece: Piece, placed: Placed) -> str:
    """What was in the way until a piece began: a break, somebody else's work, a bay, a tool."""
    there = next((p.there for p in day.people if p.name == placed.person), ())
    if any(begin == placed.start for begin, _ in there):
        return f"{placed.person} is there from then on."
    until = [p for p in plan.placed if p.end == placed.start and p.piece != piece.id]
    for other in until:
        of = day.pieces[other.piece]
        name = day.work_of[of.job].name
        if placed.person and other.person == placed.person:
            return f"{placed.person} is at {name} until then: {inside(of.title)}."
        if placed.bay and other.bay == placed.bay and of.job != piece.job:
            return f"{name} stands in the bay until then."
        if shared := of.tools & piece.tools & day.single_tools:
            return f"{name} has the {inside(min(shared))} until then, and there is one."
    return _makes_room(day, plan, piece, placed)


def _makes_room(day: Day, plan: Plan, piece: Piece, placed: Placed) -> str:
    """The next thing of the same person that a piece stands before or after for the sake of a deadline."""
    mine = sorted(
        (p for p in plan.placed if placed.person and p.person == placed.person), key=lambda p: p.start
    )
    after = next((p for p in mine if p.start >= placed.end), None)
    if after is not None:
        of = day.pieces[after.piece]
        return f"There is time until {day.work_of[of.job].name} needs {placed.person}."
    return "Nothing is lost by it: the job is not ready earlier otherwise."
