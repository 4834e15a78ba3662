"""The rows of a tape as a page shows them."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from frosty_piston.knowledge import Knowledge
from frosty_piston.store.workshop import JobRecord

SHOWN_TAPE = 12
PART = 200  # entries on one page of the tape
MOST_PRINTED = 2000


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


def part_of(record: JobRecord, entry_id: str) -> int:
    """The number of the page of the tape on which an entry stands; the newest one where there is no such
    entry."""
    position = next((n for n, x in enumerate(reversed(record.job.tape)) if x.id == entry_id), 0)
    return position // PART


def tape_view(
    record: JobRecord, knowledge: Knowledge, first: int = 0, most: int = SHOWN_TAPE
) -> dict[str, Any]:
    """So many entries from a place in the tape, counted from its newest one: newest first, what was taken
    back struck through, what takes it back named."""
    job = record.job
    end = max(0, len(job.tape) - first)
    entries = job.tape[max(0, end - most) : end]
    says = record.view("entries by id", lambda: {x.id: x for x in job.tape})
    rows = [
        TapeRow(
            entry.id,
            entry.at or record.written.get(entry.id),
            entry.by or "",
            kind=entry.kind,
            says=entry.data.says(knowledge, says),
            gone=entry.id in job.gone,
            fresh=entry.id == job.tape[-1].id,
            correctable=entry.id not in job.gone,
        )
        for entry in reversed(entries)
    ]
    return {
        "rows": rows,
        "more": len(job.tape) - first - len(rows),
        "count": len(job.tape),
        "first": first + 1,
        "last": first + len(rows),
    }
