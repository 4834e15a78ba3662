"""Turbo actuator: sweep, watch, lever by hand, unplug."""

from math import cos, radians, sin

from frosty_piston.core.actuators import ActuatorLimits
from frosty_piston.store.workshop import JobRecord, Workshop

from .recorded import Drawn, drive
from .sections import sectioned

LEVER_AT = (170.0, 178.0)
LEVER_PX = 122.0


def _lever(percent: float, radius: float = LEVER_PX) -> tuple[float, float]:
    angle = radians(155 - 1.3 * min(105.0, max(-5.0, percent)))
    return round(LEVER_AT[0] + radius * cos(angle), 1), round(LEVER_AT[1] - radius * sin(angle), 1)


def _arc(low: float, high: float, radius: float) -> str:
    (x1, y1) = _lever(low, radius)
    (x2, y2) = _lever(high, radius)
    return f"M{x1} {y1}A{radius} {radius} 0 0 1 {x2} {y2}"


def draws(record: JobRecord, workshop: Workshop) -> Drawn:
    """The lever between its stops: how far it reaches, where it rests, where it stands still."""
    stuck = record.assessed.readings.limits(ActuatorLimits).stuck_percent
    trace, report = drive(record, workshop, "turbo", "turbo_actuator")
    spots = [
        {"arc": _arc(start, end, LEVER_PX), "says": f"{start:.0f} to {end:.0f} %", "y": 52 + 52 * n}
        for n, (start, end) in enumerate(report.dead_spots[:2] if report else ())
    ]
    if report and report.closed_offset is not None:
        rest = report.closed_offset
    elif report:
        rest = report.reach[0]
    else:
        rest = None
    marks = [
        {
            "at": position,
            "from": _lever(position, LEVER_PX + 8),
            "to": _lever(position, LEVER_PX + 16),
            "text": _lever(position, LEVER_PX + 30),
        }
        for position in (0, 25, 50, 75, 100)
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
        "still": report is not None and report.reach[1] - report.reach[0] < stuck,
    }


BENCH = sectioned("turbo", draws)
