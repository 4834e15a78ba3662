"""Vacuum tests that record figures."""

from frosty_piston.core import vacuum

from .. import entries as e
from ..readings import Readings
from ..result import Result, where_of
from ..units import convert
from .sets import figures, result, unfinished

NEEDLE = "needle"


def _altitude_m(readings: Readings) -> float:
    said = readings.job.condition("altitude_m") or readings.job.condition("altitude")
    known = said is not None and said.data.unit in ("km", "mm", "m")
    return convert(said.data.value, said.data.unit, "km") * 1000 if said and known else 0.0


def at_pump(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    """The level and the needle, each by itself."""
    results = []
    limits = readings.limits(vacuum.VacuumLimits)
    for x in latest:
        kpa, seconds, flicker, altitude = figures(x, "kpa", "seconds", "flicker_kpa", "altitude_m")
        if kpa is None and flicker is None:
            results.append(unfinished(x, "kpa"))
        if kpa is not None:
            height = _altitude_m(readings) if altitude is None else altitude
            results.append(result(x, vacuum.judge_pump(abs(kpa), seconds, limits, height)))
        if flicker is not None:
            needle = where_of(x.data.where) | {"channel": NEEDLE}
            results.append(Result(x.data.test, needle, vacuum.judge_flicker(flicker, limits), (x.id,)))
    return results


def hold(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    results, limits, height = [], readings.limits(vacuum.VacuumLimits), _altitude_m(readings)
    for x in latest:
        start, end, seconds = figures(x, "start_kpa", "end_kpa", "seconds")
        if start is None or end is None or seconds is None:
            results.append(unfinished(x, "start_kpa", "end_kpa", "seconds"))
            continue
        branch = x.data.test == "vacuum_section"
        results.append(result(x, vacuum.judge_hold(abs(start), abs(end), seconds, limits, branch, height)))
    return results


def travel(readings: Readings, latest: list[e.Entry]) -> list[Result]:
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
        results.append(Result("vacuum_travel", where_of(last.data.where), worst, tuple(x.id for x in same)))
    return results


JUDGES = {"vacuum_at_pump": at_pump, "vacuum_hold": hold, "vacuum_section": hold, "vacuum_travel": travel}
