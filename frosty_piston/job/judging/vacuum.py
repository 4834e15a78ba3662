"""Vacuum tests that record figures."""

import math
from dataclasses import replace

from frosty_piston.core import vacuum
from frosty_piston.core.holding import hold_fit, without_pump
from frosty_piston.core.quantity import plain, plus_minus
from frosty_piston.job.circuit.on_tape import leaking_on
from frosty_piston.job.entries import Entry, Trace

from .ambient import ambient_air
from .readings import Readings
from .result import Result, where_of
from .sets import figures, result, unfinished

NEEDLE = "needle"
HAND_PUMP = "hand_pump"
PART_ML = 55.0
LEAST_TAKEN_OFF = 0.05
MOST_ENDS = 2


def at_pump(readings: Readings, latest: list[Entry]) -> list[Result]:
    """The level and the needle, each by itself."""
    results = []
    limits = readings.limits(vacuum.VacuumLimits)
    for entry in latest:
        kpa, seconds, flicker, altitude = figures(entry, "kpa", "seconds", "flicker_kpa", "altitude_m")
        if kpa is None and flicker is None:
            results.append(unfinished(entry, "kpa"))
        if kpa is not None:
            around = ambient_air(readings, altitude)
            results.append(result(entry, vacuum.judge_pump(abs(kpa), seconds, limits, around)))
        if flicker is not None:
            needle = where_of(entry.data.where) | {"channel": NEEDLE}
            results.append(
                Result(entry.data.test, needle, vacuum.judge_flicker(flicker, limits), (entry.id,))
            )
    return results


def hold(readings: Readings, latest: list[Entry]) -> list[Result]:
    """Each hold test, without what the hand pump loses by itself; the time constant of all that was read on
    the way."""
    results = []
    limits = readings.limits(vacuum.VacuumLimits)
    around = ambient_air(readings)
    capped = _capped(readings, around)
    for entry in latest:
        start, end, seconds = figures(entry, "start_kpa", "end_kpa", "seconds")
        if start is None or end is None or seconds is None:
            results.append(unfinished(entry, "start_kpa", "end_kpa", "seconds"))
            continue
        branch = entry.data.test == "vacuum_section"
        start = abs(start)
        end = abs(end)
        own = ""
        if capped is not None and entry.data.where.node != HAND_PUMP and seconds > 0:
            read = end
            volume = _volume_ml(readings, entry, branch)
            end = without_pump(start, read, seconds, capped, volume, around)
            if end - read > LEAST_TAKEN_OFF:
                own = f" The hand pump's own loss is taken off: {plain(round(end - read, 1))} kPa."
        judged = vacuum.judge_hold(start, end, seconds, limits=limits, branch=branch, ambient=around)
        more = own + _tau_says(readings, entry, limits, around)
        results.append(result(entry, replace(judged, because=judged.because + more) if more else judged))
    return results


def _capped(readings: Readings, around: vacuum.Ambient) -> float | None:
    """The time constant of the hand pump capped, s; None while it was not tried."""
    for x in reversed(readings.all_of("vacuum_hold")):
        start, end, seconds = figures(x, "start_kpa", "end_kpa", "seconds")
        if x.data.where.node == HAND_PUMP and start and end is not None and seconds:
            return vacuum.leak_tau_s(abs(start), abs(end), seconds, around)
    return None


def _volume_ml(readings: Readings, entry: Entry, branch: bool) -> float:
    """What was pumped: by the circuit, else what is usual."""
    leaking = leaking_on(readings.job, readings.knowledge)
    node = str(entry.data.where.node or "")
    if leaking is None or node not in leaking.place:
        return readings.knowledge.circuit.leaks.usual_ml if branch else PART_ML
    if not branch:
        return leaking.volume_ml(1 << leaking.place[node])
    powered = entry.data.conditions.energised if entry.data.conditions else None
    return leaking.volume_ml(leaking.section(node, tuple(entry.data.blocked or ()), powered))


def held_points(readings: Readings, x: Entry) -> list[tuple[float, float]]:
    """Seconds and kPa of a hold test: all that was read on the way, else its start and end."""
    trace = x.data.source.trace if x.data.source else None
    entry = next((t for t in readings.job.of(Trace) if t.id == trace), None)
    columns = (entry.data.columns or {}) if entry else {}
    times = columns.get("time", [])
    kpas = columns.get("vacuum", [])
    points = [(t, abs(p)) for t, p in zip(times, kpas, strict=False) if t is not None and p is not None]
    if len(points) > 2:
        return points
    start, end, seconds = figures(x, "start_kpa", "end_kpa", "seconds")
    return [(0.0, abs(start or 0.0)), (seconds or 0.0, abs(end or 0.0))]


def _tau_says(readings: Readings, entry: Entry, limits: vacuum.VacuumLimits, around: vacuum.Ambient) -> str:
    points = held_points(readings, entry)
    if len(points) < MOST_ENDS + 1:
        return ""
    held = hold_fit(points, limits.hold_gauge_kpa, around)
    if math.isinf(held.tau_s):
        return f" {len(points)} readings: nothing is lost that the gauge can show."
    return f" {len(points)} readings: time constant {plus_minus(held.tau_s, held.u_s)} s."


def travel(readings: Readings, latest: list[Entry]) -> list[Result]:
    """The way up and the way down, each by itself; the worse of them counts."""
    results = []
    for last in latest:
        same = [x for x in readings.all_of("vacuum_travel") if x.data.where == last.data.where]
        ways: dict[bool, list[tuple[float, float]]] = {}
        for x in same:
            kpa, mm = figures(x, "kpa", "mm")
            if kpa is not None and mm is not None:
                up = (x.data.figures or {}).get("stroke_up", True)
                ways.setdefault(bool(up), []).append((abs(kpa), mm))
        if not ways:
            results.append(unfinished(last, "kpa", "mm"))
            continue
        limits = readings.limits(vacuum.VacuumLimits)
        judged = {up: vacuum.judge_travel(points, limits) for up, points in ways.items()}
        worst = next((j for j in judged.values() if j.verdict == "failed"), judged.get(True) or judged[False])
        if worst.verdict == "unclear" and len(judged) > 1:
            worst = next((j for j in judged.values() if j.verdict != "unclear"), worst)
        rubs = vacuum.friction_kpa(ways.get(True, []), ways.get(False, []))
        if rubs is not None:
            more = f" Half the stroke takes {plain(rubs)} kPa more up than down: friction of the mechanism."
            worst = replace(worst, because=worst.because + more)
        results.append(Result("vacuum_travel", where_of(last.data.where), worst, tuple(x.id for x in same)))
    return results


JUDGES = {"vacuum_at_pump": at_pump, "vacuum_hold": hold, "vacuum_section": hold, "vacuum_travel": travel}
# What each judge can answer beside the words of every judge.
ANSWERS: dict[str, tuple[str, ...]] = {
    "vacuum_at_pump": ("slow", "low", "steady", "flickers"),
    "vacuum_hold": ("holds", "leaks", "gross_leak"),
    "vacuum_section": ("holds", "leaks", "gross_leak"),
    "vacuum_travel": ("in_range", "late", "still"),
}
