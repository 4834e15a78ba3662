"""Prove: what is missing, before beside after, the steps, the drive curve, waits, the handover."""

from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.codes import decode
from frosty_piston.core.errors import NotHere
from frosty_piston.core.quantity import exact, hours_said
from frosty_piston.core.waiting import WaitLimits
from frosty_piston.core.words import inside, sign
from frosty_piston.job.entries import Code, Drive, Handover, Tick
from frosty_piston.job.judging.measured import measured_says
from frosty_piston.job.repair.fit import missing_pieces
from frosty_piston.job.repair.outlook import ahead
from frosty_piston.job.repair.prove import Proof, cold_start_to_come
from frosty_piston.job.repair.road import Road
from frosty_piston.job.repair.soot import soot_causes
from frosty_piston.job.repair.tampering import untold
from frosty_piston.job.repair.waits import open_waits, soak_estimate
from frosty_piston.job.units import typed
from frosty_piston.job.weighing.proof_evidence import AXES, COLD_HOURS, SLACK_H, last_run, returns_of
from frosty_piston.knowledge.repair_shapes import CheckShape
from frosty_piston.store.timestamps import now
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.drawing.drive_curve import cooling_curve, drive_curve
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Fields, Form, figure, known, line, one_of
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.links import place_link
from frosty_piston.web.frame.page import job_page

from . import waits
from .waits import hours_typed

router = APIRouter()
WORK = "prove/_work.html"
STATE_WORDS = {
    "pass": "passed",
    "open": "",
    "optional": "",
    "fail": "failed",
    "could_not": "could not",
    "warm": "was warm",
    "said": "only said",
    "denied": "its reading says no",
}
STATE_CLASS = {
    "pass": "done",
    "open": "open",
    "optional": "open",
    "fail": "fail",
    "could_not": "skipped",
    "warm": "part",
    "said": "part",
    "denied": "fail",
}


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    proof = record.standing.proof
    job = record.job
    knowledge = workshop.knowledge
    soak = soak_estimate(job, record.assessed.readings.limits(WaitLimits))
    missing = [{"m": m, "link": place_link(knowledge, job.id, m.where)} for m in proof.missing]
    suspects = [
        {"fault": mended.id, "title": knowledge.faults[mended.id].title, "says": mended.because}
        for mended in proof.missing
        if mended.what == "suspect"
    ]
    return {
        "proof": proof,
        "missing": missing,
        "suspects_open": suspects,
        "says_of": lambda v: measured_says(job, v),
        "state_words": STATE_WORDS,
        "state_class": STATE_CLASS,
        "soak": soak,
        "curve": cooling_curve(soak),
        "cold_to_come": cold_start_to_come(proof),
        "drive": drive_curve(record.assessed, now()),
        "axes": AXES,
        "codes_known": list(dict.fromkeys(decode(x.data.code).code for x in job.of(Code))),
        "ticked": {x.data.caution for x in job.of(Tick)},
        "reasons_of": {s.id: _reasons(workshop, s.shape) for s in proof.steps},
        "suspect_reasons": _reasons(workshop, knowledge.proofs.checks["suspect"]),
        "over": job.last(Handover),
        "soot": soot_causes(record.assessed),
        "barred": missing_pieces(job),
        "ahead": ahead(record.assessed) if proof.status == "none" else None,
        "links": _links(record, proof),
        "drives": [x for x in job.of(Drive)],
        "returns": returns_of(job),
        "soaking": any(x.data.wait == "cold_soak" for x in open_waits(job)),
        **waits.wait_view(record),
    }


def _links(record: JobRecord, proof: Proof) -> dict[str, str]:
    """Where the reading of a step is made."""
    knowledge = record.assessed.knowledge
    names = {s.id: place_link(knowledge, record.job.id, s.link) for s in proof.steps if s.link}
    first = next((p for p in proof.pairs if p.after is None), proof.pairs[0] if proof.pairs else None)
    if first:
        reread = next((m.where for m in proof.missing if m.what == "reread"), {"page": "measure"})
        names["remeasure"] = place_link(knowledge, record.job.id, reread)
    return names


def _reasons(workshop: Workshop, shape: Any) -> list[tuple[str, str]]:
    """The reasons that may be picked where a step could not be done."""
    words = workshop.knowledge.proofs.reasons
    own = list(shape.reasons) if isinstance(shape, CheckShape) else ["refused", "owner_waits"]
    return [(r, words[r]) for r in (*own, "other")]


class StepForm(Fields):
    why: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.proofs.reasons, needed=False)]
    soaked_h: Annotated[float | None, figure("", 0, 1000)]
    result: Annotated[str | None, one_of("pass", "fail", "could_not")]
    reason: Annotated[str | None, line(400)]


