"""Reset plans as a checklist: what each step needs, its timed phases, what became of it, what worked."""

from datetime import timedelta
from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.errors import BadInput, Fault, NotAllowed, NotHere
from frosty_piston.core.quantity import plain
from frosty_piston.core.words import inside, sentence
from frosty_piston.formats import reset_plan
from frosty_piston.job.repair.countdown import countdown_of
from frosty_piston.job.repair.countdown_count import UNITS
from frosty_piston.job.repair.resets import (
    FIGURES,
    PlanState,
    StepState,
    latch_bars,
    latched_says,
    phase_name,
    plan_state,
    plans_asked,
)
from frosty_piston.job.repair.road import floor_of
from frosty_piston.knowledge.reset_shapes import LEAST_WORDS, ResetPlanShape, ResetStepShape, order_fault
from frosty_piston.store.garage import CardPlan
from frosty_piston.store.rights import may
from frosty_piston.store.timestamps import now, stamp
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Fields, Form, line, one_of
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.page import Kept, job_page, person, status_of
from frosty_piston.web.frame.signed_in import person_of

router = APIRouter()
WORK = "resets/_work.html"
NEW = "new"
READ_AS = {
    "coolant": (-60, 200),
    "soot": (0, 300),
    "def_level": (0, 100),
    "fuel_level": (0, 100),
    "battery": (0, 60),
}


def plan_here(record: JobRecord, workshop: Workshop, key: str) -> tuple[ResetPlanShape, CardPlan | None]:
    """The plan by its key: this engine card's own where it has one, else the general one."""
    plans = workshop.knowledge.reset_plans
    if key not in plans:
        raise NotHere("There is no such reset plan.")
    own = workshop.garage.plans_of(record.job.engine.name).get(key)
    return (own.plan if own else plans[key]), own


def state_here(record: JobRecord, workshop: Workshop, key: str) -> PlanState:
    plan, _ = plan_here(record, workshop, key)
    return plan_state(record.assessed, key, plan, now(), latch_bars(record.assessed))


def show(record: JobRecord, workshop: Workshop, key: str = "") -> dict[str, Any]:
    knowledge = workshop.knowledge
    job = record.job
    asked = plans_asked(record.assessed)
    key = key or (asked[0] if asked else "")
    others = [
        p for p, x in knowledge.reset_plans.items() if p not in asked and not job.engine.rules_out(x.needs)
    ]
    own = workshop.garage.plans_of(job.engine.name)
    state = state_here(record, workshop, key) if key else None
    return {
        "plan": state,
        "own": own.get(key),
        "asked": [(p, knowledge.reset_plans[p].title, p in own) for p in asked],
        "others": [(p, knowledge.reset_plans[p].title, p in own) for p in others],
        "steps": [_step_view(s) for s in state.steps] if state else [],
        "latched": latched_says(record.assessed),
        "budget": countdown_of(record.assessed, record.standing.proof),
        "floors": [
            (axis, UNITS[axis], plain(floor_of(job, knowledge, record.assessed.experience, axis)))
            for axis in UNITS
        ],
        "ticked": {x.data.caution for x in job.live if x.kind == "tick"},
        "own_card": job.engine.name,
    }


def _phase_state(s: StepState, n: int) -> str:
    if n < s.phase:
        return "over"
    return "runs" if n == s.phase and s.running else "open"


def _step_view(step_state: StepState) -> dict[str, Any]:
    """A step as its row prints it."""
    phases = [
        {
            "does": phase.does,
            "minutes": phase.minutes,
            "state": _phase_state(step_state, index),
            "next": index == step_state.phase and not step_state.running,
            "number": index,
        }
        for index, phase in enumerate(step_state.shape.phases)
    ]
    asks = [
        (need.asks, FIGURES[need.asks].title, FIGURES[need.asks].unit)
        for need in step_state.needs
        if need.state in ("missing", "unread")
    ]
    return {"state": step_state, "shape": step_state.shape, "phases": phases, "asks": asks}


