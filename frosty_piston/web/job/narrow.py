"""Narrow: codes by kind, what became of each, suspects with their trail, next tests for what is at hand."""

from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.quantity import percent
from frosty_piston.job.entries.arrival import STATE_WORDS
from frosty_piston.job.weighing.access import states
from frosty_piston.job.weighing.codes_seen import CodeSeen, in_common
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.drawing.trail import sparkline
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Fields, Form, known
from frosty_piston.web.frame.heat import worth_a_look
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.links import test_link
from frosty_piston.web.frame.page import job_page

router = APIRouter()
WORK = "narrow/_work.html"
SHOWN_SUSPECTS = 10
SHOWN_TESTS = 10
SHOWN_COMMON = 4
FAINT = 0.03
KINDS: dict[str, tuple[str, str]] = {
    "circuit": ("Circuit", "wires, connectors, coils"),
    "range": ("Range", "a signal outside its range"),
    "performance": ("Performance or flow", "soot, leaks, stuck parts"),
    "plausibility": ("Plausibility", "two sensors that disagree"),
    "communication": ("Network", "a module's supply or link first"),
    "limit": ("Limit", "a value past its limit"),
    "unit": ("Control unit", "the unit itself or its coding"),
    "": ("Not known here", "look it up in your service data"),
}


def code_board(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    """The codes that bear on the complaint by kind and then by system; noise and parked ones apart."""
    knowledge = workshop.knowledge
    codes = record.assessed.codes

    def row(code_seen: CodeSeen) -> dict[str, Any]:
        return {
            "code": code_seen.entry.data.code,
            "says": code_seen.title,
            "system": knowledge.systems.get(code_seen.system, ""),
            "status": code_seen.entry.data.says_status,
            "why": code_seen.why,
            "follows": code_seen.follows,
            "own": code_seen.code in workshop.shelf.experience.codes,
            "unknown": code_seen.place == "unknown",
            "plain": code_seen.code,
        }

    by_kind: dict[str, list[dict[str, Any]]] = {}
    for c in codes:
        if c.place in ("bears", "unknown"):
            by_kind.setdefault(c.kind if c.kind in KINDS else "", []).append(row(c))
    kinds: list[dict[str, Any]] = [
        {
            "title": KINDS[kind][0],
            "points_at": KINDS[kind][1],
            "codes": sorted(by_kind[kind], key=lambda r: (r["system"], r["code"])),
        }
        for kind in KINDS
        if kind in by_kind
    ]
    common = [
        {"fault": fault, "title": knowledge.faults[fault].title, "codes": board}
        for fault, board in in_common(knowledge, codes)
        if not record.job.engine.rules_out(knowledge.faults[fault].needs)
    ][:SHOWN_COMMON]
    return {
        "kinds": kinds,
        "noise": [row(c) for c in codes if c.place == "noise"],
        "parked": [row(c) for c in codes if c.place == "parked"],
        "common": common,
    }


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    knowledge = workshop.knowledge
    assessed = record.assessed
    suspicion = assessed.suspicion
    proposals = assessed.proposals
    listed = worth_a_look(suspicion)[:SHOWN_SUSPECTS]
    suspects = (
        [
            {
                "s": suspect,
                "percent": percent(suspect.probability),
                "faint": suspect.probability < FAINT,
                "system": knowledge.systems.get(suspect.system, ""),
                "at": assessed.addresses.in_words(suspect.fault),
                "trail": sparkline(suspicion.trail_of(suspect.fault)),
                "pattern": next((m for m in suspect.speaks_for if m.pattern), None),
            }
            for suspect in listed
        ]
        if assessed.evidence
        else []
    )
    tests = [
        {
            "n": n,
            "link": test_link(record.assessed.knowledge, record.job.id, n),
            "access": [knowledge.access[a].title for a in n.access if knowledge.access[a].minutes > 1],
            "tools": [knowledge.tools[t] for t in n.tools],
            "width": round(min(1.0, n.gain_bits) * 100),
        }
        for n in proposals.top(SHOWN_TESTS)
    ]
    buy = proposals.before_you_buy
    held = states(record.job, knowledge)
    return {
        "board": code_board(record, workshop),
        "all_suspects": suspects,
        "all_tests": tests,
        "has_evidence": bool(assessed.evidence),
        "lost": record.job.codes_lost,
        "unlisted_percent": percent(suspicion.suspects[-1].probability),
        "unlisted_trail": sparkline(suspicion.trail_of("unlisted")) if assessed.evidence else None,
        "conflicts": suspicion.conflicts,
        "assumed": assessed.assumed,
        "stop_rule": proposals.stop_rule,
        "sure": proposals.sure.enough,
        "buy": (
            {
                "n": buy.test,
                "link": test_link(record.assessed.knowledge, record.job.id, buy.test),
                "outcome": buy.outcome,
                "after": percent(buy.odds_after),
                "chance": percent(buy.chance),
            }
            if buy
            else None
        ),
        "leading": suspicion.suspects[0].title,
        "left_out": proposals.left_out,
        "states": [(key, title, key in held) for key, title in STATE_WORDS.items()],
        "tools_here": [
            (key, title, key not in workshop.shelf.experience.lacking)
            for key, title in knowledge.tools.items()
        ],
        "lacking": len(workshop.shelf.experience.lacking),
    }


class StateForm(Fields):
    state: Annotated[str | None, known(lambda asking: STATE_WORDS)]


def state(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """What holds of the vehicle or the visit from here on."""
    fields = form.read(StateForm, record, workshop)
    form.done()
    return [form.entry("state", {"state": fields.state, "on": form.raw("on") != "no"})]


def tools(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The tools at hand are the workshop's, not the job's: nothing goes on the tape."""
    workshop.shelf.lack(set(workshop.knowledge.tools) - set(form.all("tool")))
    return []


@router.get("/jobs/{job_id}/narrow")
def narrow(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "narrow", WORK, show(record, workshop))


@router.post("/jobs/{job_id}/narrow/state")
def state_form(request: Request, job_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name="state",
        maker=state,
        stage="narrow",
        work=WORK,
        show=show,
        back=f"/jobs/{job_id}/narrow",
    )


@router.post("/jobs/{job_id}/narrow/tools")
def tools_form(request: Request, job_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name="tools",
        maker=tools,
        stage="narrow",
        work=WORK,
        show=show,
        back=f"/jobs/{job_id}/narrow",
    )


@router.get("/jobs/{job_id}")
def open_job(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    """Open a job where it stands."""
    return RedirectResponse(f"/jobs/{job_id}/{workshop.tapes.job(job_id).standing.now}", 303)
