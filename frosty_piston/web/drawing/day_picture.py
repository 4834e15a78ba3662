"""The day as lanes: one per person and bay, work solid, waits hatched, deadlines marked, now as a line."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from frosty_piston.store.day import Laid

LEFT = 96
WIDE = 1060
RIGHT = 10
NIGHT = 26
TOP = 46
LANE = 40
GAP_FROM_MIN = 50
WORKDAYS = 2
LEAST_MIN = 240
SIGN_PX = 6.7
NAME_FROM = 30
WAIT_LANES = 4
JOINED_MIN = 2
FLAG = 26


@dataclass(frozen=True)
class Bar:
    """One bar of a lane. `number`: of its job; `says`: what is read when it is pointed at."""

    x: float
    width: float
    kind: str
    number: int
    label: str
    says: str
    link: str
    cuts: tuple[float, ...] = ()


@dataclass(frozen=True)
class Lane:
    name: str
    kind: str
    y: int
    bars: tuple[Bar, ...]
    off: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class Picture:
    """The whole drawing: its height, lanes, ticks of hours and days, nights, deadlines, where now is."""

    height: int
    lanes: tuple[Lane, ...]
    hours: tuple[tuple[float, str], ...]
    days: tuple[tuple[float, str], ...]
    nights: tuple[tuple[float, float], ...]
    deadlines: tuple[tuple[float, float, str, str, bool], ...]
    now_x: float
    bottom: int


class Axis:
    """Minutes to places, with the hours in which nobody is there folded up."""

    def __init__(self, spans: Sequence[tuple[int, int]], begin: int, end: int):
        merged: list[list[int]] = [[begin, begin]]
        for start, stop in sorted((max(s, begin), min(e, end)) for s, e in spans if s < end and e > begin):
            if start - merged[-1][1] <= GAP_FROM_MIN:
                merged[-1][1] = max(merged[-1][1], stop)
            else:
                merged.append([start, stop])
        self.begin = begin
        self.end = end
        merged = [m for m in merged if m[1] > m[0]] or [[begin, end]]
        self.spans = [(s, e) for s, e in merged]
        self.folds = [(a[1], b[0]) for a, b in zip(merged, merged[1:], strict=False)]
        if self.spans[0][0] > begin:
            self.folds.insert(0, (begin, self.spans[0][0]))
        open_min = sum(e - s for s, e in self.spans)
        self.per_min = (WIDE - NIGHT * len(self.folds)) / max(open_min, 1)

    def x(self, minute: float) -> float:
        place = float(LEFT)
        for start, stop, folded in sorted(
            [(s, e, False) for s, e in self.spans] + [(s, e, True) for s, e in self.folds]
        ):
            share = min(max((minute - start) / max(stop - start, 1), 0.0), 1.0)
            place += share * (NIGHT if folded else (stop - start) * self.per_min)
        return round(place, 1)

    @property
    def nights(self) -> tuple[tuple[float, float], ...]:
        return tuple((self.x(s), self.x(e)) for s, e in self.folds)


def numbers(laid: Laid) -> dict[str, int]:
    """The number of each job on the drawing and in the lists."""
    return {w.id: n for n, w in enumerate(laid.day.works, 1)}


def drawn(laid: Laid, at: datetime, links: dict[str, str], people_only: bool = False) -> Picture:
    """Draw a plan as it stands at a moment. `links`: where each piece is done."""
    minute = laid.minute(at)
    axis = _axis(laid, minute)
    lanes: list[Lane] = []
    for person in laid.day.people:
        bars = _bars(laid, axis, [p for p in laid.plan.placed if p.person == person.name], links)
        lanes.append(Lane(person.name, "person", 0, bars, _off(axis, person.there)))
    if not people_only:
        for bay in laid.day.bays:
            lanes.append(Lane(bay.name, "bay", 0, _stays(laid, axis, bay.name, links)))
        lanes += [
            Lane("Waits" if index == 0 else "", "waits", 0, bars)
            for index, bars in enumerate(_waits(laid, axis, links))
        ]
    placed = tuple(Lane(x.name, x.kind, TOP + n * LANE, x.bars, x.off) for n, x in enumerate(lanes))
    bottom = TOP + len(placed) * LANE
    return Picture(
        bottom + (30 if people_only else 34),
        placed,
        tuple(_hours(laid, axis)),
        tuple(_days(laid, axis)),
        axis.nights,
        tuple(_deadlines(laid, axis)),
        axis.x(minute),
        bottom,
    )


def _axis(laid: Laid, minute: int) -> Axis:
    spans = [w for p in laid.day.people for w in p.there]
    days: dict[Any, int] = {}
    for start, stop in sorted(spans):
        day = laid.moment(start).astimezone().date()
        days[day] = max(stop, days.get(day, 0))
    shown = sorted(days.values())[:WORKDAYS]
    last = max((p.end for p in laid.plan.placed), default=0)
    end = max(min(last, shown[-1] if shown else last), min(shown[:1], default=0), minute + LEAST_MIN)
    return Axis([*spans, (minute, minute + 1)], min(minute, 0), end)


def _bars(laid: Laid, axis: Axis, placed: Iterable[Any], links: dict[str, str]) -> tuple[Bar, ...]:
    """The bars of somebody's work; what follows each other on one job is one bar, cut where a piece ends."""
    runs: list[list[Any]] = []
    for p in sorted(placed, key=lambda p: p.start):
        piece = laid.day.pieces[p.piece]
        last = runs[-1][-1] if runs else None
        goes_on = last is not None and p.start - last.end <= JOINED_MIN
        if goes_on and last is not None and laid.day.pieces[last.piece].job == piece.job:
            runs[-1].append(p)
        else:
            runs.append([p])
    number = numbers(laid)
    bars = []
    for run in runs:
        piece = laid.day.pieces[run[0].piece]
        if run[0].start < axis.end:
            work = laid.day.work_of[piece.job]
            if piece.id in laid.over:
                kind = "over"
            elif piece.id in laid.begun:
                kind = "begun"
            else:
                kind = "work"
            titles = list(dict.fromkeys(laid.day.pieces[p.piece].title for p in run))
            says = (
                f"{clock(laid, run[0].start)} to {clock(laid, run[-1].end)}, {work.name}: {'; '.join(titles)}"
            )
            bar = _bar(
                axis, run[0].start, run[-1].end, kind, number[piece.job], work.name, says, links, piece.id
            )
            cuts = tuple(axis.x(p.start) for p in run[1:] if laid.day.pieces[p.piece].block in ("", p.piece))
            bars.append(replace(bar, cuts=tuple(x for x in cuts if x < axis.x(axis.end))))
    return tuple(bars)


