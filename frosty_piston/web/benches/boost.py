"""Air and boost: pressures, pull, leak test, intake, air mass."""

from statistics import median

from frosty_piston.core.air import AirLimits, leak_down_kpa
from frosty_piston.core.boost import BoostLimits, BoostReport, analyse_boost, boost_table
from frosty_piston.core.quantity import plain
from frosty_piston.core.traces import spaced
from frosty_piston.job.entries import Outcome
from frosty_piston.store.workshop import JobRecord, Workshop

from .recorded import Drawn, last_read, recordings_of
from .sections import sectioned

AXIS_AT = 100.0
AXIS_PX = 300.0


def draws(record: JobRecord, workshop: Workshop) -> Drawn:
    """The pressures of the key-on test on one axis with the band they should agree in, and the leak-down of
    the last leak test."""
    read = {
        channel: last_read(record, "key_on_pressures", "kPa", channel=channel)
        for channel in ("barometer", "manifold", "exhaust")
    }
    known = [v for v in read.values() if v is not None]
    agree_kpa = record.assessed.readings.limits(AirLimits).agree_kpa
    middle = median(known) if known else 98.0
    low = middle - 12.0
    span = 24.0

    def across(kpa: float) -> float:
        return round(min(1.0, max(0.0, (kpa - low) / span)) * AXIS_PX, 1)

    band = (across(middle - agree_kpa), across(middle + agree_kpa)) if known else None
    return {
        "pressures": [
            {
                "y": 66 + 42 * n,
                "name": c,
                "kpa": plain(v) if v is not None else "",
                "x": across(v) if v is not None else None,
                "far": v is not None and abs(v - middle) > agree_kpa,
            }
            for n, (c, v) in enumerate(read.items())
        ],
        "band": (
            {
                "x": AXIS_AT + band[0],
                "width": round(band[1] - band[0], 1),
                "middle": round(AXIS_AT + (band[0] + band[1]) / 2, 1),
            }
            if band
            else None
        ),
        "leak": leak_down(record),
        "table": boost_table(_pull(record, workshop), record.assessed.readings.limits(BoostLimits)),
    }


def _pull(record: JobRecord, workshop: Workshop) -> BoostReport | None:
    """What the newest recording of a pull says."""
    reports = (
        _boost_report(record, workshop, t.id) for t in reversed(recordings_of(record, workshop, "boost"))
    )
    return next((r for r in reports if r is not None), None)


def _boost_report(record: JobRecord, workshop: Workshop, trace_id: str) -> BoostReport | None:
    limits = record.assessed.readings.limits(BoostLimits)

    def analysed() -> BoostReport | None:
        signals = workshop.recordings.signals(record.job.id, trace_id)
        c = {
            name: spaced(signals[name])
            for name in ("manifold_pressure_target", "manifold_pressure", "vane_command", "vane_position")
            if name in signals
        }
        if "manifold_pressure_target" not in c or "manifold_pressure" not in c:
            return None
        target = c["manifold_pressure_target"]
        actual = c["manifold_pressure"]
        return analyse_boost(target, actual, limits, c.get("vane_command"), c.get("vane_position"))

    return workshop.recordings.remembered((record.job.id, trace_id, limits), analysed)


def leak_down(record: JobRecord) -> Drawn | None:
    """The last leak test as a curve, beside the one that would just pass."""
    acts = [x for x in record.job.of(Outcome) if x.data.test == "boost_leak" and x.data.figures]
    given = (acts[-1].data.figures if acts else None) or {}
    start, end, seconds = (given.get(name) for name in ("start_kpa", "end_kpa", "seconds"))
    if start is None or end is None or seconds is None or start <= 0 or seconds <= 0 or end > start:
        return None
    limits = record.assessed.readings.limits(AirLimits)
    long = max(limits.leak_s, seconds)

    def path(end_kpa: float, in_s: float) -> str:
        return "M" + "L".join(
            f"{round(n / 40 * 240, 1)}"
            f" {round(120 - 110 * leak_down_kpa(start, end_kpa, in_s, n / 40 * long) / start, 1)}"
            for n in range(41)
        )

    return {
        "measured": path(end, seconds),
        "mark": path(limits.leak_left_share * start, limits.leak_s),
        "end": (round(seconds / long * 240, 1), round(120 - 110 * end / start, 1)),
        "says": f"{plain(start)} to {plain(end)} kPa in {plain(seconds)} s",
        "long": plain(long),
    }


BENCH = sectioned("boost", draws)
