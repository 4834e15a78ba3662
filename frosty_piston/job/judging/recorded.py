"""Recordings that a job file carries in place, judged as the test they were made for."""

from collections.abc import Collection

import numpy as np

from frosty_piston.core.actuators import DriveReport, analyse_drive, judge_drive, judge_position
from frosty_piston.core.quantity import Judgement
from frosty_piston.core.traces import Signal, signal

from .. import entries as e
from ..readings import Readings
from ..verdict import Verdict, where_of
from .air_recorded import analysed

# A drive by its channels: command, position; the part it is; the card's field that says how it is driven.
DRIVES = {
    "egr_valve": ("egr_command", "egr_position", "egr_drive"),
    "turbo_actuator": ("vane_command", "vane_position", "turbo"),
    "inlet_flap": ("inlet_flap_command", "inlet_flap_position", "inlet_flap"),
}
IN_VOLTS = {"egr_valve": "egr_position_sensor_v"}
CLOSED_LIMIT = {"turbo_actuator": 10.0}
TIME_NAMES = ("time", "time_s", "t")


def drive_of(node: str, channels: Collection[str]) -> tuple[str, str, bool] | None:
    """The channels of a part's command and position, and whether the position is in percent; None when one is
    missing."""
    command, position, _ = DRIVES[node]
    if command in channels and position in channels:
        return command, position, True
    volts = IN_VOLTS.get(node)
    return (command, volts, False) if command in channels and volts in channels else None


def drives_in(channels: Collection[str]) -> list[str]:
    """The parts whose command and position are both among some channels."""
    return [node for node in DRIVES if drive_of(node, channels)]


def without_command(channels: Collection[str]) -> list[str]:
    """The parts whose position alone was recorded."""
    return [
        node
        for node, (command, position, _) in DRIVES.items()
        if position in channels and command not in channels
    ]


def _closed_limit(readings: Readings, node: str) -> float:
    return readings.figure("egr_closed_percent") if node == "egr_valve" else CLOSED_LIMIT.get(node, 5.0)


def judged_drive(
    readings: Readings, node: str, channels: dict[str, Signal]
) -> tuple[DriveReport | None, Judgement]:
    """What a recording says of one drive of this engine."""
    found = drive_of(node, channels)
    assert found is not None
    command, position, percent = found
    kind = "vacuum" if "vacuum" in str(getattr(readings.job.engine, DRIVES[node][2]) or "") else "motor"
    report = analyse_drive(channels[command], channels[position], percent)
    return report, judge_drive(report, kind, _closed_limit(readings, node), readings.k.nodes[node].title)


def judged_position(readings: Readings, node: str, channels: dict[str, Signal]) -> Judgement:
    """What its position alone says of a drive."""
    return judge_position(
        channels[DRIVES[node][1]], _closed_limit(readings, node), readings.k.nodes[node].title
    )


def channels_of(entry: e.Entry) -> dict[str, Signal]:
    """The channels of a recording that stands in the entry itself; empty when it is a file beside the job
    file."""
    columns = entry.data.columns or {}
    time = next((columns[name] for name in TIME_NAMES if name in columns), None)
    if time is None:
        return {}
    named = {column: entry.data.channels.get(column, column) for column in columns} | {
        column: channel for channel, column in entry.data.channels.items() if column in columns
    }
    found = {}
    for column, values in columns.items():
        if column not in TIME_NAMES and len(values) == len(time):
            try:
                found[named[column]] = signal(np.array(time, float), np.array(values, float))
            except ValueError:
                continue
    return found


def recorded(readings: Readings) -> list[Verdict]:
    """The verdicts of all recordings that can be judged where they stand."""
    found = []
    for x in readings.entries:
        if x.kind != "trace" or x.data.test is None:
            continue
        channels = channels_of(x)
        found += [
            Verdict(a.test, where_of(x.data.where), a.judgement, (x.id,))
            for a in analysed(readings, channels)
            if a.test == x.data.test
        ]
        if x.data.test == "actuator_sweep":
            for node in drives_in(channels):
                where = where_of(x.data.where) | {"node": node}
                found.append(
                    Verdict("actuator_sweep", where, judged_drive(readings, node, channels)[1], (x.id,))
                )
            for node in without_command(channels):
                found.append(
                    Verdict(
                        "actuator_sweep",
                        where_of(x.data.where) | {"node": node},
                        judged_position(readings, node, channels),
                        (x.id,),
                    )
                )
    return found
