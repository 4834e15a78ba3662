"""Gauges on a running engine, and the vacuum engine stop."""

from frosty_piston.core import running

from .. import entries as e
from ..readings import Readings
from ..result import Result
from .sets import figures, result, unfinished


def oil_pressure(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    results = []
    for x in latest:
        bar, rpm, _ = figures(x, "bar", "rpm", "oil_c")
        results.append(
            unfinished(x, "bar")
            if bar is None
            else result(x, running.judge_oil_pressure(bar, rpm, readings.limits(running.RunningLimits)))
        )
    return results


def warm_up(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    results = []
    for x in latest:
        coolant, minutes = figures(x, "coolant_c", "minutes")
        results.append(
            unfinished(x, "coolant_c")
            if coolant is None
            else result(x, running.judge_warm_up(coolant, minutes, readings.limits(running.RunningLimits)))
        )
    return results


def filter_drop(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    results = []
    for x in latest:
        before, after = figures(x, "before_bar", "after_bar")
        results.append(
            unfinished(x, "before_bar", "after_bar")
            if before is None or after is None
            else result(x, running.judge_filter_drop(before, after, readings.limits(running.RunningLimits)))
        )
    return results


def stop_time(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    limits = readings.limits(running.RunningLimits)
    return [result(x, running.judge_stop_time(readings.value(x, "s") or 0.0, limits)) for x in latest]


def key_switch(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    results = []
    for x in latest:
        given = x.data.figures or {}
        answers = [
            bool(given[name]) if name in given else None for name in ("passes_off", "seals_on", "vents")
        ]
        results.append(result(x, running.judge_key_switch(*answers)))
    return results


def solenoid_coil(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    limits = readings.limits(running.RunningLimits)
    return [result(x, running.judge_coil(readings.value(x, "ohm"), limits)) for x in latest]


JUDGES = {
    "oil_pressure": oil_pressure,
    "warm_up": warm_up,
    "fuel_filter_drop": filter_drop,
    "stop_time": stop_time,
    "key_switch": key_switch,
    "solenoid_coil": solenoid_coil,
}
