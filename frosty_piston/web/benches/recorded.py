"""What a bench shows of recordings and of the last readings."""

from math import cos, radians, sin
from typing import Any

from frosty_piston.core.actuators import ActuatorLimits, DriveReport, analyse_drive, sweeps
from frosty_piston.core.traces import spaced
from frosty_piston.job.entries import Reading
from frosty_piston.job.units import convert
from frosty_piston.store.recordings import Recordings, TraceInfo
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.drawing.loop_picture import loop_picture

Drawn = dict[str, Any]


def wanted(workshop: Workshop, bench: str) -> list[tuple[str, ...]]:
    """The channels that a recording needs to belong to a bench: those of its drives, and those that answer
    one of its tests."""
    knowledge = workshop.knowledge
    drives = [
        d for _, node in knowledge.benches[bench].steps if node and (d := knowledge.drive(node)) and d.command
    ]
    return [
        *((d.command, at) for d in drives for at in (d.position, d.volts) if at),
        *(
            tuple(channels)
            for test, _ in knowledge.benches[bench].steps
            for channels in knowledge.tests[test].recorded
        ),
    ]


def recordings_of(record: JobRecord, workshop: Workshop, bench: str) -> list[TraceInfo]:
    """The recordings of the job that hold what a bench is about, the newest last."""
    gone = record.job.gone
    of_bench = wanted(workshop, bench)
    return [
        trace
        for trace in workshop.recordings.of_job(record.job.id)
        if trace.id not in gone
        and any({c.channel for c in trace.channels} >= set(channels) for channels in of_bench)
    ]


def _report(record: JobRecord, workshop: Workshop, trace_id: str, node: str) -> DriveReport | None:
    limits = record.assessed.readings.limits(ActuatorLimits)

    def analysed() -> DriveReport | None:
        signals = workshop.recordings.signals(record.job.id, trace_id)
        shape = workshop.knowledge.drive(node)
        recorded = shape.channels(signals) if shape else None
        if not recorded:
            return None
        command, position, percent = recorded
        return analyse_drive(spaced(signals[command]), spaced(signals[position]), limits, percent)

    return workshop.recordings.remembered((record.job.id, trace_id, node, limits), analysed)


def drive(
    record: JobRecord, workshop: Workshop, bench: str, node: str
) -> tuple[TraceInfo | None, DriveReport | None]:
    """The newest recording of a drive, a sweep both ways before any other, and what it says."""
    shape = workshop.knowledge.drive(node)
    assert shape is not None
    mine = [
        t for t in recordings_of(record, workshop, bench) if shape.channels([c.channel for c in t.channels])
    ]
    swept = [t for t in mine if _swept(workshop.recordings, record.job.id, t.id, shape.command)]
    if not mine:
        return None, None
    newest = (swept or mine)[-1]
    return newest, _report(record, workshop, newest.id, node)


def _swept(recordings: Recordings, job_id: str, trace_id: str, command: str) -> bool:
    def swept() -> bool:
        c = spaced(recordings.signals(job_id, trace_id)[command]).values
        return bool(sweeps(c, c))

    return recordings.remembered((job_id, trace_id, command), swept)


def loop_of(record: JobRecord, workshop: Workshop, bench: str, node: str) -> Drawn | None:
    """The loop picture of the newest sweep, with the name of its recording."""
    trace, report = drive(record, workshop, bench, node)
    shape = workshop.knowledge.drive(node)
    if trace is None or shape is None:
        return None
    job_id = record.job.id
    recordings = workshop.recordings

    def drawn() -> Drawn | None:
        channels = {c: spaced(s) for c, s in recordings.signals(job_id, trace.id).items() if c in shape.all}
        picture = loop_picture(channels, shape, report)
        return {"picture": picture, "name": trace.name} if picture else None

    return recordings.remembered((job_id, trace.id, "loop", node, report), drawn)


def last_read(record: JobRecord, test: str, unit: str, **where: str) -> float | None:
    """The last figure of a test at a place, in a unit."""
    for reading in reversed(list(record.job.of(Reading))):
        if (
            reading.data.test == test
            and reading.data.is_figure
            and all(getattr(reading.data.where, key) == value for key, value in where.items())
        ):
            return convert(float(reading.data.value), reading.data.unit, unit)
    return None


def plate(percent: float) -> tuple[float, float]:
    """Half the plate of a flap, from its shaft: upright when shut, along the pipe when open."""
    angle = radians(90 - 0.9 * min(100.0, max(0.0, percent)))
    return round(52 * cos(angle), 1), round(52 * sin(angle), 1)
