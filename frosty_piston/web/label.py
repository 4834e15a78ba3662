"""The label that a driver gets with a temporary measure."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.errors import NotHere
from frosty_piston.job.entries import Action
from frosty_piston.job.stopping import LEVER
from frosty_piston.job.where import page_of

from .dependencies import GivenWorkshop
from .page import render

router = APIRouter()


@router.get("/jobs/{job_id}/label/{entry_id}")
def label(request: Request, job_id: str, entry_id: str, workshop: GivenWorkshop) -> Response:
    """The label of one measure, to print and to hang in the cabin."""
    record = workshop.tapes.job(job_id)
    entry = next((x for x in record.job.of(Action) if x.id == entry_id and x.data.temporary), None)
    if entry is None:
        raise NotHere("There is no such temporary measure on this job.")
    back = f"/jobs/{job_id}/{page_of(workshop.knowledge, LEVER)}"
    return render(request, "report/label.html", record=record, job=record.job, entry=entry, back=back)
