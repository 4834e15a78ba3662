"""Fit: the work plan step by step, hardware out and back, torques, new part beside old."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.errors import NotHere
from frosty_piston.job.decide import condemned
from frosty_piston.job.fit import PlanState, chosen, consent, differing, plan_state, torque_fault
from frosty_piston.store.workshop import JobRecord, Workshop

from .forms import Form
from .given import GivenForm, GivenWorkshop
from .jobform import submit
from .page import in_words, job_page

router = APIRouter()
WORK = "fit/_work.html"
DONE_WORDS = {"glow_plugs": "glow plugs", "glow_relay": "glow relay", "glow_harness": "glow harness"}


def plan_of(record: JobRecord, workshop: Workshop) -> tuple[PlanState | None, tuple[int, ...], str | None]:
    """The plan of the option picked, the cylinders it works on, and the repair it is."""
    picked = chosen(record.job)
    shape = workshop.knowledge.options.get(picked.data.option) if picked else None
    if shape is None:
        return None, (), None
    bad, _ = condemned(record.assessed)
    cylinders = tuple(range(1, record.job.cylinders + 1)) if shape.count == "all" else tuple(sorted(bad)) if shape.count == "dead" else ()
    return plan_state(record.job, workshop.knowledge, shape.plan, cylinders), cylinders, shape.repair


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    plan, cylinders, repair = plan_of(record, workshop)
    yes = consent(record.job)
    card = {row.id: _on_card(record, row.card) for row in plan.shape.compare if row.card} if plan else {}
    current = next((s.shape.id for s in plan.steps if s.state in ("open", "part")), None) if plan else None
    picked = chosen(record.job)
    above = picked is not None and yes is not None and yes.data.ceiling is not None and (picked.data.price or 0) > yes.data.ceiling
    return {"plan": plan, "card": card, "above": above, "picked": picked, "cylinders": cylinders, "repair": repair, "agreed": yes is not None and yes.data.answer == "yes", "yes": yes, "current": current,
            "closed_count": plan is not None and plan.out == plan.back_in, "fitted": record.job.fitted,
            "compared": next((x.data.compared for x in reversed(record.job.since_failure) if x.kind == "fit_step" and x.data.compared), {}) or {}}


def _on_card(record: JobRecord, name: str) -> str:
    """What the engine card says of a thing compared; empty when it is silent."""
    engine = record.job.engine
    value = engine.limits.get(name, getattr(engine, name, None))
    return "" if value is None else f"{value:g}" if isinstance(value, float) else in_words(value)


def step(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Tick one step: cautions first, torque within reach, what came off on the map, last off first on."""
    k = workshop.knowledge
    plan, cylinders, _ = plan_of(record, workshop)
    if plan is None:
        form.wrong("step", "pick an option in Decide first")
        form.done()
    assert plan is not None
    step_id = form.choice("step", [s.shape.id for s in plan.steps])
    form.done()
    state = plan.step(str(step_id))
    skipped = form.raw("state") == "skipped"
    reason = form.text("reason", 400)
    asked = [c for c in state.shape.cautions if k.cautions[c].tick]
    ticks = [c for c in asked if c in form.all("tick")]
    if not skipped and len(ticks) < len(asked):
        form.wrong("tick", "read and tick the caution first")
    if skipped and not reason:
        form.wrong("reason", "say why it is skipped")
    still = plan.still_off(str(step_id))
    if still and not reason and not skipped:
        form.wrong("reason", f"still off: {'; '.join(still)}. It came off later, so it goes on first; or say why not")
    torque = None
    if state.shape.torque and not skipped:
        figure = k.figures[state.shape.torque]
        torque = form.figure("torque", "N m", 0, figure.high * 1.5, needed=not state.shape.torque_is_limit)
        if fault := torque_fault(state, torque, bool(reason)):
            form.wrong("torque", fault)
    pieces = form.whole("pieces", 0, 200) if state.shape.pieces else None
    cylinder = None
    if state.shape.per_cylinder and form.raw("cylinder") not in ("", "all"):
        cylinder = form.whole("cylinder", 1, record.job.cylinders)
    hardware = _hardware(form) if state.shape.hardware and not skipped else None
    compared = _compared(form, plan) if state.shape.compare and not skipped else None
    form.done()
    return [form.entry("fit_step", {"plan": plan.id, "step": step_id, "state": "skipped" if skipped else "done", "cylinder": cylinder, "reason": reason, "torque_nm": torque,
                                    "pieces": pieces, "hardware": hardware, "ticks": ticks or None, "compared": compared})]


def _hardware(form: Form) -> list[dict[str, str]] | None:
    """What came off, one piece a line: what, where, mark or length, parted by commas."""
    lines = [line for line in form.raw("hardware").splitlines() if line.strip()]
    if len(lines) > 60:
        form.wrong("hardware", "at most 60 pieces at one step")
        return None
    found = []
    for line in lines:
        parts = [p.strip()[:200] for p in line.split(",", 2)]
        found.append({key: part for key, part in zip(("what", "where", "mark"), parts, strict=False) if part})
    return [f for f in found if "what" in f] or None


def _compared(form: Form, plan: PlanState) -> dict[str, list[str]] | None:
    found: dict[str, list[str]] = {}
    for row in plan.shape.compare:
        old, new = form.raw(f"old_{row.id}")[:80], form.raw(f"new_{row.id}")[:80]
        if old or new:
            found[row.id] = [old, new]
    if not found:
        form.wrong("compare", "write down at least one thing compared, old and new")
    differ = differing(plan, found)
    if differ and not form.raw("reason"):
        form.wrong("reason", f"old and new differ in {', '.join(differ)}: do not fit it, or say why it is right")
    return found


def fitted(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The repair is done: from here on readings belong to its proof."""
    plan, cylinders, repair = plan_of(record, workshop)
    temporary, back = form.raw("temporary") == "yes", form.text("come_back", 120)
    if plan is None:
        form.wrong("done", "pick an option in Decide first")
    elif not plan.finished:
        left = [s.shape.does for s in plan.steps if s.state in ("open", "part")]
        form.wrong("done", f"still open: {'; '.join(left[:3])}")
    elif plan.out != plan.back_in:
        form.wrong("done", f"{plan.out} pieces out, {plan.back_in} in: no cranking until the count closes")
    if temporary and not back:
        form.wrong("come_back", "say when it comes back for the lasting repair")
    form.done()
    done = "repaired" if repair == "glow_harness" else "replaced"
    what = DONE_WORDS.get(str(repair), str(repair).replace("_", " "))
    return [form.entry("action", {"action": done, "what": what + (f", cylinder {', '.join(map(str, cylinders))}" if cylinders else ""), "repair": repair,
                                  "cylinders": list(cylinders) or None, "temporary": temporary, "come_back": back})]


FORMS = {"step": step, "fitted": fitted}


@router.get("/jobs/{job_id}/fit")
def fit(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.job(job_id)
    return job_page(request, record, "fit", WORK, show(record, workshop))


@router.post("/jobs/{job_id}/fit/{name}")
def fit_form(request: Request, job_id: str, name: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    return submit(request, workshop, job_id, form, f"{name}-{form.raw('step')}" if name == "step" else name, FORMS[name], "fit", WORK, show, f"/jobs/{job_id}/fit")
