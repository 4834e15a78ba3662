"""The tape: every entry, and how one is taken back."""

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Fields, Form, known, line
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.page import job_page, writer
from frosty_piston.web.frame.tape_rows import PART, part_of, tape_view

router = APIRouter()
WORK = "tape/_work.html"


def show(record: JobRecord, workshop: Workshop, part: int = 0) -> dict[str, Any]:
    whole = tape_view(record, workshop.knowledge, first=part * PART, most=PART)
    return {"whole": whole, "asked": None, "part": part}


class CorrectForm(Fields):
    reason: Annotated[str | None, line(400, "say why it is taken back")]


def correct(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Take an entry back with a reason; taking a correction back gives its entry back."""
    fields = form.read(CorrectForm, record, workshop)
    target = form.raw("corrects")
    reason = fields.reason
    if target not in {x.id for x in record.job.tape}:
        form.wrong("corrects", "that entry is not on this tape")
    elif target in record.job.gone:
        form.wrong("corrects", "that entry was taken back already")
    form.done()
    return [form.entry("correction", {"corrects": target, "reason": reason})]


class NoteForm(Fields):
    text: Annotated[str | None, line(4000, "write the note")]


def note(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(NoteForm, record, workshop)
    form.done()
    return [form.entry("note", {"text": fields.text})]


class TickForm(Fields):
    caution: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.cautions)]


def tick(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(TickForm, record, workshop)
    form.done()
    return [form.entry("tick", {"caution": fields.caution})]


@router.get("/jobs/{job_id}/tape")
def tape_page(
    request: Request,
    job_id: str,
    workshop: GivenWorkshop,
    part: Annotated[int, Query(ge=0, le=100_000)] = 0,
    entry: str = "",
) -> Response:
    """One part of the tape, the newest first. `entry`: the one that is to stand on it."""
    record = workshop.tapes.job(job_id)
    shown = part_of(record, entry) if entry else part
    return job_page(request, record, "tape", WORK, show(record, workshop, shown))


@router.get("/jobs/{job_id}/tape/{entry_id}")
def ask(request: Request, job_id: str, entry_id: str, workshop: GivenWorkshop) -> Response:
    """Ask for the reason before an entry is taken back."""
    record = workshop.tapes.job(job_id)
    target = next((x for x in record.job.tape if x.id == entry_id and x.id not in record.job.gone), None)
    view = show(record, workshop, part_of(record, entry_id))
    if target:
        view["asked"] = {
            "id": target.id,
            "kind": target.kind,
            "says": target.data.says(
                workshop.knowledge, record.view("entries by id", lambda: {x.id: x for x in record.job.tape})
            ),
        }
    return job_page(request, record, "tape", WORK, view)


@router.post("/jobs/{job_id}/tape/correct")
def correct_form(request: Request, job_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name="correct",
        maker=correct,
        stage="tape",
        work=WORK,
        show=show,
        back=f"/jobs/{job_id}/tape",
    )


@router.post("/jobs/{job_id}/tape/note")
def note_form(request: Request, job_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name="note",
        maker=note,
        stage="tape",
        work=WORK,
        show=show,
        back=f"/jobs/{job_id}/tape",
    )


@router.post("/jobs/{job_id}/tick")
def tick_form(request: Request, job_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Acknowledge a caution, then go back to where it stood."""
    record = workshop.tapes.job(job_id)
    act = form.act(request.url.path)
    if act is None or workshop.tapes.done(job_id, act) is None:
        workshop.tapes.write(job_id, tick(form, record, workshop), writer(request, form), act=act)
    back = form.raw("back")
    return RedirectResponse(back if back.startswith(f"/jobs/{job_id}/") else f"/jobs/{job_id}", 303)
