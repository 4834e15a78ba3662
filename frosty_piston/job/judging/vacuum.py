"""Vacuum tests that record figures."""

from frosty_piston.core import vacuum

from .. import entries as e
from ..readings import Readings
from ..units import convert
from ..verdict import Verdict, where_of
from .sets import figures, unfinished, verdict


def at_pump(readings: Readings, latest: list[e.Entry]) -> list[Verdict]:
    found, said = [], readings.job.condition("altitude")
    limits = readings.limits(vacuum.VacuumLimits)
    for x in latest:
        kpa, seconds, flicker, altitude = figures(x, "kpa", "seconds", "flicker_kpa", "altitude_m")
        if altitude is None and said is not None and said.data.unit in ("km", "mm"):
            altitude = convert(said.data.value, said.data.unit, "km") * 1000
        found.append(
            unfinished(x, "kpa")
            if kpa is None
            else verdict(x, vacuum.judge_pump(abs(kpa), seconds, flicker, limits, altitude or 0.0))
        )
    return found


def hold(readings: Readings, latest: list[e.Entry]) -> list[Verdict]:
    found = []
    for x in latest:
        start, end, seconds = figures(x, "start_kpa", "end_kpa", "seconds")
        if start is None or end is None or seconds is None:
            found.append(unfinished(x, "start_kpa", "end_kpa", "seconds"))
        else:
            found.append(
                verdict(
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
    return found


def travel(readings: Readings, latest: list[e.Entry]) -> list[Verdict]:
    found = []
    for last in latest:
        same = [x for x in readings.all_of("vacuum_travel") if x.data.where == last.data.where]
        points = [
            (abs(kpa), mm)
            for kpa, mm in (figures(x, "kpa", "mm") for x in same)
            if kpa is not None and mm is not None
        ]
        if not points:
            found.append(unfinished(last, "kpa", "mm"))
        else:
            judged = vacuum.judge_travel(points, readings.limits(vacuum.VacuumLimits))
            found.append(
                Verdict("vacuum_travel", where_of(last.data.where), judged, tuple(x.id for x in same))
            )
    return found


JUDGES = {"vacuum_at_pump": at_pump, "vacuum_hold": hold, "vacuum_section": hold, "vacuum_travel": travel}