def step(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """One step of the proof. It is not passed while its reading says otherwise or is not there."""
    fields = form.read(StepForm, record, workshop)
    proof = record.standing.proof
    if proof.status == "none":
        form.wrong("result", "nothing is repaired yet: finish Fit first, or write down what was done")
    step_id = form.choice("step", [s.id for s in proof.steps])
    form.done()
    state = next(s for s in proof.steps if s.id == step_id)
    asked = [c for c in getattr(state.shape, "cautions", []) if workshop.knowledge.cautions[c].tick]
    if fields.result != "could_not" and any(c not in form.all("tick") for c in asked):
        form.wrong("tick", "read and tick the caution first")
    reason = (
        ": ".join(
            filter(None, (workshop.knowledge.proofs.reasons[fields.why] if fields.why else "", fields.reason))
        )
        or None
    )
    if fields.result == "could_not" and not reason:
        form.wrong("reason", "pick why it could not be done, or say it; it stands on the report")
    if fields.result == "pass":
        _refuse_pass(form, record, proof, str(step_id))
    if (
        fields.soaked_h is not None
        and getattr(state.shape, "needs_cold", False)
        and fields.result != "could_not"
    ):
        _ask_back(form, record, fields.soaked_h)
    form.done()
    entries = [form.entry("tick", {"caution": c}, c) for c in asked if c in form.all("tick")]
    if step_id == "clear" and fields.result == "pass":
        entries.append(form.entry("code_clear", {"module": "all", "reason": "proof of the repair"}, "clear"))
    if step_id == "codes" and fields.result == "pass":
        entries.append(form.entry("code_scan", {"module": "all"}, "scan"))
    repair = proof.repairs[-1] if proof.repairs else "general"
    return [
        *entries,
        form.entry(
            "proof_step",
            {
                "repair": repair,
                "step": step_id,
                "result": fields.result,
                "reason": reason,
                "why": fields.why,
                "soaked_h": fields.soaked_h,
                "hours_sure": True if form.raw("hours_sure") == "yes" else None,
            },
        ),
    ]


def _refuse_pass(form: Form, record: JobRecord, proof: Proof, step_id: str) -> None:
    state = next(s for s in proof.steps if s.id == step_id)
    rereads = [m for m in proof.missing if m.what == "reread" and m.id != step_id]
    if step_id == "remeasure" and rereads:
        form.wrong(
            "result",
            f"not passed: {inside(rereads[0].because)} Read it first"
            + (f", and {len(rereads) - 1} more" if len(rereads) > 1 else ""),
        )
    if state.kind == "condition" and missing_pieces(record.job):
        form.wrong("result", f"a piece is missing: {missing_pieces(record.job)[0].lost}. Nobody starts it")
    tests = getattr(state.shape, "reading", [])
    if isinstance(tests, str) and tests and not any(v.test == tests for v in record.assessed.after):
        form.wrong("result", "its reading is not there: write it down first")
    against = [
        verdict
        for verdict in record.assessed.after
        if verdict.test in ([tests] if isinstance(tests, str) else tests)
        and verdict.judgement.verdict == "failed"
    ]
    if against:
        form.wrong("result", f"its reading says otherwise: {inside(against[-1].judgement.because)}")


def _ask_back(form: Form, record: JobRecord, soaked: float) -> None:
    """Hours of standing that do not fit what was written down are asked back once."""
    last = last_run(record.job, len(record.job.live))
    if last is None or soaked < COLD_HOURS or form.raw("hours_sure") == "yes":
        return
    at = last.at or record.written.get(last.id)
    since = (now() - at).total_seconds() / 3600 if at else None
    if since is not None and soaked > since + SLACK_H:
        ran = {"drive": "It was driven", "proof_step": "It ran for the proof"}
        form.wrong(
            "hours_sure",
            f"{ran.get(last.kind, 'The repair was written down')}"
            f" {hours_said(max(since, 1 / 60))} ago; standing {soaked:g} h does not fit. Tick it if the"
            " hours are right all the same.",
        )


class SuspectForm(Fields):
    why: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.proofs.reasons)]
    reason: Annotated[str | None, line(400)]


