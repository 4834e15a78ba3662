"""Inlet flap: commanded against actual, cleaning."""

from frosty_piston.core.quantity import plain
from frosty_piston.store.workshop import JobRecord, Workshop

from .recorded import Drawn, drive, plate
from .sections import sectioned


def draws(record: JobRecord, workshop: Workshop) -> Drawn:
    trace, report = drive(record, workshop, "inlet_flap", "inlet_flap")
    rest = report.closed_offset if report else None
    return {
        "rest": None if rest is None else plain(round(rest, 1)),
        "plate": plate(rest if rest is not None else 0.0),
        "reach": [(plain(round(p)), plate(p)) for p in report.reach] if report else [],
        "report": report,
        "trace": trace,
    }


BENCH = sectioned("inlet_flap", draws)
