"""The report as a page that prints, and the job file beside it."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.formats.report import build_report
from frosty_piston.job.verdicts import place

from .benches import banks, plug_shares
from .given import GivenWorkshop
from .page import render
from .sidezones import tape_view

router = APIRouter()


@router.get("/jobs/{job_id}/report")
def report_page(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.job(job_id)
    before = {c: s for c, s in plug_shares(record, workshop.knowledge).items()}
    plugs = [[{"cylinder": c, "share": before.get(c, (None, ""))[0], "verdict": before.get(c, (None, ""))[1], "fill": max(0.0, min(1.0, before.get(c, (None, ""))[0] or 0.0))} for c in bank]
             for bank in banks(record.job.cylinders, record.job.engine.arrangement)] if before else []
    return render(request, "report/page.html", record=record, job=record.job, report=build_report(record.assessed), place=place, plugs=plugs,
                  tape=tape_view(record, workshop.knowledge, everything=True), currency=workshop.prices().currency, standing=record.standing)