class StepForm(Fields):
    step: Annotated[str | None, line(60, "say which step")]
    result: Annotated[str | None, one_of("done", "refused", "skipped")]
    because: Annotated[str | None, line(400)]
    lead: Annotated[str | None, line(400)]


def _asked_step(form: Form, plan: PlanState) -> StepState | None:
    state = plan.step(form.raw("step"))
    if state is None:
        form.wrong("step", f"is no step of this plan; it has {', '.join(s.shape.id for s in plan.steps)}")
    return state


def _step(form: Form, record: JobRecord, workshop: Workshop, key: str) -> list[dict[str, Any]]:
    """What became of a step. The last one of a plan says that the whole was run."""
    fields = form.read(StepForm, record, workshop)
    plan = state_here(record, workshop, key)
    step = _asked_step(form, plan)
    if step is not None and fields.result == "done":
        _may_be_done(form, step)
        if step.bar and not fields.lead:
            form.wrong("lead", step.bar)
    elif step is not None and fields.result is not None and not fields.because:
        form.wrong("because", _why_asked(step, fields.result))
    form.done()
    assert step is not None and fields.result is not None
    data = {
        "plan": key,
        "step": step.shape.id,
        "result": fields.result,
        "because": fields.because,
        "lead": fields.lead,
    }
    entries = [form.entry("reset_step", data)]
    if fields.result != "refused" and all(x.over or x is step for x in plan.steps):
        entries += _whole_run(form, plan, step, fields.result, fields.lead)
    ticks = [c for c in form.all("tick") if c in step.shape.cautions]
    return [*(form.entry("tick", {"caution": c}, f"tick{n}") for n, c in enumerate(ticks)), *entries]


def _may_be_done(form: Form, step_state: StepState) -> None:
    """Whether its order, its needs and its phases allow it."""
    if step_state.out_of_order:
        form.wrong("step", step_state.out_of_order)
    if step_state.missing:
        form.wrong(
            "because",
            "; ".join(n.says for n in step_state.missing) + ". Bring it there, or write that it refused",
        )
    unseen = [n.says for n in step_state.needs if n.state == "seen" and n.says not in form.all("seen")]
    if unseen:
        form.wrong("seen", f"look and tick it: {'; '.join(unseen)}")
    if not step_state.phases_over:
        open_phase = step_state.shape.phases[step_state.phase]
        form.wrong("step", f"“{inside(open_phase.does)}” has not run its {plain(open_phase.minutes)} min yet")


def _why_asked(s: StepState, result: str) -> str:
    if result == "skipped":
        return "say why it is left out"
    missing = "; ".join(n.says for n in s.missing)
    return f"say what it answered{f'. What is missing here: {missing}' if missing else ''}"


def _whole_run(
    form: Form, plan: PlanState, last: StepState, result: str, lead: str | None
) -> list[dict[str, Any]]:
    """That the whole plan was run, for the proof: done, or with what was left out."""
    skipped = [s.shape.does for s in plan.steps if s.result == "skipped" and s is not last]
    skipped += [last.shape.does] if result == "skipped" else []
    leads = [s.entry.data.lead for s in plan.steps if s.entry and s.entry.data.lead] + (
        [lead] if lead else []
    )
    data = {
        "plan": plan.key,
        "result": "skipped" if skipped else "done",
        "because": f"left out: {'; '.join(inside(d) for d in skipped)}" if skipped else None,
        "lead": leads[0] if leads else None,
    }
    return [form.entry("reset_step", {**data, "step": proved}, proved) for proved in plan.plan.proves]


class PhaseForm(Fields):
    step: Annotated[str | None, line(60, "say which step")]


