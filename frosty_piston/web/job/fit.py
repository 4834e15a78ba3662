"""Fit: the work plan step by step, the hardware map, torques, new part beside old, pieces, waits."""

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.errors import NotHere
from frosty_piston.core.quantity import hours_said
from frosty_piston.core.waiting import WaitLimits
from frosty_piston.core.words import called, inside
from frosty_piston.job.entries import Tick
from frosty_piston.job.entries.work import WENT_WORDS
from frosty_piston.job.repair.basket import agreed, agreed_for, bill
from frosty_piston.job.repair.fit import (
    PlanState,
    StepState,
    ToDo,
    chosen,
    differing,
    missing_pieces,
    pieces_of,
    plan_state,
    torque_fault,
)
from frosty_piston.job.repair.outlook import ahead
from frosty_piston.job.repair.waits import soak_estimate
from frosty_piston.job.repair.work import to_do
from frosty_piston.knowledge.repair_shapes import StepShape
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Fields, Form, figure, known, line, moment
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.page import job_page

from . import waits

router = APIRouter()
WORK = "fit/_work.html"
WENT = tuple(WENT_WORDS.items())
NOW = (("missing", "missing"), ("recovered", "found, on the bench"), ("left", "left where it is"))
OFFERED = 6
BARBS = ("up", "down", "left", "right")


def plan_asked(record: JobRecord, workshop: Workshop, asked: str) -> tuple[PlanState | None, ToDo | None]:
    """The plan on the page: the one asked for, else that of the picked work which is not done yet."""
    work = to_do(record.assessed)
    mine = next((w for w in work if w.plan.id == asked), None)
    if mine is None and asked in workshop.knowledge.repairs:
        bad = record.assessed.condemned(asked, at_repair=True)
        return plan_state(record.job, workshop.knowledge, asked, bad.cylinders), None
    mine = mine or next((w for w in work if w.entry is None), work[-1] if work else None)
    return (mine.plan, mine) if mine else (None, None)


def show(record: JobRecord, workshop: Workshop, asked: str = "") -> dict[str, Any]:
    knowledge = workshop.knowledge
    job = record.job
    plan, work = plan_asked(record, workshop, asked)
    all_work = to_do(record.assessed)
    current = plan.current.shape.id if plan and plan.current else None
    told = [
        action
        for action in job.since_failure
        if plan and action.kind == "fit_step" and action.data.plan == plan.id and action.data.compared
    ]
    needed = list(record.assessed.suspicion.repairs_needed)[:OFFERED] if record.assessed.evidence else []
    return {
        "plan": plan,
        "work_done": work,
        "all_work": all_work,
        "current": current,
        "cylinders": work.cylinders if work else (),
        "card": (
            {row.id: _on_card(record, row.card) for row in plan.repair.compare if row.card} if plan else {}
        ),
        "picked": chosen(job),
        "agreed": agreed(job) if chosen(job) else True,
        "agreed_here": work is None or agreed_for(job, work.option_id),
        "bill": bill(job, knowledge),
        "compared": told[-1].data.compared if told else {},
        "pieces": pieces_of(job),
        "missing": missing_pieces(job),
        "went": WENT,
        "ports": _ports(record),
        "piece_now": NOW,
        "barbs": BARBS,
        "wait_for": lambda shape: hours_said(_wait_hours(record, shape)),
        "plans": [(r, knowledge.repairs[r].title) for r in needed],
        "ahead": ahead(record.assessed) if not plan else None,
        "ticked": {x.data.caution for x in job.of(Tick)},
        "temporary": bool(work and work.temporary),
        **waits.wait_view(record),
    }


def _wait_hours(record: JobRecord, shape: StepShape) -> float:
    """How long a step waits: until touchable by this vehicle's own temperatures, else the general time of the
    plan."""
    cools = shape.wait == "cool_down" and shape.hours >= 1
    limits = record.assessed.readings.limits(WaitLimits)
    touch = soak_estimate(record.job, limits).touch_h if cools else None
    return touch or shape.hours


