"""What the drawings of the air-side benches show: openings, strokes, pressures and times as they were
measured."""

from collections.abc import Callable
from functools import lru_cache
from math import cos, radians, sin
from statistics import median
from typing import Any

from frosty_piston.core.actuators import STUCK_RANGE, DriveReport, analyse_drive, sweeps
from frosty_piston.core.air import AGREE_KPA, LEAK_LEFT, LEAK_S, leak_down_kpa
from frosty_piston.core.air_recorded import bypass_stands
from frosty_piston.core.boost import BoostReport, analyse_boost, boost_table
from frosty_piston.core.quantity import plain
from frosty_piston.core.traces import spaced
from frosty_piston.job.entries import Outcome, Reading
from frosty_piston.job.judging.air import expected_at_atmosphere
from frosty_piston.job.judging.recorded import DRIVES, drive_of
from frosty_piston.job.units import convert
from frosty_piston.store.recordings import Recordings, TraceInfo
from frosty_piston.store.workshop import JobRecord, Workshop

from .loop_picture import loop_picture

Drawn = dict[str, Any]
LIFT_PX, BAR_PX, BARS_AT, TIMES_PX, AXIS_AT, AXIS_PX = 56.0, 150.0, 470.0, 210.0, 100.0, 300.0
LEVER_AT, LEVER_PX = (170.0, 178.0), 122.0
# The channels a recording needs to belong to a bench.
WANTED = {
    "egr": (
        ("egr_command", "egr_position"),
        ("egr_command", "egr_position_sensor_v"),
        ("egr_position", "air_mass_stroke"),
    ),
    "bypass": (("bypass_position", "engine_speed"),),
    "inlet_flap": (DRIVES["inlet_flap"][:2],),
    "swirl": (("engine_speed",),),
    "turbo": (DRIVES["turbo_actuator"][:2],),
    "boost": (("manifold_pressure_target", "manifold_pressure"), ("air_mass_stroke", "manifold_pressure")),
}


def recordings_of(record: JobRecord, workshop: Workshop, bench: str) -> list[TraceInfo]:
    """The recordings of the job that hold what a bench is about, the newest last."""
    gone = record.job.gone
    return [
        t
        for t in workshop.recordings.of_job(record.job.id)
        if t.id not in gone
        and any({c.channel for c in t.channels} >= set(wanted) for wanted in WANTED[bench])
    ]


@lru_cache(maxsize=32)
def _report(recordings: Recordings, job_id: str, trace_id: str, node: str) -> DriveReport | None:
    signals = recordings.signals(job_id, trace_id)
    found = drive_of(node, signals)
    return analyse_drive(spaced(signals[found[0]]), spaced(signals[found[1]]), found[2]) if found else None


def _drive(
    record: JobRecord, workshop: Workshop, bench: str, node: str
) -> tuple[TraceInfo | None, DriveReport | None]:
    """The newest recording of a drive, a sweep both ways before any other, and what it says."""
    mine = [
        t for t in recordings_of(record, workshop, bench) if drive_of(node, [c.channel for c in t.channels])
    ]
    swept = [t for t in mine if _swept(workshop.recordings, record.job.id, t.id, DRIVES[node][0])]
    newest = (swept or mine or [None])[-1]
    return (newest, _report(workshop.recordings, record.job.id, newest.id, node)) if newest else (None, None)


@lru_cache(maxsize=64)
def _swept(recordings: Recordings, job_id: str, trace_id: str, command: str) -> bool:
    c = spaced(recordings.signals(job_id, trace_id)[command]).values
    return bool(sweeps(c, c))


def loop_of(record: JobRecord, workshop: Workshop, bench: str, node: str) -> Drawn | None:
    """The loop picture of the newest sweep, with the name of its recording."""
    trace, report = _drive(record, workshop, bench, node)
    return _loop(workshop.recordings, record.job.id, trace.id, trace.name, node, report) if trace else None


@lru_cache(maxsize=32)
def _loop(
    recordings: Recordings, job_id: str, trace_id: str, name: str, node: str, report: DriveReport | None
) -> Drawn | None:
    picture = loop_picture(
        {
            c: spaced(s)
            for c, s in recordings.signals(job_id, trace_id).items()
            if c.startswith(DRIVES[node][0].rsplit("_", 1)[0])
        },
        node,
        report,
    )
    return {"picture": picture, "name": name} if picture else None


def _last(record: JobRecord, test: str, unit: str, **where: str) -> float | None:
    """The last figure of a test at a place, in a unit."""
    for x in reversed(list(record.job.of(Reading))):
        if (
            x.data.test == test
            and x.data.value != "OL"
            and all(getattr(x.data.where, key) == value for key, value in where.items())
        ):
            return convert(x.data.value, x.data.unit, unit)
    return None