def _phase(form: Form, record: JobRecord, workshop: Workshop, key: str) -> list[dict[str, Any]]:
    """Start the next timed phase of a step."""
    form.read(PhaseForm, record, workshop)
    step = _asked_step(form, state_here(record, workshop, key))
    if step is not None:
        if step.out_of_order:
            form.wrong("step", step.out_of_order)
        elif step.missing:
            form.wrong("step", "; ".join(n.says for n in step.missing))
        elif step.running:
            form.wrong("step", "this phase runs already")
        elif step.phases_over:
            form.wrong("step", "all its phases are over")
    form.done()
    assert step is not None
    phase = step.shape.phases[step.phase]
    until = (form.pressed_at or now()) + timedelta(minutes=phase.minutes)
    data = {
        "wait": "routine",
        "what": f"{phase.does}, {plain(phase.minutes)} min",
        "until": stamp(until),
        "step": phase_name(key, step.shape.id, step.phase),
    }
    return [form.entry("wait", data)]


def _figures(form: Form, record: JobRecord, workshop: Workshop, key: str) -> list[dict[str, Any]]:
    """A figure that a step needs, read now."""
    entries = []
    for name, figure in FIGURES.items():
        value = form.figure(name, figure.unit, *READ_AS[name])
        if value is None:
            continue
        if figure.condition:
            data = {"name": figure.condition, "value": value, "unit": figure.unit}
            entries.append(form.entry("condition", data, name))
        else:
            where = {"channel": figure.channel} if figure.channel else {}
            data = {"test": figure.test, "where": where, "value": value, "unit": figure.unit}
            entries.append(form.entry("reading", data, name))
    if not entries and not form.faults:
        first = next((n for n in FIGURES if n in form.values), "coolant")
        form.wrong(first, f"type what it reads, in {FIGURES[first].unit}")
    form.done()
    return entries


def _gone(form: Form, record: JobRecord, workshop: Workshop, key: str) -> list[dict[str, Any]]:
    """The countdown is gone from the dash."""
    form.done()
    return [form.entry("symptom", {"symptom": "restart_countdown", "present": False})]


FORMS = {"step": _step, "phase": _phase, "figures": _figures, "gone": _gone}


def _run_of(plan: PlanState) -> ResetPlanShape:
    """The plan as it was run: the steps in the order in which they were done, without those left out."""
    done = [s for s in plan.steps if s.result == "done"]
    kept = {s.shape.id for s in done}
    steps = [s.shape.model_copy(update={"after": [a for a in s.shape.after if a in kept]}) for s in done]
    return plan.plan.model_copy(update={"steps": steps})


def _keep(form: Form, record: JobRecord, workshop: Workshop, key: str, by: str) -> None:
    """What worked becomes the plan of this engine card."""
    plan = state_here(record, workshop, key)
    if not plan.done:
        form.wrong("keep", "run it through first: the plan that is kept is one that worked")
    run = _run_of(plan)
    if plan.done and not run.steps:
        form.wrong("keep", "nothing of it was done")
    form.done()
    workshop.garage.keep_plan(record.job.engine.name, key, run, record.job.id, by)


def _edit(form: Form, record: JobRecord, workshop: Workshop, key: str, by: str) -> None:
    """Another order, steps left out, a step of one's own: for this engine card, when the order holds."""
    plan, _ = plan_here(record, workshop, key)
    rows: list[tuple[float, ResetStepShape]] = []
    for step in plan.steps:
        at = form.figure(f"order_{step.id}", "", 0, 999)
        if at is not None:
            rows.append((at, step))
    does = form.text("new_does", 300)
    minutes = form.figure("new_minutes", "", 0, 600)
    if does:
        at = form.figure("new_order", "", 0, 999)
        own = f"own_{len(plan.steps) + 1}"
        if len(does) < LEAST_WORDS:
            form.wrong("new_does", "say what is done, in a few words")
        else:
            made = ResetStepShape(id=own, does=does, minutes=minutes or 0)
            rows.append((at if at is not None else 999, made))
    kept = {step.id for _, step in rows}
    steps = [
        step.model_copy(update={"after": [a for a in step.after if a in kept]})
        for _, step in sorted(rows, key=lambda row: row[0])
    ]
    if not steps:
        form.wrong("order", "a plan has one step at least")
    elif says := order_fault(steps):
        form.wrong("order", sentence(says))
    form.done()
    workshop.garage.keep_plan(
        record.job.engine.name, key, plan.model_copy(update={"steps": steps}), record.job.id, by
    )