def _on_card(record: JobRecord, name: str) -> str:
    """What the engine card says of a thing compared; empty when it is silent."""
    engine = record.job.engine
    value = engine.limits.get(name, getattr(engine, name, None))
    if value is None:
        return ""
    if isinstance(value, float):
        return f"{value:g}"
    return called(value)


def _plan_of(form: Form, record: JobRecord, workshop: Workshop) -> PlanState:
    plan, _ = plan_asked(record, workshop, form.raw("plan"))
    if plan is None:
        form.wrong("step", "pick an option in Decide first, or open a plan")
        form.done()
    assert plan is not None
    return plan


class StepForm(Fields):
    reason: Annotated[str | None, line(400)]


def step(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Tick one step: cautions first, torque within reach, last off first on."""
    fields = form.read(StepForm, record, workshop)
    knowledge = workshop.knowledge
    plan = _plan_of(form, record, workshop)
    step_id = form.choice("step", [s.shape.id for s in plan.steps])
    form.done()
    state = plan.step(str(step_id))
    skipped = form.raw("state") == "skipped"
    reason = fields.reason
    asked = [c for c in state.shape.cautions if knowledge.cautions[c].tick]
    ticks = [c for c in asked if c in form.all("tick")]
    if not skipped and len(ticks) < len(asked):
        form.wrong("tick", "read and tick the caution first")
    if skipped and not reason:
        form.wrong("reason", "say why it is skipped")
    still = plan.still_off(str(step_id))
    if still and not reason and not skipped:
        form.wrong(
            "reason", f"still off: {'; '.join(still)}. It came off later, so it goes on first; or say why not"
        )
    seen = [s for s in state.shape.seen if s in form.all("seen")]
    unseen = [s for s in state.shape.seen if s not in seen]
    if unseen and not reason and not skipped:
        form.wrong("seen", f"not seen yet: {inside('; '.join(unseen))}. Look, or say why not")
    if state.shape.pins and not plan.pins and not reason and not skipped:
        form.wrong("seen", "note each cavity first, or say why there is no pin map")
    if state.shape.pins and plan.thinner and not reason and not skipped:
        form.wrong(
            "seen", f"cavity {plan.thinner[0].cavity} has a thinner wire than before: say why it carries"
        )
    torque = _torque(form, workshop, state, bool(reason)) if state.torque and not skipped else None
    pieces = form.whole("pieces", 0, 200) if state.shape.parts else None
    by_cylinder = state.shape.per_piece and form.raw("cylinder") not in ("", "all")
    cylinder = form.whole("cylinder", 1, record.job.cylinders) if by_cylinder else None
    measured = {} if skipped else _counted(form, record, plan, state, bool(reason))
    compared = _compared(form, plan) if state.shape.compare and plan.repair.compare and not skipped else None
    form.done()
    return [
        form.entry(
            "fit_step",
            {
                "plan": plan.id,
                "step": step_id,
                "state": "skipped" if skipped else "done",
                "cylinder": cylinder,
                "reason": reason,
                "torque_nm": torque,
                "pieces": pieces,
                "ticks": ticks or None,
                "seen": seen or None,
                "compared": compared,
                **measured,
            },
        )
    ]


def _counted(
    form: Form, record: JobRecord, plan: PlanState, state: StepState, explained: bool
) -> dict[str, Any]:
    """What is counted and measured at a step, and what held it. What went in must come out again."""
    shape = state.shape
    noted = dict[str, Any]()
    if shape.counts:
        number = form.whole("count", 0, 1000)
        before = _count_at(plan, shape.counts_as) if shape.counts_as else None
        if number is not None and before is not None and number != before and not explained:
            found = "find the rest, or write down below what is missing, and why it goes on here"
            form.wrong("count", f"{before} went in and {number} came out: {found}")
        noted["counts"] = None if number is None else {shape.counts: number}
    if shape.gaps:
        ports = {f"{shape.gaps} {n}": form.figure(f"gap_{n}", "mm", 0, 200) for n in _ports(record)}
        noted["gaps_mm"] = {port: mm for port, mm in ports.items() if mm is not None} or None
    if shape.held_by:
        noted["held_by"] = form.choice("held_by", shape.held_by, needed=False)
    return noted


def _ports(record: JobRecord) -> range:
    return range(1, record.job.cylinders + 1)


def _count_at(plan: PlanState, step: str) -> int | None:
    """What was counted last at another step of the plan."""
    counts = [x.data.counts for s in plan.steps if s.shape.id == step for x in s.entries if x.data.counts]
    return sum(counts[-1].values()) if counts else None


def _torque(form: Form, workshop: Workshop, state: Any, explained: bool) -> float | None:
    figure = workshop.knowledge.figures[state.shape.torque]
    torque = form.figure("torque", "N m", 0, figure.high * 1.5, needed=not state.shape.torque_is_limit)
    if fault := torque_fault(state, torque, explained):
        form.wrong("torque", fault)
    return torque


class HardwareForm(Fields):
    what: Annotated[str | None, line(120, "say what came off, as bolt M6")]
    where: Annotated[str | None, line(120)]
    mark: Annotated[str | None, line(120)]


def hardware(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """One line of the hardware map: what came off, where from, its length or mark."""
    fields = form.read(HardwareForm, record, workshop)
    plan = _plan_of(form, record, workshop)
    step_id = form.choice("step", [s.shape.id for s in plan.steps])
    form.done()
    line = {
        key: value
        for key, value in (("what", fields.what), ("where", fields.where), ("mark", fields.mark))
        if value
    }
    return [form.entry("fit_step", {"plan": plan.id, "step": step_id, "state": "part", "hardware": [line]})]


class PinForm(Fields):
    cavity: Annotated[str | None, line(12, "say which cavity")]
    from_colour: Annotated[str | None, line(30, "say which colour the wire had")]
    to_colour: Annotated[str | None, line(30, "say which colour it has now")]
    was_mm2: Annotated[float | None, figure("", 0.05, 240)]
    mm2: Annotated[float | None, figure("", 0.05, 240)]


def pin(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """One line of the pin map: cavity, colour from and to, cross-sections, how the barb points."""
    fields = form.read(PinForm, record, workshop)
    plan = _plan_of(form, record, workshop)
    step_id = form.choice("step", [s.shape.id for s in plan.steps if s.shape.pins])
    barb = form.choice("barb", BARBS, needed=False)
    form.done()
    row = {
        "cavity": fields.cavity,
        "from": fields.from_colour,
        "to": fields.to_colour,
        "was_mm2": fields.was_mm2,
        "mm2": fields.mm2,
        "barb": barb,
    }
    noted = {key: value for key, value in row.items() if value is not None}
    return [form.entry("fit_step", {"plan": plan.id, "step": step_id, "state": "part", "pins": [noted]})]


class BackOnForm(Fields):
    reason: Annotated[str | None, line(200)]


def back_on(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """One fastener is back in its place; what came off later goes on first, unless it is said why not."""
    fields = form.read(BackOnForm, record, workshop)
    plan = _plan_of(form, record, workshop)
    off = {f.id: f for f in plan.on_bench}
    name = form.choice("fastener", off)
    form.done()
    later = [f for f in plan.on_bench if f.order > off[str(name)].order]
    if later and not fields.reason:
        form.wrong(
            "fastener",
            f"{later[-1].hardware.what} came off later and is still on the bench: it goes on first, or say"
            " why not",
        )
    form.done()
    return [
        form.entry(
            "fit_step",
            {
                "plan": plan.id,
                "step": off[str(name)].step,
                "state": "part",
                "back": [str(name)],
                "reason": fields.reason,
            },
        )
    ]


class PieceForm(Fields):
    name: Annotated[str | None, line(120, "name the piece, as tip of plug 2")]
    where: Annotated[str | None, line(120)]
    went: Annotated[str | None, known(lambda asking: [w for w, _ in WENT])]
    now: Annotated[str | None, known(lambda asking: [n for n, _ in NOW])]
    length_mm: Annotated[float | None, figure("mm", 0.1, 2000)]
    whole_mm: Annotated[float | None, figure("mm", 0.1, 2000)]


def piece(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A piece that broke or fell, or the latest word on one."""
    fields = form.read(PieceForm, record, workshop)
    if (
        fields.now == "recovered"
        and fields.went == "bore"
        and (fields.length_mm is None or fields.whole_mm is None)
    ):
        form.wrong("length_mm", "lay it beside a whole one: both lengths are wanted before anyone cranks it")
    if fields.length_mm and fields.whole_mm and fields.length_mm > fields.whole_mm:
        form.wrong("length_mm", "longer than a whole one cannot be")
    form.done()
    return [
        form.entry(
            "piece",
            {
                "name": fields.name,
                "went": fields.went,
                "now": fields.now,
                "length_mm": fields.length_mm,
                "whole_mm": fields.whole_mm,
                "where": fields.where,
            },
        )
    ]


def _compared(form: Form, plan: PlanState) -> dict[str, list[str]] | None:
    compared: dict[str, list[str]] = {}
    for row in plan.repair.compare:
        old = form.raw(f"old_{row.id}")[:80]
        new = form.raw(f"new_{row.id}")[:80]
        if old or new:
            compared[row.id] = [old, new]
    if not compared:
        form.wrong("compare", "write down at least one thing compared, old and new")
    differ = differing(plan.repair, compared)
    if differ and not form.raw("reason"):
        form.wrong(
            "reason", f"old and new differ in {', '.join(differ)}: do not fit it, or say why it is right"
        )
    return compared


class FittedForm(Fields):
    come_back: Annotated[datetime | None, moment()]


def fitted(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The repair is done: from here on readings speak of the vehicle after it."""
    fields = form.read(FittedForm, record, workshop)
    plan, work = plan_asked(record, workshop, form.raw("plan"))
    if plan is None or work is None:
        form.wrong("done", "pick an option in Decide first, or write down what was done")
        form.done()
    assert plan is not None and work is not None
    temporary = work.temporary or form.raw("temporary") == "yes"
    back = fields.come_back
    left = [s.shape.does for s in plan.steps if s.state not in ("done", "skipped")]
    if left:
        form.wrong("done", f"still open: {'; '.join(left[:3])}")
    if plan.on_bench and not left:
        form.wrong("done", f"still on the bench: {', '.join(f.hardware.what for f in plan.on_bench[:4])}")
    if missing := missing_pieces(record.job):
        form.wrong("done", f"a piece is missing: {', '.join(p.name for p in missing)}. Nobody starts it")
    if plan.out != plan.back_in:
        form.wrong("done", f"{plan.out} old parts off, {plan.back_in} new parts on: the count does not close")
    if temporary and back is None and not form.raw("come_back"):
        form.wrong("come_back", "say on which day it comes back for the lasting repair")
    form.done()
    part = workshop.knowledge.repairs[work.repair].shape.part
    what = f"{part}: {inside(work.title)}" + (
        f", cylinder {', '.join(map(str, work.cylinders))}" if work.cylinders else ""
    )
    return [
        form.entry(
            "action",
            {
                "action": work.act,
                "what": what[:200],
                "repair": work.repair,
                "option": work.option_id,
                "cylinders": list(work.cylinders) or None,
                "temporary": temporary,
                "come_back": back.astimezone().date().isoformat() if back else None,
            },
        )
    ]


FORMS = {
    "step": step,
    "hardware": hardware,
    "pin": pin,
    "back": back_on,
    "piece": piece,
    "fitted": fitted,
    **waits.FORMS,
}


@router.get("/jobs/{job_id}/fit")
def fit(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(
        request, record, "fit", WORK, show(record, workshop, request.query_params.get("plan", ""))
    )


@router.post("/jobs/{job_id}/fit/{name}")
def fit_form(request: Request, job_id: str, name: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    plan = form.raw("plan")
    key = f"{name}-{form.raw('step')}" if name in ("step", "hardware", "pin", "wait") else name
    back = f"/jobs/{job_id}/fit" + (f"?plan={plan}" if plan in workshop.knowledge.repairs else "")
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name=key,
        maker=FORMS[name],
        stage="fit",
        work=WORK,
        show=lambda r, w: show(r, w, plan),
        back=back,
    )