def suspect(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Why a suspect that stood high at the repair is left as it is."""
    fields = form.read(SuspectForm, record, workshop)
    proof = record.standing.proof
    fault = form.choice("fault", [m.id for m in proof.missing if m.what == "suspect"])
    if fields.why == "other" and not fields.reason:
        form.wrong("reason", "say what it is")
    form.done()
    reason = ": ".join(filter(None, (workshop.knowledge.proofs.reasons[str(fields.why)], fields.reason)))
    repair = proof.repairs[-1] if proof.repairs else "general"
    return [
        form.entry(
            "proof_step",
            {
                "repair": repair,
                "step": "suspect",
                "about": fault,
                "result": "could_not",
                "reason": reason,
                "why": fields.why,
            },
        )
    ]


class DriveForm(Fields):
    distance_km: Annotated[float | None, figure("km", 0.1, 10000)]
    starts: Annotated[float | None, figure("", 1, 1000)]
    note: Annotated[str | None, line(400)]
    codes_read: Annotated[str | None, one_of("yes", "no", needed=False)]
    complaint_back: Annotated[str | None, one_of("yes", "no", needed=False)]
    conditions: Annotated[str | None, line(200)]


def drive(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A drive, starts or hours: how far, and what was read at its end. What was not read says nothing."""
    fields = form.read(DriveForm, record, workshop)
    if "road_test" not in {x.data.caution for x in record.job.of(Tick)} and form.raw("tick") != "road_test":
        form.wrong("tick", "read and tick the caution first")
    if missing := missing_pieces(record.job):
        form.wrong("distance_km", f"a piece is missing: {missing[0].lost}. Nobody starts it")
    road = Road.of(record.job, workshop.knowledge, record.assessed.experience)
    if (bar := road.bar) and fields.distance_km:
        form.wrong("distance_km", bar)
    hours = None
    if form.raw("hours"):
        try:
            hours = round(hours_typed(form.raw("hours")), 4)
        except ValueError as error:
            form.wrong("hours", str(error))
    spans = {
        "distance_km": fields.distance_km,
        "starts": fields.starts,
        "hours": hours,
    }
    if not any(spans.values()) and not form.faults:
        form.wrong("distance_km", "say how far, how many starts, or how many hours")
    codes = []
    for text in form.raw("codes_back").replace(",", " ").split():
        try:
            codes.append(decode(text).code)
        except ValueError as error:
            form.wrong("codes_back", str(error))
    if codes and fields.codes_read == "no":
        form.wrong("codes_read", "codes came back, so they were read")
    form.done()
    entries = (
        [form.entry("tick", {"caution": "road_test"}, "tick")] if form.raw("tick") == "road_test" else []
    )
    data = {
        **spans,
        "conditions": fields.conditions,
        "codes_read": (fields.codes_read == "yes" or bool(codes)) if fields.codes_read or codes else False,
        "codes_back": codes,
        "complaint_back": None if fields.complaint_back is None else fields.complaint_back == "yes",
        "typed": _as_typed(form),
        "note": fields.note,
    }
    return [*entries, form.entry("drive", data)]


def _as_typed(form: Form) -> dict[str, str] | None:
    """The distance as it was written, where that was in another unit than km."""
    value, unit = typed(form.raw("distance_km") or "0", "km")
    return {"distance_km": f"{exact(float(value))} {sign(unit)}"} if unit != "km" else None


class HandoverForm(Fields):
    to: Annotated[str | None, line(120, "write who takes it")]
    note: Annotated[str | None, line(1000)]


def handover(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(HandoverForm, record, workshop)
    proof = record.standing.proof
    if proof.status != "proven" and not fields.note:
        form.wrong("note", "it is not proven: write what the owner was told, and when it comes back")
    if missing := missing_pieces(record.job):
        form.wrong("to", f"a piece is missing: {missing[0].lost}. It is not driven away")
    if hidden := untold(record.job):
        where = hidden[0].data.place or "the exhaust"
        form.wrong(
            "to", f"tampering was found at {inside(where)}: the owner is told in writing before it leaves"
        )
    unasked = [c for c in soot_causes(record.assessed) if c.state == "open"]
    if unasked and not fields.note:
        form.wrong(
            "note",
            f"what made the soot is not asked yet: {', '.join(inside(c.shape.title) for c in unasked)}. Ask,"
            " or say why not",
        )
    form.done()
    return [form.entry("handover", {"to": fields.to, "note": fields.note})]


def soot(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """What was asked of the causes of soot; a cause left open stays open."""
    entries = []
    for cause in soot_causes(record.assessed):
        said = form.raw(cause.id)
        if said not in ("", "found", "not_found"):
            form.wrong(cause.id, "found, not found, or leave it open")
        elif said and said != cause.state:
            entries.append(form.entry("soot_cause", {"cause": cause.id, "found": said == "found"}, cause.id))
    if not entries:
        form.wrong("soot", "say of at least one whether it was found")
    form.done()
    return entries


FORMS = {"soot": soot, "step": step, "suspect": suspect, "drive": drive, "handover": handover, **waits.FORMS}


@router.get("/jobs/{job_id}/prove")
def prove(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "prove", WORK, show(record, workshop))


@router.post("/jobs/{job_id}/prove/{name}")
def prove_form(
    request: Request, job_id: str, name: str, form: GivenForm, workshop: GivenWorkshop
) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    key = f"{name}-{form.raw('step') or form.raw('fault')}" if name in ("step", "suspect") else name
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name=key,
        maker=FORMS[name],
        stage="prove",
        work=WORK,
        show=show,
        back=f"/jobs/{job_id}/prove",
    )
