"""Vacuum tests that record figures."""

from frosty_piston.core import vacuum

from .. import entries as e
from ..readings import Readings
from ..result import Result, where_of
from ..units import convert
from .sets import figures, result, unfinished


def at_pump(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    results, said = [], readings.job.condition("altitude")
    limits = readings.limits(vacuum.VacuumLimits)
    for x in latest:
        kpa, seconds, flicker, altitude = figures(x, "kpa", "seconds", "flicker_kpa", "altitude_m")
        if altitude is None and said is not None and said.data.unit in ("km", "mm"):
            altitude = convert(said.data.value, said.data.unit, "km") * 1000
        results.append(
            unfinished(x, "kpa")
            if kpa is None
            else result(x, vacuum.judge_pump(abs(kpa), seconds, flicker, limits, altitude or 0.0))
        )
    return results


def hold(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    results = []
    for x in latest:
        start, end, seconds = figures(x, "start_kpa", "end_kpa", "seconds")
        if start is None or end is None or seconds is None:
            results.append(unfinished(x, "start_kpa", "end_kpa", "seconds"))
        else:
            results.append(
                result(
                    x,
                    vacuum.judge_hold(
                        abs(start),
                        abs(end),
                        seconds,
                        readings.limits(vacuum.VacuumLimits),
                        x.data.test == "vacuum_section",
                    ),
                )
            )
    return results


def travel(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    results = []
    for last in latest:
        same = [x for x in readings.all_of("vacuum_travel") if x.data.where == last.data.where]
        points = [
            (abs(kpa), mm)
            for kpa, mm in (figures(x, "kpa", "mm") for x in same)
            if kpa is not None and mm is not None
        ]
        if not points:
            results.append(unfinished(last, "kpa", "mm"))
        else:
            judged = vacuum.judge_travel(points, readings.limits(vacuum.VacuumLimits))
            results.append(
                Result("vacuum_travel", where_of(last.data.where), judged, tuple(x.id for x in same))
            )
    return results


JUDGES = {"vacuum_at_pump": at_pump, "vacuum_hold": hold, "vacuum_section": hold, "vacuum_travel": travel}
