"""Curves of the proof: how sure a clean drive makes it, and how an engine cools."""

import math
from datetime import datetime
from typing import Any

from frosty_piston.core.proving import clean_span, clean_though_broken, cured_given
from frosty_piston.core.quantity import hours_said, percent, plain
from frosty_piston.core.waiting import temperature_after
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.repair.prove import BROKEN_AND_CLEAN, odds_before_drives, still_to_drive
from frosty_piston.job.repair.waits import Soak
from frosty_piston.job.weighing.proof_evidence import driven, returns_of

from .chart_picture import steps

LEFT = 56.0
TOP = 16.0
WIDE = 500.0
HIGH = 190.0
MARKS = (0.90, 0.95)
POINTS = 60
GENERAL_KM_H = 50.0
COUNTDOWN = {"distance_km": "countdown_km", "starts": "countdown_starts"}
MOST_TICKS = 6


def drive_curve(assessed: Assessed, now: datetime) -> dict[str, Any] | None:
    """The curve of certainty against distance, starts or hours: 500 wide, 190 high, from the certainty before
    to 100 %; 90 and 95 %, today's drive, and what would reach them. None when no return is known."""
    returns = returns_of(assessed.job)
    odds = odds_before_drives(assessed)
    if returns is None or odds is None or not 0 < odds < 1:
        return None
    trip = driven(assessed.job, len(assessed.job.times) - 1, returns.axis)
    needed = {mark: still_to_drive(assessed, mark) for mark in MARKS}
    ends = {mark: more[1] + (0.0 if trip.back else trip.span) for mark, more in needed.items() if more}
    limit = assessed.job.condition(COUNTDOWN[returns.axis]) if returns.axis in COUNTDOWN else None
    proves = clean_span(returns.timed, BROKEN_AND_CLEAN, returns.about) or 1.0
    farthest = max([1.25 * max(ends.values(), default=1.0), 1.15 * trip.span, 1.1 * proves])
    low = max(0.0, math.floor((odds - 0.02) * 20) / 20)

    def x(span: float) -> float:
        return round(LEFT + min(span / farthest, 1.0) * WIDE, 1)

    def sure(span: float) -> float:
        return cured_given(odds, clean_though_broken(returns.timed, span, returns.about) or 1.0)

    def y(chance: float) -> float:
        return round(TOP + (1 - chance) / (1 - low) * HIGH, 1)

    points = " ".join(
        f"{x(farthest * n / POINTS)},{y(sure(farthest * n / POINTS))}" for n in range(POINTS + 1)
    )
    marks = [
        {
            "y": y(m),
            "says": percent(m),
            "x": x(ends[m]),
            "span": f"{plain(round(ends[m]))} {returns.unit}",
            "shown": m > odds,
        }
        for m in MARKS
        if m in ends
    ]
    today = (
        {
            "x": x(trip.span),
            "y": y(sure(trip.span)),
            "says": f"{plain(trip.span)} {returns.unit}, {percent(sure(trip.span))}",
        }
        if trip.entries and not trip.back
        else None
    )
    left = limit.data.value if limit else None
    wanted = ends.get(MARKS[-1])
    return {
        "points": points,
        "marks": marks,
        "ticks": [(plain(t), x(t)) for t in steps(0.0, farthest, MOST_TICKS)],
        "today": today,
        "low": percent(low),
        "low_y": y(low),
        "unit": returns.unit,
        "axis": returns.axis,
        "limit": (
            {"x": x(left), "says": f"countdown, {plain(left)} {returns.unit}"}
            if left is not None and left <= farthest
            else None
        ),
        "short": left is not None and wanted is not None and wanted - trip.span > left,
        "left": left,
        "says": _says(returns.timed, returns.about, returns.unit, odds),
        "size": (LEFT + WIDE + 30, TOP + HIGH + 46),
        "box": (LEFT, TOP, WIDE, HIGH),
        "back": trip.back,
        "late": _late(assessed, returns.axis, (wanted or 0.0) - trip.span, now),
    }


def _late(assessed: Assessed, axis: str, more: float, now: datetime) -> str:
    """Whether what is still to drive fits before the deadline, at 50 km an hour; empty when it does."""
    due = assessed.job.deadline
    if due is None or axis != "distance_km" or more <= 0:
        return ""
    hours = more / GENERAL_KM_H
    left = (due.data.until - now).total_seconds() / 3600
    if hours <= left:
        return ""
    return (
        f"{plain(round(more))} km more take about {hours_said(hours)} at {GENERAL_KM_H:g} km an hour,"
        f" and it is due in {hours_said(max(left, 0.0))}: hand it over on trial, or ask for more time."
    )


def _says(timed: tuple[float, ...], about: float | None, unit: str, odds: float) -> str:
    came = (
        f"It came back after {', '.join(plain(t) for t in timed)} {unit}"
        if timed
        else f"It comes back about every {plain(about or 0)} {unit}"
    )
    return f"{came}. Before any drive the cure stands at {percent(odds)}."


def cooling_curve(soak: Soak) -> dict[str, Any]:
    """The cooling curve as it is drawn: 500 wide, 110 high, from the warmest to the outside temperature."""
    start = soak.start_c
    around = soak.around_c
    tau = soak.tau_h
    hours = soak.cold_h
    warmest = max(start, around + 1)

    def x(h: float) -> float:
        return round(36 + h / hours * 500, 1)

    def y(t: float) -> float:
        return round(12 + (warmest - t) / (warmest - around) * 110, 1)

    points = " ".join(
        f"{x(hours * n / 40)},{y(temperature_after(hours * n / 40, start, around, tau))}" for n in range(41)
    )
    touch = soak.touch_h
    return {
        "points": points,
        "ticks": [(plain(h), x(h)) for h in steps(0.0, hours, MOST_TICKS)],
        "touch": (x(touch), y(soak.touch_c)) if touch else None,
        "top": round(warmest),
        "bottom": round(around),
        "end": (x(hours), y(temperature_after(hours, start, around, tau))),
    }