def _bar(
    axis: Axis,
    start: int,
    end: int,
    kind: str,
    number: int,
    name: str,
    says: str,
    links: dict[str, str],
    piece: str,
) -> Bar:
    x = axis.x(start)
    width = max(round(axis.x(min(end, axis.end)) - x, 1), 3.0)
    fits = int((width - NAME_FROM) / SIGN_PX)
    if fits < 3:
        label = ""
    elif len(name) <= fits:
        label = name
    else:
        label = name[: fits - 1] + "…"
    return Bar(
        x, width, kind, number if width >= 16 else 0, label, says, links.get(piece.partition("#")[0], "")
    )


def _stays(laid: Laid, axis: Axis, bay: str, links: dict[str, str]) -> tuple[Bar, ...]:
    """The vehicles in a bay: solid while somebody works on one, hatched while it stands there and waits."""
    bars = []
    number = numbers(laid)
    for work in laid.day.works:
        order = [p.id for p in work.pieces]
        for stay in laid.day.stays(work):
            if stay.first not in laid.plan.of or laid.plan.of[stay.first].bay != bay:
                continue
            inner = [
                laid.plan.of[i]
                for i in order[order.index(stay.first) : order.index(stay.last) + 1]
                if i in laid.plan.of
            ]
            begin = min(0, inner[0].start) if stay.bays == (work.stands_in,) else inner[0].start
            if begin >= axis.end:
                continue
            says = f"{work.name} stands here from {clock(laid, begin)} to {clock(laid, inner[-1].end)}"
            bars.append(
                _bar(axis, begin, inner[-1].end, "stay", number[work.id], work.name, says, links, stay.first)
            )
    return tuple(bars)


