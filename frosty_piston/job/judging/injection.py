"""Fuel and injector tests."""

from dataclasses import replace

from frosty_piston.core import injection
from frosty_piston.core.quantity import Judgement, plain
from frosty_piston.job.entries import Entry

from .readings import Readings
from .result import Result
from .sets import as_set, figures, hot, result, unfinished


def resistance(readings: Readings, latest: list[Entry]) -> list[Result]:
    kind = readings.job.engine.injection or "rail_solenoid"
    limits = readings.limits(injection.InjectionLimits)
    results = []
    for warm in (False, True):
        of_set = [x for x in latest if hot(x) == warm]
        if not of_set:
            continue
        zero = readings.instruments.ohmmeter(of_set[-1]).lead_zero_ohm or 0.0
        leads = 0.0 if kind == "rail_piezo" else zero
        shown = [readings.value(x, "ohm") for x in of_set]
        ohms = [None if v is None else v - leads for v in shown]
        meter = readings.instruments.ohmmeter(of_set[-1])
        u = [
            injection.injector_u_ohm(verdict or 0.0, meter.accuracy_percent, limits.kind(kind).floor_ohm)
            for verdict in shown
        ]
        heat = [_part_c(x, warm, limits) for x in of_set]
        cold = [
            None if v is None else injection.at_20_c(v, c, kind) for v, (c, _) in zip(ohms, heat, strict=True)
        ]
        # A cold range has room for a workshop's temperatures; how hot a hot part was is another matter.
        sure = kind == "rail_piezo" or not warm
        guess = 0.0 if sure else injection.COPPER_PER_K * limits.guess_part_c
        shares = [0.0 if said else guess for _, said in heat]
        judged = injection.judge_injector_resistance(cold, u, kind, limits=limits, hot=warm, u_share=shares)
        results += [
            result(entry, _as_read(judgement, v, c, said, kind))
            for entry, judgement, v, (c, said) in zip(of_set, judged, ohms, heat, strict=True)
        ]
    return results


def _part_c(entry: Entry, warm: bool, limits: injection.InjectionLimits) -> tuple[float, bool]:
    """How warm the part was, and whether somebody measured it."""
    said = entry.data.conditions.part_c if entry.data.conditions else None
    return (float(limits.hot_part_c if warm else limits.cold_part_c), False) if said is None else (said, True)


def _as_read(judgement: Judgement, shown: float | None, celsius: float, said: bool, kind: str) -> Judgement:
    """A judgement with the figure as it was read, and the temperature it was judged at."""
    if shown is None or kind == "rail_piezo" or celsius == 20:
        return judgement
    how = "" if said else ", guessed"
    says = f"{judgement.because} Read as {plain(shown)} Ω at {plain(celsius)} °C{how}; that is it at 20 °C."
    return replace(judgement, value=shown, because=says)


def insulation(readings: Readings, latest: list[Entry]) -> list[Result]:
    kind = readings.job.engine.injection or "rail_solenoid"
    limits = readings.limits(injection.InjectionLimits)
    return [
        result(x, injection.judge_insulation(readings.value(x, "Mohm"), kind, limits, hot(x))) for x in latest
    ]


def leakoff(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(injection.InjectionLimits)
    return as_set(readings, latest, "ml", lambda values: injection.judge_leakoff(values, limits))


def balance(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(injection.InjectionLimits)
    return as_set(readings, latest, "mm3", lambda values: injection.judge_balance(values, limits))


def cutout(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(injection.InjectionLimits)
    return as_set(readings, latest, "rpm", lambda values: injection.judge_cutout(values, limits))


def compression(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(injection.InjectionLimits)
    return as_set(readings, latest, "percent", lambda values: injection.judge_compression(values, limits))


def rail_cranking(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(injection.InjectionLimits)
    return [result(x, injection.judge_rail_cranking(readings.value(x, "bar") or 0.0, limits)) for x in latest]


def rail_at_rest(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(injection.InjectionLimits)
    return [result(x, injection.judge_rail_rest(readings.figure(x, "bar"), limits)) for x in latest]


def misfires(readings: Readings, latest: list[Entry]) -> list[Result]:
    results = []
    for entry in latest:
        count, turned = figures(entry, "count", "revolutions")
        results.append(
            unfinished(entry, "count", "revolutions")
            if count is None or turned is None
            else result(
                entry, injection.judge_misfires(count, turned, readings.limits(injection.InjectionLimits))
            )
        )
    return results


def supply_pressure(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(injection.InjectionLimits)
    results = []
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
    "rail_pressure_rest": rail_at_rest,
    "fuel_low_pressure": supply_pressure,
}
# What each judge can answer beside the words of every judge.
ANSWERS: dict[str, tuple[str, ...]] = {
    "injector_resistance": ("outlier", "high", "low", "open"),
    "injector_insulation": ("leaks",),
    "injector_leakoff": ("all_high", "high"),
    "injector_balance": ("needs_less", "needs_more"),
    "cylinder_cutout": ("even", "weak", "dead"),
    "misfire_counts": ("quiet", "misfires"),
    "relative_compression": ("even", "marginal", "low"),
    "rail_pressure_crank": ("marginal", "failed"),
    "rail_pressure_rest": ("near_nothing", "stands_high", "reads_below"),
    "fuel_low_pressure": ("marginal", "failed"),
}
