"""Recordings that a job file carries in place, judged as the test they were made for."""

from collections.abc import Collection

import numpy as np

from frosty_piston.core.actuators import (
    ActuatorLimits,
    DriveReport,
    analyse_drive,
    judge_drive,
    judge_position,
)
from frosty_piston.core.limits import Limit
from frosty_piston.core.quantity import Judgement
from frosty_piston.core.traces import Signal, signal
from frosty_piston.job.entries import Entry
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.parts import DriveShape

from .air_recorded import analysed
from .readings import Readings
from .result import Result, where_of

TIME_NAMES = ("time", "time_s", "t")


def drives_in(knowledge: Knowledge, channels: Collection[str]) -> list[str]:
    """The parts whose command and position are both among some channels."""
    return [node for node in knowledge.nodes if (drive := knowledge.drive(node)) and drive.channels(channels)]


def without_command(knowledge: Knowledge, channels: Collection[str]) -> list[str]:
    """The parts whose position alone was recorded."""
    return [
        node
        for node in knowledge.nodes
        if (drive := knowledge.drive(node)) and drive.position in channels and drive.command not in channels
    ]


def _limits(readings: Readings, drive: DriveShape) -> tuple[ActuatorLimits, Limit]:
    closed = readings.knowledge.limit(drive.closed, readings.job.engine.limits)
    return readings.limits(ActuatorLimits), closed


def judged_drive(
    readings: Readings, node: str, channels: dict[str, Signal]
) -> tuple[DriveReport | None, Judgement]:
    """What a recording says of one drive of this engine."""
    drive = readings.knowledge.drive(node)
    recorded = drive.channels(channels) if drive else None
    assert drive is not None and recorded is not None
    command, position, percent = recorded
    kind = "vacuum" if "vacuum" in str(getattr(readings.job.engine, drive.by) or "") else "motor"
    (limits, closed) = _limits(readings, drive)
    title = readings.knowledge.nodes[node].title
    report = analyse_drive(channels[command], channels[position], limits, percent)
    return report, judge_drive(report, limits, closed, kind, title)


def judged_position(readings: Readings, node: str, channels: dict[str, Signal]) -> Judgement:
    """What its position alone says of a drive."""
    drive = readings.knowledge.drive(node)
    assert drive is not None
    limits, closed = _limits(readings, drive)
    return judge_position(channels[drive.position], limits, closed, readings.knowledge.nodes[node].title)


def channels_of(entry: Entry) -> dict[str, Signal]:
    """The channels of a recording that stands in the entry itself; empty when it is a file beside the job
    file."""
    columns = entry.data.columns or {}
    time = next((columns[name] for name in TIME_NAMES if name in columns), None)
    if time is None:
        return {}
    named = {column: entry.data.channels.get(column, column) for column in columns} | {
        column: channel for channel, column in entry.data.channels.items() if column in columns
    }
    signals = {}
    for column, values in columns.items():
        if column not in TIME_NAMES and len(values) == len(time):
            try:
                signals[named[column]] = signal(np.array(time, float), np.array(values, float))
            except ValueError:
                continue
    return signals


def recorded(readings: Readings) -> list[Result]:
    """The verdicts of all recordings that can be judged where they stand."""
    results = []
    for entry in readings.entries:
        if entry.kind != "trace" or entry.data.test is None:
            continue
        channels = channels_of(entry)
        results += [
            Result(a.test, where_of(entry.data.where), a.judgement, (entry.id,))
            for a in analysed(readings, channels)
            if a.test == entry.data.test
        ]
        if entry.data.test == "actuator_sweep":
            for node in drives_in(readings.knowledge, channels):
                where = where_of(entry.data.where) | {"node": node}
                results.append(
                    Result("actuator_sweep", where, judged_drive(readings, node, channels)[1], (entry.id,))
                )
            for node in without_command(readings.knowledge, channels):
                results.append(
                    Result(
                        "actuator_sweep",
                        where_of(entry.data.where) | {"node": node},
                        judged_position(readings, node, channels),
                        (entry.id,),
                    )
                )
    return results
