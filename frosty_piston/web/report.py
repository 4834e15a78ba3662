"""The report as a page that prints, and the job file beside it."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.job.report import build_report
from frosty_piston.job.result import place

from .benches.plugs import plug_rows, plug_shares
from .dependencies import GivenWorkshop
from .page import render
from .tape_rows import tape_view

router = APIRouter()


@router.get("/jobs/{job_id}/report")
def report_page(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    drawn = [
        (title, plug_rows(record, shares))
        for title, shares in (
            ("Before", plug_shares(record.assessed.diagnosis)),
            ("After", plug_shares(record.assessed.after)),
        )
        if shares
    ]
    return render(
        request,
        "report/page.html",
        record=record,
        job=record.job,
        report=build_report(record.assessed),
        place=place,
        drawn=drawn,
        tape=tape_view(record, workshop.knowledge, everything=True),
        currency=workshop.settings.prices().currency,
        standing=record.standing,
    )
