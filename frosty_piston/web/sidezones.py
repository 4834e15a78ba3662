"""The zones beside the work: heat list, next tests, tape."""

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from frosty_piston.core.quantity import percent
from frosty_piston.job.plan import warmth
from frosty_piston.job.proposals import NextTest
from frosty_piston.job.where import page_of
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.workshop import JobRecord

from .benches import BENCHES

SHOWN_SUSPECTS, SHOWN_TESTS, SHOWN_TAPE = 7, 5, 12
PATTERN_BITS = 0.7


def bench_link(
    k: Knowledge, job_id: str, test: str, point: str | None = None, node: str | None = None
) -> str:
    """The address of the place where a test is made."""
    page = page_of(k, test, node or "")
    bench = BENCHES.get(page.removeprefix("measure/"))
    if bench is None:
        return f"/jobs/{job_id}/{page}" + (f"?node={node}" if node else "")
    if bench.sections:
        return f"/jobs/{job_id}/{page}#step-{test}{f'-{node}' if node else ''}"
    return f"/jobs/{job_id}/{page}{bench.query(test, point or '')}"


def place_link(k: Knowledge, job_id: str, where: dict[str, Any]) -> str:
    """The address of where something is done, as the assessment names it."""
    if "test" in where:
        point, node = (str(where.get(key) or "") or None for key in ("point", "node"))
        return bench_link(k, job_id, str(where["test"]), point, node)
    return f"/jobs/{job_id}/{where['page']}" + (f"#{where['at']}" if where.get("at") else "")


def test_link(k: Knowledge, job_id: str, n: NextTest) -> str:
    """Where a proposed test is made."""
    return bench_link(k, job_id, n.test, n.where.get("point"), n.where.get("node"))


def next_view(record: JobRecord) -> dict[str, Any]:
    """What is next now, with its link: the same words wherever it stands."""
    step = record.standing.next_at(datetime.now(UTC))
    return {"step": step, "link": place_link(record.assessed.knowledge, record.job.id, step.where)}


def heat_view(record: JobRecord) -> dict[str, Any]:
    """The suspects that are worth a look, `unlisted` always, and the tests that stand first."""
    suspicion = record.assessed.suspicion
    if not record.assessed.evidence:
        return {"suspects": [], "tests": [], "conflicts": [], "unlisted": None}
    listed = [s for s in suspicion.suspects[:-1] if s.probability >= 0.01][:SHOWN_SUSPECTS] or list(
        suspicion.suspects[:3]
    )
    return {
        "suspects": [
            {
                "s": s,
                "percent": percent(s.probability),
                "width": round(max(s.probability, 0.01) * 100, 1),
                "warmth": warmth(s.probability),
                "pattern": any(
                    m.pattern and abs(m.bits) >= PATTERN_BITS for m in (*s.speaks_for, *s.speaks_against)
                ),
            }
            for s in listed
        ],
        "unlisted": {
            "s": suspicion.suspects[-1],
            "percent": percent(suspicion.suspects[-1].probability),
            "width": round(suspicion.suspects[-1].probability * 100, 1),
        },
        "tests": [
            {"n": n, "link": test_link(record.assessed.knowledge, record.job.id, n)}
            for n in record.assessed.proposals.next_tests[:SHOWN_TESTS]
        ],
        "conflicts": suspicion.conflicts,
    }


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
