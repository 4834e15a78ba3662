"""Prove: before beside after, the steps of the proof, the wait for a cold engine, the handover."""

from datetime import timedelta
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.errors import NotHere
from frosty_piston.core.waiting import (
    TOUCHABLE_C,
    temperature_after,
)
from frosty_piston.job.prove import Soak, running_wait, soak_estimate
from frosty_piston.job.prove import prove as proof_of
from frosty_piston.job.soot import soot_causes
from frosty_piston.store.workshop import JobRecord, Workshop, now, stamp

from .forms import Form
from .given import GivenForm, GivenWorkshop
from .jobform import submit
from .page import job_page
from .sidezones import bench_link

router = APIRouter()
WORK = "prove/_work.html"


def _curve(soak: Soak) -> dict[str, Any]:
    """The cooling curve as it is drawn: 500 wide, 110 high, from the warmest to the outside temperature."""
    start, around, tau, hours = soak.start_c, soak.around_c, soak.tau_h, soak.cold_h
    warmest = max(start, around + 1)

    def x(h: float) -> float:
        return round(36 + h / hours * 500, 1)

    def y(t: float) -> float:
        return round(12 + (warmest - t) / (warmest - around) * 110, 1)

    points = " ".join(f"{x(hours * n / 40)},{y(temperature_after(hours * n / 40, start, around, tau))}" for n in range(41))
    touch = soak.touch_h
    step = 2 if hours <= 16 else 4
    return {"points": points, "ticks": [(h, x(h)) for h in range(0, int(hours) + 1, step)], "touch": (x(touch), y(TOUCHABLE_C)) if touch else None, "top": round(warmest), "bottom": round(around),
            "end": (x(hours), y(temperature_after(hours, start, around, tau)))}


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    proof = proof_of(record.assessed)
    recipe = workshop.knowledge.proofs[proof.recipe]
    test = next((p.before.test for p in proof.pairs), recipe.remeasure[0] if recipe.remeasure else None)
    point = next((str(p.before.where["point"]) for p in proof.pairs if "point" in p.before.where), None)
    wait, soak = running_wait(record.job, now()), soak_estimate(record.job)
    return {"proof": proof, "recipe": recipe, "remeasure_link": bench_link(record.job.id, test, point) if test else None, "wait": wait, "soak": soak, "curve": _curve(soak),
            "warm": any(s.result == "warm" for s in proof.steps), "codes": list(record.job.of("code")), "ticked": {x.data.caution for x in record.job.of("tick")},
            "over": record.job.last("handover"), "soot": soot_causes(record.assessed)}


def step(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    proof = proof_of(record.assessed)
    if proof.status == "none":
        form.wrong("result", "nothing is repaired yet: finish Fit first")
    step_id = form.choice("step", [s.shape.id for s in proof.steps])
    result, reason = form.choice("result", ("pass", "fail", "could_not")), form.text("reason", 400)
    soaked = form.figure("soaked_h", "", 0, 1000)
    if result == "could_not" and not reason:
        form.wrong("reason", "say why it could not be done; it stands on the report")
    shape = next((s.shape for s in proof.steps if s.shape.id == step_id), None)
    asked = [c for c in (shape.cautions if shape else ()) if workshop.knowledge.cautions[c].tick]
    if result != "could_not" and any(c not in form.all("tick") for c in asked):
        form.wrong("tick", "read and tick the caution first")
    form.done()
    entries = [form.entry("tick", {"caution": c}, c) for c in asked if c in form.all("tick")]
    if step_id == "clear" and result == "pass":
        entries.append(form.entry("code_clear", {"module": "all", "reason": "proof of the repair"}, "clear"))
    entries.append(form.entry("proof_step", {"repair": proof.repair, "step": step_id, "result": result, "reason": reason, "soaked_h": soaked}))
    return entries


def wait(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Start the wait until cold-soaked; it ends when it ends, whoever looks."""
    hours = form.figure("hours", "", 0.1, 200, needed=True)
    form.done()
    assert hours is not None
    return [form.entry("wait", {"wait": "cold_soak", "what": "cold soak, nobody starts it", "until": stamp(now() + timedelta(hours=hours))})]


def end_wait(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    running = running_wait(record.job, now())
    if running is None:
        form.wrong("reason", "no wait is running")
    reason = form.text("reason", 200, "say why the wait ends early")
    form.done()
    return [form.entry("correction", {"corrects": running.id, "reason": reason})] if running else []


def handover(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    to = form.text("to", 120, "write who takes it")
    if proof_of(record.assessed).status != "proven" and not form.text("note", 1000):
        form.wrong("note", "it is not proven yet: write what the owner was told, and when it comes back")
    form.done()
    return [form.entry("handover", {"to": to, "note": form.text("note", 1000)})]


def soot(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """What was asked of the causes of soot; a cause left open stays open."""
    entries = []
    for c in soot_causes(record.assessed):
        said = form.raw(c.id)
        if said not in ("", "found", "not_found"):
            form.wrong(c.id, "found, not found, or leave it open")
        elif said and said != c.state:
            entries.append(form.entry("soot_cause", {"cause": c.id, "found": said == "found"}, c.id))
    if not entries:
        form.wrong("soot", "say of at least one whether it was found")
    form.done()
    return entries


FORMS = {"soot": soot, "step": step, "wait": wait, "end_wait": end_wait, "handover": handover}


@router.get("/jobs/{job_id}/prove")
def prove(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.job(job_id)
    return job_page(request, record, "prove", WORK, show(record, workshop))


@router.post("/jobs/{job_id}/prove/{name}")
def prove_form(request: Request, job_id: str, name: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    return submit(request, workshop, job_id, form, f"{name}-{form.raw('step')}" if name == "step" else name, FORMS[name], "prove", WORK, show, f"/jobs/{job_id}/prove")
