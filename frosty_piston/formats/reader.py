"""The process that reads recordings: whatever a file does, it does it here.

Started by `outside.py` with one end of a socket. For each file it gets the number of bytes and two open
files: what to read, and where to write the columns. It answers one line of JSON: the result without its
figures, or what is wrong with the file. The figures go out as plain rows of float64 and float32.
"""

import json
import os
import resource
import socket
import sys
from collections.abc import Callable
from dataclasses import asdict
from typing import Any, BinaryIO

import numpy as np

from frosty_piston.core.errors import BadInput

from .recording import MOST_ANSWER_BYTES, Recording

MOST_ADDRESS_BYTES = 2 * 2**30
MOST_RESULT_BYTES = 2**30
MOST_CPU_S = 60
LARGE_BYTES = 800 * 2**20  # a process that ever took so much is followed by a fresh one
NICENESS = 10  # a page gets its processor first


Read = Callable[[BinaryIO, BinaryIO], dict[str, Any]]


def main(handle: int) -> None:
    # Loaded before the limits are set: a file must find room, and the first one must not wait.
    from .csv_recording import read_csv
    from .mdf_recording import MAGIC, preload, read_mdf

    def read_any(file: BinaryIO, out: BinaryIO) -> dict[str, Any]:
        data = file.read()
        return described(read_mdf(data) if data.startswith(MAGIC) else read_csv(data), out)

    preload()
    serve(handle, read_any, "recording", MOST_ADDRESS_BYTES, MOST_RESULT_BYTES)


def serve(handle: int, read: Read, what: str, most_address: int, most_result: int) -> None:
    """Read files of one kind, one after the other, until nobody asks any more, behind everybody's pages."""
    os.nice(NICENESS)
    limit(resource.RLIMIT_AS, most_address)
    limit(resource.RLIMIT_FSIZE, most_result)
    limit(resource.RLIMIT_CORE, 0)
    with socket.socket(fileno=handle) as parent:
        parent.sendall(b"ready\n")
        while True:
            asked, handles, _, _ = socket.recv_fds(parent, 64, 2)
            if not asked:
                return
            used = resource.getrusage(resource.RUSAGE_SELF)
            limit(resource.RLIMIT_CPU, int(used.ru_utime + used.ru_stime) + MOST_CPU_S)
            with os.fdopen(handles[0], "rb") as file, os.fdopen(handles[1], "wb") as out:
                answer = answered(read, file, out, what)
            grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 > LARGE_BYTES
            parent.sendall(json.dumps({**answer, "last": grown}).encode() + b"\n")
            if grown:
                return


def limit(which: int, most: int) -> None:
    """Set a limit of this process, where the system above it allows as much."""
    _, hard = resource.getrlimit(which)
    resource.setrlimit(which, (most if hard == resource.RLIM_INFINITY else min(most, hard), hard))


def answered(read: Read, file: BinaryIO, out: BinaryIO, what: str = "recording") -> dict[str, Any]:
    """What is said of a file: what was read, with its bulk written out, or why it is none."""
    try:
        answer = read(file, out)
    except BadInput as error:
        return {"error": error.faults[0].says if error.faults else str(error)}
    except MemoryError:
        return {"error": "This file takes more memory to read than two gigabytes: cut it."}
    except OSError:
        return {"error": "What this file holds grows over a gigabyte when it is read: cut it."}
    except Exception as error:  # whatever a file does, it is the file's fault and one sentence
        return {"error": f"This file cannot be read ({type(error).__name__}): it is damaged, or no {what}."}
    if len(json.dumps(answer)) > MOST_ANSWER_BYTES:
        return {"error": "The names in this file are too long: it is no recording of a scan tool."}
    return answer


def described(recording: Recording, out: BinaryIO) -> dict[str, Any]:
    """A recording without its figures, which are written out one column after the other."""
    arrays: list[list[Any]] = []
    for kind, columns in (("times_s", recording.times_s), ("values", recording.values)):
        for index, column in columns.items():
            figures = np.ascontiguousarray(column, np.float64 if kind == "times_s" else np.float32)
            arrays.append([kind, index, len(figures)])
            out.write(figures.tobytes())
    out.flush()
    return {
        "columns": [asdict(c) for c in recording.columns],
        "arrays": arrays,
        "rows": recording.rows,
        "unread": asdict(recording.unread),
        "notes": list(recording.notes),
        "layout": recording.layout,
    }


if __name__ == "__main__":
    main(int(sys.argv[1]))
