"""Fuel and injector tests."""

from frosty_piston.core import injection

from .. import entries as e
from ..readings import Readings
from ..result import Result
from .sets import as_set, figures, hot, result, unfinished


def resistance(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    kind, limits = (
        readings.job.engine.injection or "rail_solenoid",
        readings.limits(injection.InjectionLimits),
    )
    results = []
    for warm in (False, True):
        of_set = [x for x in latest if hot(x) == warm]
        if not of_set:
            continue
        zero = readings.instruments.ohmmeter(of_set[-1]).lead_zero_ohm or 0.0
        shown = [readings.value(x, "ohm") for x in of_set]
        ohms = [None if v is None else v if kind == "rail_piezo" else v - zero for v in shown]
        meter = readings.instruments.ohmmeter(of_set[-1])
        u = [
            injection.injector_u_ohm(v or 0.0, meter.accuracy_percent, limits.kind(kind).floor_ohm)
            for v in shown
        ]
        results += [
            result(x, j)
            for x, j in zip(
                of_set, injection.judge_injector_resistance(ohms, u, kind, limits, warm), strict=True
            )
        ]
    return results


def insulation(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    kind, limits = (
        readings.job.engine.injection or "rail_solenoid",
        readings.limits(injection.InjectionLimits),
    )
    return [
        result(x, injection.judge_insulation(readings.value(x, "Mohm"), kind, limits, hot(x))) for x in latest
    ]


def leakoff(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    limits = readings.limits(injection.InjectionLimits)
    return as_set(readings, latest, "ml", lambda values: injection.judge_leakoff(values, limits))


def balance(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    limits = readings.limits(injection.InjectionLimits)
    return as_set(readings, latest, "mm3", lambda values: injection.judge_balance(values, limits))


def cutout(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    limits = readings.limits(injection.InjectionLimits)
    return as_set(readings, latest, "rpm", lambda values: injection.judge_cutout(values, limits))


def compression(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    limits = readings.limits(injection.InjectionLimits)
    return as_set(readings, latest, "percent", lambda values: injection.judge_compression(values, limits))


def rail_cranking(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    limits = readings.limits(injection.InjectionLimits)
    return [result(x, injection.judge_rail_cranking(readings.value(x, "bar") or 0.0, limits)) for x in latest]


def misfires(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    results = []
    for x in latest:
        count, turned = figures(x, "count", "revolutions")
        results.append(
            unfinished(x, "count", "revolutions")
            if count is None or turned is None
            else result(
                x, injection.judge_misfires(count, turned, readings.limits(injection.InjectionLimits))
            )
        )
    return results


def supply_pressure(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    limits, results = readings.limits(injection.InjectionLimits), []
    for x in latest:
        bar = figures(x, "bar")[0] if x.kind == "outcome" else readings.value(x, "bar") or 0.0
        results.append(
            unfinished(x, "bar") if bar is None else result(x, injection.judge_supply_pressure(bar, limits))
        )
    return results


JUDGES = {
    "injector_resistance": resistance,
    "injector_insulation": insulation,
    "injector_leakoff": leakoff,
    "injector_balance": balance,
    "cylinder_cutout": cutout,
    "misfire_counts": misfires,
    "relative_compression": compression,
    "rail_pressure_crank": rail_cranking,
    "fuel_low_pressure": supply_pressure,
}
