"""EGR bypass flap: against engine speed, rod travel."""

from frosty_piston.core.air_recorded import RecordedLimits, bypass_stands
from frosty_piston.core.quantity import plain
from frosty_piston.core.traces import spaced
from frosty_piston.store.workshop import JobRecord, Workshop

from .recorded import Drawn, plate, recordings_of
from .sections import sectioned


def draws(record: JobRecord, workshop: Workshop) -> Drawn:
    traces = recordings_of(record, workshop, "bypass")
    stands = None
    if traces:
        signals = workshop.recordings.signals(record.job.id, traces[-1].id)
        limits = record.assessed.readings.limits(RecordedLimits)
        flap = spaced(signals["bypass_position"])
        speed = spaced(signals["engine_speed"])
        stands = bypass_stands(flap, speed, limits)
    return {
        "stands": (
            [
                {"name": name, "percent": plain(round(stand)), "plate": plate(stand)}
                for name, stand in zip(("idle", "driving"), stands, strict=True)
            ]
            if stands
            else []
        ),
        "trace": traces[-1] if traces else None,
    }


BENCH = sectioned("bypass", draws)
