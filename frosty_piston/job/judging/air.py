"""Air, EGR, swirl and boost-side tests that record figures."""

from dataclasses import replace

from frosty_piston.core import air
from frosty_piston.core.quantity import Judgement
from frosty_piston.job.entries import Entry
from frosty_piston.job.entries.measuring import NOT_POSSIBLE
from frosty_piston.job.units import convert

from .readings import Readings
from .result import Result, where_of
from .sets import HALF, figures, result, unfinished


def key_on_pressures(readings: Readings, latest: list[Entry]) -> list[Result]:
    judged = air.judge_key_on(
        {x.data.where.channel or "unnamed": readings.value(x, "kPa") or 0.0 for x in latest},
        readings.limits(air.AirLimits),
    )
    return [result(x, judged[x.data.where.channel or "unnamed"]) for x in latest]


def air_mass(readings: Readings, latest: list[Entry]) -> list[Result]:
    engine = readings.job.engine
    limits = readings.limits(air.AirLimits)
    results = []
    for entry in latest:
        mg, kpa, celsius = figures(entry, "air_mg_stroke", "manifold_kpa", "intake_c")
        if mg is None or kpa is None:
            results.append(unfinished(entry, "air_mg_stroke", "manifold_kpa"))
        elif engine.displacement_l is None:
            results.append(
                result(
                    entry,
                    Judgement(
                        "unclear",
                        "unclear",
                        mg,
                        unit="mg",
                        uncertainty=None,
                        because="Put the displacement on the engine card: the expected air hangs on it.",
                    ),
                )
            )
        else:
            expected = air.expected_air_mg(
                kpa,
                engine.displacement_l,
                readings.job.cylinders,
                limits.intake_c if celsius is None else celsius,
                limits.filling_share,
            )
            results.append(result(entry, air.judge_air_mass(mg, expected, limits)))
    return results


def egr_position(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(air.AirLimits)
    return [result(x, air.judge_egr_rest(readings.value(x, "percent") or 0.0, limits)) for x in latest]


def _pair(
    readings: Readings, latest: list[Entry], unit: str, first: str, second: str
) -> tuple[float, float, tuple[str, ...]] | None:
    at = {x.data.where.point: x for x in latest}
    if first not in at or second not in at:
        return None
    return (
        readings.value(at[first], unit) or 0.0,
        readings.value(at[second], unit) or 0.0,
        (at[first].id, at[second].id),
    )


def expected_at_atmosphere(readings: Readings) -> float | None:
    """The air per stroke in mg that this engine draws without boost, EGR shut; None without a
    displacement."""
    engine = readings.job.engine
    ambient = readings.ambient_c()
    limits = readings.limits(air.AirLimits)
    barometer = readings.job.condition("barometer")
    kpa = convert(barometer.data.value, barometer.data.unit, "kPa") if barometer else air.barometer_kpa(0)
    return (
        air.expected_air_mg(
            kpa,
            engine.displacement_l,
            readings.job.cylinders,
            limits.intake_c if ambient is None else ambient + limits.underbonnet_c,
            limits.filling_share,
        )
        if engine.displacement_l
        else None
    )


def egr_air_change(readings: Readings, latest: list[Entry]) -> list[Result]:
    pair = _pair(readings, latest, "mg", "shut", "open")
    if pair is None:
        return [
            result(
                entry,
                Judgement(
                    "unclear",
                    "unclear",
                    readings.value(entry, "mg"),
                    unit="mg",
                    uncertainty=None,
                    because="Read both, shut and open, at the same speed.",
                ),
                left=HALF,
            )
            for entry in latest
        ]
    return [
        Result(
            "egr_air_change",
            {},
            air.judge_egr_air(
                pair[0], pair[1], readings.limits(air.AirLimits), expected_at_atmosphere(readings)
            ),
            pair[2],
        )
    ]


def swirl_compare(readings: Readings, latest: list[Entry]) -> list[Result]:
    """Both halves of the rev test: a time, or never reached."""
    apart = [v for x in latest if x.data.value == NOT_POSSIBLE and (v := readings.said(x))]
    halves = {x.data.where.point: x for x in latest if x.data.value != NOT_POSSIBLE}
    as_is = halves.get("as_is")
    released = halves.get("released")
    if as_is is None or released is None:
        says = "Time both, as it is and with the flaps released."
        waiting = [
            Judgement(
                "unclear", "unclear", readings.value(entry, "s"), unit="s", uncertainty=None, because=says
            )
            for entry in latest
        ]
        alone = [
            replace(readings.said(x) or result(x, judgement), left=HALF)
            for x, judgement in zip(latest, waiting, strict=True)
            if x.data.value != NOT_POSSIBLE
        ]
        return apart + alone
    limits = readings.limits(air.AirLimits)
    judged = air.judge_swirl(readings.value(as_is, "s"), readings.value(released, "s"), limits)
    return [*apart, Result("swirl_compare", {}, judged, (as_is.id, released.id))]


def boost_leak(readings: Readings, latest: list[Entry]) -> list[Result]:
    results = []
    for entry in latest:
        start, end, seconds = figures(entry, "start_kpa", "end_kpa", "seconds")
        if entry.data.outcome:
            results.append(readings.as_recorded(entry))
        elif start is None or end is None or seconds is None:
            results.append(unfinished(entry, "start_kpa", "end_kpa", "seconds"))
        else:
            judged = air.judge_boost_leak(start, end, seconds, readings.limits(air.AirLimits))
            results.append(Result("boost_leak", where_of(entry.data.where), judged, (entry.id,)))
    return results


JUDGES = {
    "key_on_pressures": key_on_pressures,
    "air_mass_check": air_mass,
    "egr_position": egr_position,
    "egr_air_change": egr_air_change,
    "swirl_compare": swirl_compare,
    "boost_leak": boost_leak,
}
# What each judge can answer beside the words of every judge.
ANSWERS: dict[str, tuple[str, ...]] = {
    "key_on_pressures": (
        "agree",
        "disagree",
        "differential_off",
        "exhaust_odd",
        "manifold_odd",
        "barometer_odd",
    ),
    "air_mass_check": ("fits", "reads_low", "reads_high"),
    "egr_position": ("closed", "does_not_close", "far_open"),
    "egr_air_change": ("flows", "no_change", "low_when_shut"),
    "swirl_compare": ("same", "better_released"),
    "boost_leak": (),
}