def egr(record: JobRecord, workshop: Workshop) -> Drawn:
    trace, report = _drive(record, workshop, "egr", "egr_valve")
    read = _last(record, "egr_position", "percent", point="engine_off")
    rest = read if read is not None else report.closed_offset if report else None
    limit = record.assessed.readings.figure("egr_closed_percent")
    shut, opened = (_last(record, "egr_air_change", "mg", point=p) for p in ("shut", "open"))
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
        "source": (
            "read, engine off"
            if read is not None
            else f"recorded, {trace.name}"
            if trace and rest is not None
            else ""
        ),
        "bars": bars,
        "expected": (
            {"mg": plain(round(expected)), "x": round(BARS_AT + expected / top * BAR_PX, 1)}
            if expected
            else None
        ),
        "state": "failed" if rest is not None and rest > limit else "sound" if rest is not None else "",
    }


def _lever(percent: float, radius: float = LEVER_PX) -> tuple[float, float]:
    angle = radians(155 - 1.3 * min(105.0, max(-5.0, percent)))
    return round(LEVER_AT[0] + radius * cos(angle), 1), round(LEVER_AT[1] - radius * sin(angle), 1)


def _arc(low: float, high: float, radius: float) -> str:
    (x1, y1), (x2, y2) = _lever(low, radius), _lever(high, radius)
    return f"M{x1} {y1}A{radius} {radius} 0 0 1 {x2} {y2}"


def turbo(record: JobRecord, workshop: Workshop) -> Drawn:
    """The lever between its stops: how far it reaches, where it rests, where it stands still."""
    trace, report = _drive(record, workshop, "turbo", "turbo_actuator")
    spots = [
        {"arc": _arc(s, e, LEVER_PX), "says": f"{s:.0f} to {e:.0f} %", "y": 52 + 52 * n}
        for n, (s, e) in enumerate(report.dead_spots[:2] if report else ())
    ]
    rest = (
        report.closed_offset
        if report and report.closed_offset is not None
        else report.reach[0]
        if report
        else None
    )
    marks = [
        {
            "at": p,
            "from": _lever(p, LEVER_PX + 8),
            "to": _lever(p, LEVER_PX + 16),
            "text": _lever(p, LEVER_PX + 30),
        }
        for p in (0, 25, 50, 75, 100)
    ]
    return {
        "centre": LEVER_AT,
        "whole": _arc(0, 100, LEVER_PX),
        "reach": _arc(*report.reach, LEVER_PX) if report else "",
        "spots": spots,
        "lever": _lever(rest if rest is not None else 0.0, LEVER_PX - 10),
        "marks": marks,
        "report": report,
        "trace": trace,
        "still": bool(report) and report.reach[1] - report.reach[0] < STUCK_RANGE,
    }


def _plate(percent: float) -> tuple[float, float]:
    """Half the plate of a flap, from its shaft: upright when shut, along the pipe when open."""
    angle = radians(90 - 0.9 * min(100.0, max(0.0, percent)))
    return round(52 * cos(angle), 1), round(52 * sin(angle), 1)


def inlet_flap(record: JobRecord, workshop: Workshop) -> Drawn:
    trace, report = _drive(record, workshop, "inlet_flap", "inlet_flap")
    rest = report.closed_offset if report else None
    return {
        "rest": None if rest is None else plain(round(rest, 1)),
        "plate": _plate(rest if rest is not None else 0.0),
        "reach": [(plain(round(p)), _plate(p)) for p in report.reach] if report else [],
        "report": report,
        "trace": trace,
    }


def bypass(record: JobRecord, workshop: Workshop) -> Drawn:
    traces = recordings_of(record, workshop, "bypass")
    stands = None
    if traces:
        signals = workshop.recordings.signals(record.job.id, traces[-1].id)
        stands = bypass_stands(spaced(signals["bypass_position"]), spaced(signals["engine_speed"]))
    return {
        "stands": (
            [
                {"name": name, "percent": plain(round(p)), "plate": _plate(p)}
                for name, p in zip(("idle", "driving"), stands, strict=True)
            ]
            if stands
            else []
        ),
        "trace": traces[-1] if traces else None,
    }


def swirl(record: JobRecord, workshop: Workshop) -> Drawn:
    times = [
        (name, _last(record, "swirl_compare", "s", point=point))
        for point, name in (("as_is", "as it is"), ("released", "flaps released"))
    ]
    top = max([t for _, t in times if t] or [1.0]) * 1.1
    return {
        "bars": [
            {
                "name": name,
                "s": plain(t) if t is not None else "",
                "width": round((t or 0) / top * TIMES_PX, 1),
                "y": 58 + 62 * n,
            }
            for n, (name, t) in enumerate(times)
        ]
    }