def _floor(form: Form, record: JobRecord, workshop: Workshop, key: str, by: str) -> None:
    """What the workshop keeps back of a countdown."""
    floors = {axis: form.figure(axis, unit, 0, 500) for axis, unit in UNITS.items()}
    form.done()
    workshop.shelf.keep_back({axis: v for axis, v in floors.items() if v is not None})


KEEPS = {"keep": _keep, "edit": _edit, "floor": _floor}


@router.get("/jobs/{job_id}/resets")
def first_plan(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "resets", WORK, show(record, workshop))


@router.get("/jobs/{job_id}/resets/{plan}")
def one_plan(request: Request, job_id: str, plan: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "resets", WORK, show(record, workshop, plan))


@router.get("/jobs/{job_id}/resets/{plan}/file")
def plan_file(job_id: str, plan: str, workshop: GivenWorkshop) -> Response:
    """The plan as an open file."""
    record = workshop.tapes.job(job_id)
    shape, own = plan_here(record, workshop, plan)
    worked = {"at": stamp(own.at), "by": own.by} if own else {}
    content = reset_plan.written(record.job.engine.name, plan, shape, worked)
    named = {"Content-Disposition": f'attachment; filename="{plan}.fpresets.json"'}
    return Response(content, media_type="application/json", headers=named)


@router.post("/jobs/{job_id}/resets/{plan}/file")
def plan_in(request: Request, job_id: str, plan: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """A plan from a file, for this engine card."""
    record = workshop.tapes.job(job_id)
    try:
        key, shape = reset_plan.read(form.raw("text").encode(), tuple(workshop.knowledge.reset_plans))
    except BadInput as error:
        says = "; ".join(f"{f.path}: {f.says}" for f in error.faults[:6])
        refused = BadInput([Fault("text", says)], form.kept)
        kept = Kept.of("file", refused, form.kept)
        return job_page(
            request, record, "resets", work=WORK, view=show(record, workshop, plan), kept=kept, status=422
        )
    workshop.garage.keep_plan(record.job.engine.name, key, shape, "", person(request))
    return RedirectResponse(f"/jobs/{job_id}/resets/{key}", 303)


@router.post("/jobs/{job_id}/resets/{plan}/{name}")
def reset_form(
    request: Request, job_id: str, plan: str, name: str, form: GivenForm, workshop: GivenWorkshop
) -> Response:
    if name in KEEPS:
        return _kept(request, job_id, plan, name, form, workshop)
    if name not in FORMS or plan not in workshop.knowledge.reset_plans:
        raise NotHere("There is no such form.")
    me = person_of(request)
    if form.raw("lead") and me is not None and not may(me.right, "lead"):
        raise NotAllowed("Only a lead lets it be reset while the cause is not read sound.")
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name="-".join(filter(None, (name, form.raw("step")))),
        maker=lambda f, r, w: FORMS[name](f, r, w, plan),
        stage="resets",
        work=WORK,
        show=lambda r, w: show(r, w, plan),
        back=f"/jobs/{job_id}/resets/{plan}",
    )


def _kept(request: Request, job_id: str, plan: str, name: str, form: Form, workshop: Workshop) -> Response:
    """Kept beside the tape: the plan of the card, and what the workshop holds back."""
    record = workshop.tapes.job(job_id)
    try:
        KEEPS[name](form, record, workshop, plan, person(request))
    except BadInput as error:
        kept = Kept.of(name, error, form.kept)
        return job_page(
            request,
            record,
            "resets",
            work=WORK,
            view=show(record, workshop, plan),
            kept=kept,
            status=status_of(error),
        )
    return RedirectResponse(f"/jobs/{job_id}/resets/{plan}", 303)
