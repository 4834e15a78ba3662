"""The addresses of where something is done, and what is next with its link."""

from collections.abc import Mapping
from typing import Any

from frosty_piston.job.place import Page, Part, Place, bench_of
from frosty_piston.job.weighing.proposals import NextTest
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.timestamps import now
from frosty_piston.store.workshop import JobRecord
from frosty_piston.web.benches import BENCHES
from frosty_piston.web.job.cells import Cell

# The anchors of the parts of pages that are not called as the part is.
ANCHORS = {
    str(Part.CODES): "form-block",
    str(Part.CONSENT): "form-consent",
    str(Part.HANDOVER): "form-handover",
}


def bench_link(
    knowledge: Knowledge,
    job_id: str,
    test: str,
    point: str | None = None,
    node: str | None = None,
    cylinder: object = None,
) -> str:
    """The address of the place where a test is made, at the cell of a cylinder that is named."""
    on = bench_of(knowledge, test, node or "")
    page = f"{Page.MEASURE}/{on}"
    bench = BENCHES.get(on)
    if bench is None:
        return f"/jobs/{job_id}/{page}" + (f"?node={node}" if node else "")
    if bench.by_node and node:
        return f"/jobs/{job_id}/{page}?{bench.by_node}={node}#hold"
    if bench.sections:
        return f"/jobs/{job_id}/{page}#step-{test}{f'-{node}' if node else ''}"
    where = {**({"point": point} if point else {}), **({"cylinder": cylinder} if cylinder else {})}
    cell = f"in-{Cell(test, '', '', where).id}" if knowledge.tests[test].units else f"form-outcome-{cylinder}"
    at = f"#{cell}" if cylinder else ""
    return f"/jobs/{job_id}/{page}{bench.query(test, point or '')}{at}"


def place_link(knowledge: Knowledge, job_id: str, place: Place | Mapping[str, Any]) -> str:
    """The address of where something is done: a place, or one as it is kept in a list."""
    where = place.as_open() if isinstance(place, Place) else place
    if "test" in where:
        point, node = (str(where.get(key) or "") or None for key in ("point", "node"))
        return bench_link(
            knowledge, job_id, str(where["test"]), point=point, node=node, cylinder=where.get("cylinder")
        )
    at = str(where.get("at") or "")
    return f"/jobs/{job_id}/{where['page']}" + (f"#{ANCHORS.get(at, at)}" if at else "")


def test_link(knowledge: Knowledge, job_id: str, n: NextTest) -> str:
    """Where a proposed test is made."""
    return bench_link(knowledge, job_id, n.test, n.where.get("point"), n.where.get("node"))


def next_view(record: JobRecord) -> dict[str, Any]:
    """What is next now, with its link: the same words wherever it stands."""
    step = record.standing.next_at(now())
    return {"step": step, "link": place_link(record.assessed.knowledge, record.job.id, step.where)}
