"""Fuel and injector tests."""

from frosty_piston.core import injection

from .. import entries as e
from ..readings import Readings
from ..verdict import Verdict
from .sets import as_set, figures, hot, unfinished, verdict

FLOOR_OHM = {"rail_piezo": 3000.0}


def resistance(readings: Readings, latest: list[e.Entry]) -> list[Verdict]:
    kind = readings.job.engine.injection or "rail_solenoid"
    found = []
    for warm in (False, True):
        of_set = [x for x in latest if hot(x) == warm]
        if not of_set:
            continue
        zero = readings.instruments.ohmmeter(of_set[-1]).lead_zero_ohm or 0.0
        shown = [readings.value(x, "ohm") for x in of_set]
        ohms = [None if v is None else v if kind == "rail_piezo" else v - zero for v in shown]
        meter = readings.instruments.ohmmeter(of_set[-1])
        u = [
            injection.injector_u_ohm(v or 0.0, meter.accuracy_percent, FLOOR_OHM.get(kind, 0.03))
            for v in shown
        ]
        found += [
            verdict(x, j)
            for x, j in zip(of_set, injection.judge_injector_resistance(ohms, u, kind, warm), strict=True)
        ]
    return found


def insulation(readings: Readings, latest: list[e.Entry]) -> list[Verdict]:
    kind = readings.job.engine.injection or "rail_solenoid"
    return [verdict(x, injection.judge_insulation(readings.value(x, "Mohm"), kind, hot(x))) for x in latest]


def leakoff(readings: Readings, latest: list[e.Entry]) -> list[Verdict]:
    limit = readings.job.engine.limit("injector_return_ml")
    return as_set(readings, latest, "ml", lambda values: injection.judge_leakoff(values, limit))


def misfires(readings: Readings, latest: list[e.Entry]) -> list[Verdict]:
    found = []
    for x in latest:
        count, turned = figures(x, "count", "revolutions")
        found.append(
            unfinished(x, "count", "revolutions")
            if count is None or turned is None
            else verdict(x, injection.judge_misfires(count, turned))
        )
    return found


def supply_pressure(readings: Readings, latest: list[e.Entry]) -> list[Verdict]:
    own = readings.job.engine.limit("fuel_supply_bar")
    found = []
    for x in latest:
        bar = figures(x, "bar")[0] if x.kind == "outcome" else readings.value(x, "bar") or 0.0
        found.append(
            unfinished(x, "bar")
            if bar is None
            else verdict(
                x, injection.judge_supply_pressure(bar, readings.figure("fuel_supply_bar"), own is not None)
            )
        )
    return found


JUDGES = {
    "injector_resistance": resistance,
    "injector_insulation": insulation,
    "injector_leakoff": leakoff,
    "injector_balance": lambda readings, latest: as_set(readings, latest, "mm3", injection.judge_balance),
    "cylinder_cutout": lambda readings, latest: as_set(readings, latest, "rpm", injection.judge_cutout),
    "misfire_counts": misfires,
    "relative_compression": lambda readings, latest: as_set(
        readings, latest, "percent", injection.judge_compression
    ),
    "rail_pressure_crank": lambda readings, latest: [
        verdict(x, injection.judge_rail_cranking(readings.value(x, "bar") or 0.0)) for x in latest
    ],
    "fuel_low_pressure": supply_pressure,
}
