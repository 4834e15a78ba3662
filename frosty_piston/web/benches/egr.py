"""EGR valve: position, drive, air change, look, cooler, cleaning."""

from frosty_piston.core.air import AirLimits
from frosty_piston.core.quantity import plain
from frosty_piston.job.judging.air import expected_at_atmosphere
from frosty_piston.store.workshop import JobRecord, Workshop

from .recorded import Drawn, drive, last_read
from .sections import sectioned

LIFT_PX = 56.0
BAR_PX = 150.0
BARS_AT = 470.0


def draws(record: JobRecord, workshop: Workshop) -> Drawn:
    trace, report = drive(record, workshop, "egr", "egr_valve")
    read = last_read(record, "egr_position", "percent", point="engine_off")
    rest: float | None
    if read is not None:
        rest = read
    elif report:
        rest = report.closed_offset
    else:
        rest = None
    recorded = f"recorded, {trace.name}" if trace and rest is not None else ""
    limit = record.assessed.readings.limits(AirLimits).egr_closed_percent
    state = "failed" if rest is not None and rest > limit else "sound"
    shut, opened = (last_read(record, "egr_air_change", "mg", point=p) for p in ("shut", "open"))
    expected = expected_at_atmosphere(record.assessed.readings)
    top = max([x for x in (shut, opened, expected) if x] or [1.0]) * 1.1
    bars = [
        {
            "name": name,
            "mg": plain(round(mg)) if mg is not None else "",
            "width": round((mg or 0) / top * BAR_PX, 1),
            "y": y,
        }
        for name, mg, y in (("shut", shut, 62), ("open", opened, 118))
    ]
    return {
        "rest": None if rest is None else plain(rest),
        "lift": 0.0 if rest is None else round(min(100.0, max(0.0, rest)) / 100 * LIFT_PX, 1),
        "limit": plain(limit),
        "limit_px": round(limit / 100 * LIFT_PX, 1),
        "lift_px": LIFT_PX,
        "source": "read, engine off" if read is not None else recorded,
        "bars": bars,
        "expected": (
            {"mg": plain(round(expected)), "x": round(BARS_AT + expected / top * BAR_PX, 1)}
            if expected
            else None
        ),
        "state": "" if rest is None else state,
    }


BENCH = sectioned("egr", draws)
