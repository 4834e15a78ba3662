"""I did this: what was done to the vehicle, with or without a plan; taken back like any entry."""

import re
from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.job.repair.fit import chosen
from frosty_piston.job.weighing.failed import tests_of
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Fields, Form, known, line, moment
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.page import job_page

router = APIRouter()
WORK = "did/_work.html"
ACTS = ("replaced", "repaired", "cleaned", "adjusted", "refitted", "plugged_in", "disturbed")
_CYLINDERS = re.compile(r"[\s,;]+")


def repairs_here(record: JobRecord, workshop: Workshop) -> list[tuple[str, str]]:
    """The repairs that this engine card allows, the likeliest first."""
    knowledge = workshop.knowledge
    engine = record.job.engine
    needed = list(record.assessed.suspicion.repairs_needed) if record.assessed.evidence else []
    able = [
        repair
        for repair, shape in knowledge.repairs.items()
        if not shape.cures or any(not engine.rules_out(knowledge.faults[f].needs) for f in shape.cures)
    ]
    ordered = [r for r in needed if r in able] + sorted(
        (r for r in able if r not in needed), key=lambda r: knowledge.repairs[r].title
    )
    return [(r, knowledge.repairs[r].title) for r in ordered]


def asked_repair(record: JobRecord, workshop: Workshop, asked: Form) -> str:
    """The repair a page came from: named by itself, by a fault, by a part or by a test."""
    knowledge = workshop.knowledge
    known = [r for r, _ in repairs_here(record, workshop)]
    fault = asked.raw("fault")
    test = asked.raw("test")
    part = asked.raw("part")
    if asked.raw("repair") in known:
        return asked.raw("repair")
    if fault in knowledge.repair_of:
        return knowledge.repair_of[fault]
    if part in knowledge.parts:
        ours = {knowledge.repair_of[f] for f in knowledge.parts[part].faults}
        return next((r for r in known if r in ours), "")
    return next((r for r in known if test in tests_of(knowledge, r)), "") if test in knowledge.tests else ""


def show(record: JobRecord, workshop: Workshop, asked: Form | None = None) -> dict[str, Any]:
    knowledge = workshop.knowledge
    repair = asked_repair(record, workshop, asked) if asked else ""
    bad = record.assessed.condemned(repair) if repair else None
    options = list(knowledge.repairs[repair].options.values()) if repair else []
    return {
        "repairs_here": repairs_here(record, workshop),
        "repair": repair,
        "acts": [(a, knowledge.acts[a].title) for a in ACTS],
        "act": options[0].shape.act if options else "replaced",
        "what": knowledge.repairs[repair].shape.part if repair else "",
        "cylinders": (
            ", ".join(map(str, bad.cylinders)) if bad and any(o.shape.pieces for o in options) else ""
        ),
        "by_cylinder": any(o.shape.pieces for r in knowledge.repairs.values() for o in r.options.values()),
        "picked": chosen(record.job),
        "done_so_far": list(record.job.repairs),
    }


class DidForm(Fields):
    action: Annotated[str | None, known(lambda asking: ACTS)]
    come_back: Annotated[datetime | None, moment()]
    note: Annotated[str | None, line(400)]


def did(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(DidForm, record, workshop)
    knowledge = workshop.knowledge
    repair = form.choice("repair", [r for r, _ in repairs_here(record, workshop)])
    what = form.text("what", 200) or (knowledge.repairs[repair].shape.part if repair else "")
    temporary = form.raw("temporary") == "yes"
    back = fields.come_back
    cylinders = _cylinders(form, record)
    if temporary and back is None and not form.raw("come_back"):
        form.wrong("come_back", "say on which day it comes back for the lasting repair")
    form.done()
    return [
        form.entry(
            "action",
            {
                "action": fields.action,
                "what": what,
                "repair": repair,
                "cylinders": cylinders,
                "temporary": temporary,
                "come_back": back.astimezone().date().isoformat() if back else None,
                "note": fields.note,
            },
        )
    ]


def _cylinders(form: Form, record: JobRecord) -> list[int] | None:
    named = []
    for text in filter(None, _CYLINDERS.split(form.raw("cylinders"))):
        if (
            not (text.isascii() and text.isdigit() and len(text) < 4)
            or not 1 <= int(text) <= record.job.cylinders
        ):
            form.wrong(
                "cylinders",
                f"{text[:12]!r} is no cylinder of this engine; 1 to {record.job.cylinders}, as 2, 4",
            )
            return None
        named.append(int(text))
    return named or None


@router.get("/jobs/{job_id}/did")
def did_page(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    asked = Form({key: [value] for key, value in request.query_params.items()})
    return job_page(request, record, "did", WORK, show(record, workshop, asked))


@router.post("/jobs/{job_id}/did/done")
def did_form(request: Request, job_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name="did",
        maker=did,
        stage="did",
        work=WORK,
        show=lambda r, w: show(r, w, form),
        back=f"/jobs/{job_id}/prove",
    )