def _waits(laid: Laid, axis: Axis, links: dict[str, str]) -> list[tuple[Bar, ...]]:
    """The waits, in as many rows as run at once, at most four."""
    rows: list[list[tuple[int, Bar]]] = []
    number = numbers(laid)
    for placed in sorted(
        (p for p in laid.plan.placed if laid.day.pieces[p.piece].wait), key=lambda p: p.start
    ):
        if placed.start >= axis.end:
            continue
        piece = laid.day.pieces[placed.piece]
        work = laid.day.work_of[piece.job]
        says = f"{work.name}: {piece.title}, until {clock(laid, placed.end)}"
        bar = _bar(axis, placed.start, placed.end, "wait", number[work.id], work.name, says, links, piece.id)
        row = next((r for r in rows if r[-1][0] <= placed.start), None)
        if row is None and len(rows) < WAIT_LANES:
            rows.append(row := [])
        if row is not None:
            row.append((placed.end, bar))
    return [tuple(bar for _, bar in row) for row in rows]


def _off(axis: Axis, there: Sequence[tuple[int, int]]) -> tuple[tuple[float, float], ...]:
    gaps = []
    last = axis.begin
    for start, stop in (*there, (axis.end, axis.end)):
        if min(start, axis.end) > last:
            gaps.append((axis.x(last), axis.x(min(start, axis.end))))
        last = max(last, stop)
    return tuple((a, round(b - a, 1)) for a, b in gaps if b - a >= 1)


def clock(laid: Laid, minute: int) -> str:
    """A minute of the plan as it is said: the day only when it is another one."""
    at = laid.moment(minute).astimezone()
    here = laid.at.astimezone()
    return f"{at:%H:%M}" if at.date() == here.date() else f"{at:%a %H:%M}"


def _hours(laid: Laid, axis: Axis) -> Iterable[tuple[float, str]]:
    step = next((h for h in (1, 2, 3, 4) if h * 60 * axis.per_min >= 42), 6)
    at = laid.moment(axis.begin).astimezone().replace(minute=0) + timedelta(hours=1)
    last = float(LEFT) - 99
    while (minute := laid.minute(at)) < axis.end:
        inside = any(s <= minute <= e for s, e in axis.spans)
        if inside and at.hour % step == 0 and axis.x(minute) - last >= 36:
            last = axis.x(minute)
            yield last, f"{at:%H}"
        at += timedelta(hours=1)


def _days(laid: Laid, axis: Axis) -> Iterable[tuple[float, str]]:
    seen: set[Any] = set()
    for start, _ in axis.spans:
        at = laid.moment(start).astimezone()
        if at.date() not in seen:
            seen.add(at.date())
            yield axis.x(start), f"{at:%A} {at.day} {at:%b}"


def _deadlines(laid: Laid, axis: Axis) -> Iterable[tuple[float, float, str, str, bool]]:
    """Where each deadline is and where its flag stands: beside the one before it, never on it."""
    number = numbers(laid)
    last = 0.0
    due = sorted(
        ((w.deadline, w) for w in laid.day.works if w.deadline is not None), key=lambda x: (x[0], x[1].id)
    )
    for deadline, work in ((d, w) for d, w in due if axis.begin <= d <= axis.end):
        ready = laid.plan.ready(work)
        last = max(axis.x(deadline), last + FLAG)
        says = f"{work.name} is needed by {clock(laid, deadline)}"
        yield axis.x(deadline), last, str(number[work.id]), says, ready is None or ready > deadline