def boost(record: JobRecord, workshop: Workshop) -> Drawn:
    """The pressures of the key-on test on one axis with the band they should agree in, and the leak-down of
    the last leak test."""
    read = {
        c: _last(record, "key_on_pressures", "kPa", channel=c) for c in ("barometer", "manifold", "exhaust")
    }
    known = [v for v in read.values() if v is not None]
    middle = median(known) if known else 98.0
    low, span = middle - 12.0, 24.0

    def across(kpa: float) -> float:
        return round(min(1.0, max(0.0, (kpa - low) / span)) * AXIS_PX, 1)

    band = (across(middle - AGREE_KPA), across(middle + AGREE_KPA)) if known else None
    return {
        "pressures": [
            {
                "y": 66 + 42 * n,
                "name": c,
                "kpa": plain(v) if v is not None else "",
                "x": across(v) if v is not None else None,
                "far": v is not None and abs(v - middle) > AGREE_KPA,
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
        "table": boost_table(_pull(record, workshop)),
    }


def _pull(record: JobRecord, workshop: Workshop) -> BoostReport | None:
    """What the newest recording of a pull says."""
    reports = (
        _boost_report(workshop.recordings, record.job.id, t.id)
        for t in reversed(recordings_of(record, workshop, "boost"))
    )
    return next((r for r in reports if r is not None), None)


@lru_cache(maxsize=32)
def _boost_report(recordings: Recordings, job_id: str, trace_id: str) -> BoostReport | None:
    signals = recordings.signals(job_id, trace_id)
    c = {
        name: spaced(signals[name])
        for name in ("manifold_pressure_target", "manifold_pressure", "vane_command", "vane_position")
        if name in signals
    }
    if "manifold_pressure_target" not in c or "manifold_pressure" not in c:
        return None
    return analyse_boost(
        c["manifold_pressure_target"], c["manifold_pressure"], c.get("vane_command"), c.get("vane_position")
    )


def leak_down(record: JobRecord) -> Drawn | None:
    """The last leak test as a curve, beside the one that would just pass."""
    acts = [x for x in record.job.of(Outcome) if x.data.test == "boost_leak" and x.data.figures]
    given = acts[-1].data.figures if acts else {}
    start, end, seconds = (given.get(name) for name in ("start_kpa", "end_kpa", "seconds"))
    if start is None or end is None or seconds is None or start <= 0 or seconds <= 0 or end > start:
        return None
    long = max(LEAK_S, seconds)

    def path(end_kpa: float, in_s: float) -> str:
        return "M" + "L".join(
            f"{round(n / 40 * 240, 1)}"
            f" {round(120 - 110 * leak_down_kpa(start, end_kpa, in_s, n / 40 * long) / start, 1)}"
            for n in range(41)
        )

    return {
        "measured": path(end, seconds),
        "mark": path(LEAK_LEFT * start, LEAK_S),
        "end": (round(seconds / long * 240, 1), round(120 - 110 * end / start, 1)),
        "says": f"{plain(start)} to {plain(end)} kPa in {plain(seconds)} s",
        "long": plain(long),
    }


def travel(record: JobRecord, node: str) -> Drawn | None:
    """Travel of a vacuum actuator against vacuum, the way up and the way down, in the order it was noted."""
    noted = [
        (abs(float(f["kpa"])), float(f["mm"]))
        for x in record.job.of(Outcome)
        if x.data.test == "vacuum_travel"
        and x.data.where.node == node
        and (f := x.data.figures or {})
        and "kpa" in f
        and "mm" in f
    ]
    if len(noted) < 2:
        return None
    top = max(range(len(noted)), key=lambda n: noted[n][0])
    most = max(mm for _, mm in noted) or 1.0

    def path(points: list[tuple[float, float]]) -> str:
        return (
            "M"
            + "L".join(f"{round(kpa / 80 * 240, 1)} {round(120 - mm / most * 105, 1)}" for kpa, mm in points)
            if len(points) > 1
            else ""
        )

    return {
        "up": path(noted[: top + 1]),
        "down": path(noted[top:]),
        "dots": [(round(kpa / 80 * 240, 1), round(120 - mm / most * 105, 1)) for kpa, mm in noted],
        "most": plain(most),
        "ticks": [(p, round(p / 80 * 240)) for p in (0, 20, 40, 60, 80)],
    }


DRAWN: dict[str, Callable[[JobRecord, Workshop], Drawn]] = {
    "egr": egr,
    "bypass": bypass,
    "inlet_flap": inlet_flap,
    "swirl": swirl,
    "turbo": turbo,
    "boost": boost,
}
