"""A long job file, read and worked out by a process of its own: what comes back is ready to be written."""

import json
import os
from collections.abc import Iterator
from datetime import datetime
from typing import Any, BinaryIO

from frosty_piston.core.errors import BadInput, Fault
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.day.yard_row import MOMENTS, listed
from frosty_piston.job.stages import standing
from frosty_piston.job.tape import jobfile
from frosty_piston.knowledge import Knowledge

LONG_BYTES = 200_000  # a shorter one is read in less time than it takes to hand it over


class LongJob:
    """A job file that was read apart: its head and cards, the columns of its line in the lists, the hash at
    the end of its chain, and its entries, which stay where the reader wrote them until they are asked for."""

    def __init__(self, answer: dict[str, Any], out: Any):
        self.head: dict[str, Any] = answer["head"]
        self.vehicle: dict[str, Any] = answer["vehicle"]
        self.engine: dict[str, Any] = answer["engine"]
        self.count: int = answer["count"]
        self.chain_head: str = answer["chain_head"]
        moments = {
            key: datetime.fromisoformat(answer["columns"][key]) for key in MOMENTS if answer["columns"][key]
        }
        self.columns: dict[str, Any] = {**answer["columns"], **moments}
        self._file = os.fdopen(os.dup(out.fileno()), "rb")

    def __enter__(self) -> "LongJob":
        return self

    def __exit__(self, *_: Any) -> None:
        self._file.close()

    def rows(self) -> Iterator[tuple[str, str, str]]:
        """Of each entry its id, its text and its link of the chain, in order."""
        self._file.seek(0)
        for line in self._file:
            entry_id, raw, link = json.loads(line)
            yield entry_id, raw, link


def opened(answer: dict[str, Any], out: Any) -> LongJob:
    """A long job from what its reader said and wrote. Raises BadInput with every fault that it found."""
    if "faults" in answer:
        raise BadInput([Fault(path, says) for path, says in answer["faults"]])
    return LongJob(answer, out)


def written_out(file: BinaryIO, out: BinaryIO, knowledge: Knowledge) -> dict[str, Any]:
    """Read and work out a job file, in the process of its reader: a line for each entry is written out."""
    try:
        given = jobfile.read(file.read(), knowledge)
    except BadInput as error:
        return {"faults": [[fault.path, fault.says] for fault in error.faults]}
    raws = given.raw["entries"]
    links = jobfile.chain_of(raws)
    for raw in raws:
        line = [raw["id"], json.dumps(raw, ensure_ascii=False), links[raw["id"]]]
        out.write(json.dumps(line).encode() + b"\n")
    out.flush()
    columns = listed(standing(Assessed(job_of(given), knowledge)))
    moments = {key: columns[key].isoformat() for key in MOMENTS if columns[key]}
    return {
        "head": given.raw["job"],
        "vehicle": given.raw["vehicle"],
        "engine": given.raw["engine"],
        "count": len(raws),
        "chain_head": links[raws[-1]["id"]] if raws else "",
        "columns": {**columns, **moments},
    }
