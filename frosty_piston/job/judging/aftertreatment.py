"""Filter, exhaust temperature, NOx and DEF tests that record figures."""

from frosty_piston.core import aftertreatment
from frosty_piston.core.quantity import Judgement
from frosty_piston.job.entries import Entry

from .readings import Readings
from .result import Result
from .sets import figures, result, unfinished


def filter_pressure(readings: Readings, latest: list[Entry]) -> list[Result]:
    entries = readings.all_of("dpf_pressure")
    points = [
        (q, dp)
        for q, dp in (figures(x, "q_m3h", "dp_kpa") for x in entries)
        if q is not None and dp is not None
    ]
    if not points:
        return [unfinished(x, "q_m3h", "dp_kpa") for x in latest]
    limits = readings.limits(aftertreatment.FilterLimits)
    judged = aftertreatment.judge_filter(points, limits, _zero_kpa(readings))
    return [Result("dpf_pressure", {}, judged, tuple(x.id for x in entries))]


def _zero_kpa(readings: Readings) -> float:
    """What the differential sensor shows with the key on and the engine off; 0 when that was not read."""
    key_on = [x for x in readings.latest("key_on_pressures") if x.data.where.channel == "differential"]
    return readings.figure(key_on[-1], "kPa") if key_on else 0.0


def filter_state(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(aftertreatment.FilterLimits)
    results = []
    for entry in latest:
        channel = entry.data.where.channel
        if channel == "soot_mass":
            judged = aftertreatment.judge_soot(readings.value(entry, "g") or 0.0, limits)
        elif channel == "ash_mass":
            judged = aftertreatment.judge_ash(readings.value(entry, "g") or 0.0, limits)
        elif channel == "distance_since_burn" and entry.data.unit != "g":
            judged = aftertreatment.judge_burn_distance(readings.value(entry, "km") or 0.0, limits)
        else:
            judged = Judgement(
                "unclear",
                "unclear",
                None,
                unit=None,
                uncertainty=None,
                because="Say what it is: soot_mass, ash_mass or distance_since_burn.",
            )
        results.append(result(entry, judged))
    return results


def exhaust_temps(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(aftertreatment.HeatLimits)
    cold = any(
        entry.data.conditions
        and (
            (entry.data.conditions.soaked_h or 0) >= limits.cold_after_h
            or entry.data.conditions.engine_running is False
        )
        for entry in latest
    )
    temps = {x.data.where.channel or "exhaust": readings.value(x, "degC") or 0.0 for x in latest}
    cold = cold or sum(t < limits.cold_under_c for t in temps.values()) * 2 > len(temps)
    judged = aftertreatment.judge_exhaust_temps(temps, cold, limits)
    return [result(x, judged[x.data.where.channel or "exhaust"]) for x in latest]


def nox(readings: Readings, latest: list[Entry]) -> list[Result]:
    results = []
    for entry in latest:
        up, down = figures(entry, "up_ppm", "down_ppm")
        dosing = bool((entry.data.figures or {}).get("dosing", True))
        hot = entry.data.conditions.part_c if entry.data.conditions else None
        limits = readings.limits(aftertreatment.NoxLimits)
        off_s = entry.data.conditions.after_s if entry.data.conditions and not dosing else None
        judged = aftertreatment.judge_nox(up, down, dosing, limits=limits, exhaust_c=hot, off_s=off_s)
        results.append(result(entry, judged, dosing=False if up is None or down is None else dosing))
    return results


def dose(readings: Readings, latest: list[Entry]) -> list[Result]:
    spray = next((x.data.outcome for x in reversed(latest) if x.data.outcome), None)
    results = []
    for entry in latest:
        expected, measured = figures(entry, "expected_ml", "measured_ml")
        judged = aftertreatment.judge_dose(
            expected, measured, entry.data.outcome or spray, readings.limits(aftertreatment.DefLimits)
        )
        results.append(result(entry, judged))
    return results


def def_pressure(readings: Readings, latest: list[Entry]) -> list[Result]:
    results = []
    limits = readings.limits(aftertreatment.DefLimits)
    for entry in latest:
        bar, held, seconds = figures(entry, "bar", "held_bar", "seconds")
        results.append(
            unfinished(entry, "bar")
            if bar is None
            else result(entry, aftertreatment.judge_def_pressure(bar, held, seconds, limits))
        )
    return results


def concentration(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(aftertreatment.DefLimits)
    results = []
    for x in latest:
        fluid_c = x.data.conditions.part_c if x.data.conditions else None
        shown = readings.value(x, "percent") or 0.0
        results.append(result(x, aftertreatment.judge_concentration(shown, limits, fluid_c)))
    return results


JUDGES = {
    "dpf_pressure": filter_pressure,
    "dpf_state": filter_state,
    "exhaust_temps": exhaust_temps,
    "nox_compare": nox,
    "def_quantity": dose,
    "def_pressure": def_pressure,
    "def_concentration": concentration,
}
# What each judge can answer beside the words of every judge.
ANSWERS: dict[str, tuple[str, ...]] = {
    "dpf_pressure": ("free", "loaded", "blocked", "near_zero", "negative"),
    "dpf_state": ("normal", "loaded", "high", "very_high", "too_high", "ash_high", "short"),
    "exhaust_temps": ("agree", "out_of_order", "odd_one_out"),
    "nox_compare": ("good", "weak", "poor", "agree", "disagree", "silent"),
    "def_quantity": ("right", "over", "bad_spray", "short"),
    "def_pressure": ("holds", "falls_back", "low"),
    "def_concentration": ("in_range", "off", "wrong"),
}
