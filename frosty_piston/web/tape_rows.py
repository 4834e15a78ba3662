"""The rows of a tape as a page shows them."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from frosty_piston.knowledge import Knowledge
from frosty_piston.store.workshop import JobRecord

SHOWN_TAPE = 12


@dataclass(frozen=True)
class TapeRow:
    id: str
    at: datetime | None
    by: str
    kind: str
    says: str
    gone: bool
    fresh: bool
    correctable: bool


def tape_view(record: JobRecord, k: Knowledge, everything: bool = False) -> dict[str, Any]:
    """The newest entries first, what was taken back struck through, what takes it back named."""
    job = record.job
    entries = list(job.tape) if everything else list(job.tape[-SHOWN_TAPE:])
    says = {x.id: x for x in job.tape}
    rows = [
        TapeRow(
            x.id,
            x.at or record.written.get(x.id),
            x.by or "",
            x.kind,
            x.data.says(k, says),
            x.id in job.gone,
            x.id == job.tape[-1].id,
            x.id not in job.gone,
        )
        for x in reversed(entries)
    ]
    return {"rows": rows, "more": len(job.tape) - len(rows), "count": len(job.tape)}
