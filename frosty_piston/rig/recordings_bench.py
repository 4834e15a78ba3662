"""Measures how often a recorded drive is judged right, for each fault of the rig, and how long it takes."""

import time
from collections import Counter

from frosty_piston.core.actuators import analyse_drive, judge_drive

from .recordings import FAULTS, drive_recording

SAID = {"healthy": "follows"}


def drives_judged(drive: str, fault: str, count: int) -> Counter[str]:
    """How often each class was said of `count` recordings of one fault."""
    said: Counter[str] = Counter()
    for seed in range(count):
        r = drive_recording(seed, fault, drive)
        said[judge_drive(analyse_drive(r.command, r.actual, r.percent), drive).cls] += 1
    return said


def recordings_bench(count: int = 200) -> None:
    """Print the share that is judged right of each fault; of healthy ones, the share that is accused."""
    print(f"recorded drives, {count} recordings of each, 2 to 50 samples a second, with noise, stairs, gaps, voltages")
    print(f"{'':46}{'right':>9}{'unclear':>9}{'wrong':>9}{'ms each':>9}")
    for drive in ("motor", "vacuum"):
        for fault in FAULTS:
            started = time.perf_counter()
            said = drives_judged(drive, fault, count)
            each = (time.perf_counter() - started) * 1000 / count
            right, unclear = said[SAID.get(fault, fault)], said["unclear"]
            print(f"{f'{drive}, {fault}'.replace('_', ' '):46}{right / count:9.1%}{unclear / count:9.1%}{(count - right - unclear) / count:9.1%}{each:9.0f}", flush=True)
    print("wanted: right over 95 %, a healthy one accused under 2 %\n", flush=True)
