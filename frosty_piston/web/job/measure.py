"""Measure: the benches, each value judged as it is typed and written when it is left."""

from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.errors import BadInput, Conflict, NotHere
from frosty_piston.job.judging.result import Result
from frosty_piston.job.place import bench_of
from frosty_piston.job.plan import plan
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.benches import (
    BENCHES,
    Bench,
    dosing,
    dpf,
    fitting,
    injectors,
    intermittent,
    nox,
    pins,
    sections,
    stop,
    vacuum,
)
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import MOST_KEY, Fields, Form, figure, one_of
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.links import bench_link, test_link
from frosty_piston.web.frame.page import Kept, is_htmx, job_page, render, writer, zones

from . import test_card
from .cells import (
    IN_SET,
    NOT_READ,
    cell_entries,
    cell_note,
    cell_of,
    judge_figures,
    judge_typed,
    unread,
    with_presence,
)
from .test_card import card_view

router = APIRouter()
CARD = "measure/_test.html"
OVERVIEW = "measure/_work.html"
OWN_KEY = 24
SHOWN_NEXT = 4
MOST_ORDERED = 24
WORST_FIRST = ("failed", "implausible", "marginal", "unclear", "sound")


def _part(form: Form) -> str:
    """The part and its state, as the card's address carries them."""
    given = {key: form.raw(key) for key in ("node", "part_hot") if form.raw(key)}
    return f"?{urlencode(given)}" if given else ""


def overview(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    """What is next, what is done, what is cleared, and below it every bench and card of this engine."""
    knowledge = workshop.knowledge
    proposed = record.assessed.proposals.top(MOST_ORDERED)
    done: dict[str, list[Result]] = {}
    for v in record.assessed.now:
        done.setdefault(v.test, []).append(v)
    return {
        "upcoming": [(test_link(knowledge, record.job.id, n), n) for n in proposed[:SHOWN_NEXT]],
        "done": [_done(record, knowledge, test, verdicts) for test, verdicts in done.items()],
        "cleared": [p for p in plan(record.assessed) if p.cleared],
        "places": _places(record, workshop, [n.test for n in proposed]),
        "bench": "",
    }


def _done(record: JobRecord, knowledge: Knowledge, test: str, verdicts: list[Result]) -> dict[str, Any]:
    """A test that was made: the worst it says, and how many places it says that of."""
    worst = min(verdicts, key=lambda v: WORST_FIRST.index(v.judgement.verdict))
    at = {key: str(value) for key, value in worst.where.items()}
    return {
        "title": knowledge.tests[test].title,
        "link": bench_link(knowledge, record.job.id, test, at.get("point"), at.get("node")),
        "worst": worst,
        "alike": sum(v.judgement.verdict == worst.judgement.verdict for v in verdicts),
        "of": len(verdicts),
    }


def _places(record: JobRecord, workshop: Workshop, ordered: list[str]) -> list[dict[str, str]]:
    """Every bench and card that this engine can use: those of the next tests first, in their order."""
    knowledge = workshop.knowledge
    base = f"/jobs/{record.job.id}/measure/"
    rows = {
        key: {"link": base + key, "title": knowledge.benches[key].title, "says": knowledge.benches[key].says}
        for key in fitting(record, workshop)
    }
    for key, t in knowledge.tests.items():
        if not record.job.engine.rules_out(t.needs) and (on := bench_of(knowledge, key)) not in rows:
            rows[on] = {"link": f"{base}test/{key}", "title": t.title, "says": knowledge.systems[t.system]}
    first = [bench_of(knowledge, test) for test in ordered]
    order = [on for on in dict.fromkeys(first) if on in rows]
    return [rows[on] for on in (*order, *(other for other in rows if other not in order))]


@router.get("/jobs/{job_id}/measure")
def measure(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "measure", OVERVIEW, overview(record, workshop))


@router.get("/jobs/{job_id}/measure/judge")
def judge(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    """Judge a value while it is typed; nothing is written."""
    form = _asked(request)
    record = workshop.tapes.job(job_id)
    fault = ""
    verdict = None
    others = list[Result]()
    if form.raw("value"):
        try:
            verdict, others = judge_typed(form, record, workshop.knowledge)
        except BadInput as error:
            fault = error.faults[0].says
    if others and not verdict:
        says = IN_SET
    elif form.raw("value"):
        says = "read"
    else:
        says = NOT_READ
    return render(
        request,
        "measure/_typed.html",
        cell=cell_of(form),
        key="-".join(filter(None, (form.raw("test"), form.raw("node")))),
        verdicts=others,
        says=says,
        judgement=verdict.judgement if verdict else None,
        fault=fault,
        typing=True,
        entry_id=form.raw("entry_id"),
        oob=True,
        share=verdict.share if verdict else None,
    )


@router.get("/jobs/{job_id}/measure/figures")
def judge_of_figures(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    """Judge the figures of one act while they come in; nothing is written."""
    form = _asked(request)
    record = workshop.tapes.job(job_id)
    verdicts = judge_figures(form, record, workshop.knowledge)
    key = f"{form.raw('test')}-typed"
    return render(request, "measure/_set.html", key=key, verdicts=verdicts, typing=True, oob=False)


@router.get("/jobs/{job_id}/measure/test/{test}")
def one_test(request: Request, job_id: str, test: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "measure", CARD, card_view(record, workshop, test, _asked(request)))


def _asked(request: Request) -> Form:
    return Form({key: [value] for key, value in request.query_params.items()})


@router.get("/jobs/{job_id}/measure/{bench}")
def bench_page(request: Request, job_id: str, bench: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    if bench not in BENCHES:
        raise NotHere("There is no such bench.")
    shown = BENCHES[bench].view(record, workshop, _asked(request))
    return job_page(request, record, "measure", BENCHES[bench].template, shown)


@router.post("/jobs/{job_id}/measure/cell")
def write_cell(request: Request, job_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Write one cell. The page gets back the verdicts of its bench and the zones beside it, never the
    cells."""
    record = workshop.tapes.job(job_id)
    knowledge = workshop.knowledge
    bench = BENCHES.get(form.raw("bench"))
    try:
        _write_cell(request, job_id, form, record, workshop)
    except BadInput as error:
        fault = error.faults[0].says
        if is_htmx(request):
            return render(
                request,
                "measure/_verdict.html",
                422,
                cell=cell_of(form),
                judgement=None,
                fault=fault,
                typing=True,
                entry_id="",
                oob=True,
                share=None,
                says="",
            )
        return job_page(
            request,
            record,
            "measure",
            work=bench.template if bench else CARD,
            view=_shown(bench, record, workshop, form),
            kept=Kept.of(cell_of(form).id, error, form.kept),
            status=422,
        )
    if not is_htmx(request):
        here = (
            f"{form.raw('bench')}{bench.carried(form)}" if bench else f"test/{form.raw('test')}{_part(form)}"
        )
        return RedirectResponse(f"/jobs/{job_id}/measure/{here}", 303)
    record = workshop.tapes.job(job_id)
    shown = _shown(bench, record, workshop, form)
    return render(
        request,
        "measure/_written.html",
        stage="measure",
        kept=Kept(),
        **zones(record, knowledge, workshop.pictures),
        **shown,
    )


def _write_cell(request: Request, job_id: str, form: Form, record: JobRecord, workshop: Workshop) -> None:
    """A cell stays on its page: what is typed into it before the answer to the last value is here comes with
    the same key and is a value of its own, each once."""
    act = form.act(request.url.path)
    try:
        if act is not None and workshop.tapes.done(job_id, act) is not None:
            return
    except Conflict:
        assert act is not None
        form.values["entry_id"] = [f"{act.key[:OWN_KEY]}-{act.content[: MOST_KEY - OWN_KEY - 1]}"]
        act = form.act(request.url.path)
        if act is not None and workshop.tapes.done(job_id, act) is not None:
            return
    if entries := cell_entries(form, record, workshop.knowledge):
        workshop.tapes.write(job_id, entries, writer(request, form), act=act)


def _shown(bench: Bench | None, record: JobRecord, workshop: Workshop, form: Form) -> dict[str, Any]:
    """The bench a form stands on, or the card of its test."""
    if bench is None:
        return card_view(record, workshop, form.raw("test"), form)
    return {**bench.view(record, workshop, bench.asked(form)), "present_said": form.raw("present")}


class InstrumentForm(Fields):
    instrument: Annotated[str | None, one_of("meter", "lamp")]
    lead_zero: Annotated[float | None, figure("ohm", 0, 5)]
    resolution: Annotated[float | None, figure("ohm", 0.0001, 10)]
    accuracy_percent: Annotated[float | None, figure("percent", 0, 50)]
    accuracy_digits: Annotated[float | None, figure("", 0, 200)]


def instrument(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The meter or the lamp: asked once, kept, and changed by a further entry."""
    fields = form.read(InstrumentForm, record, workshop)
    if fields.instrument == "lamp":
        watts = form.figure("rated_w", "W", 0.5, 100, needed=True)
        form.done()
        workshop.settings.save("lamp", {"rated_w": watts})
        return [form.entry("instrument", {"instrument": "lamp", "rated_w": watts})]
    if form.raw("wires_off") not in ("", "yes"):
        form.wrong("wires_off", "tick it or leave it")
    form.done()
    entries = []
    given = {
        "lead_zero": fields.lead_zero,
        "accuracy_percent": fields.accuracy_percent,
        "accuracy_digits": fields.accuracy_digits,
        "resolution": fields.resolution,
    }
    if any(v is not None for v in given.values()):
        workshop.settings.save(
            "meter", {k: v for k, v in given.items() if v is not None and k != "lead_zero"}
        )
        entries.append(form.entry("instrument", {"instrument": "meter", "unit": "ohm", **given}))
    off = form.raw("wires_off") == "yes"
    if off != record.job.unplugged_glow:
        entries.append(
            form.entry(
                "action", {"action": "unplugged" if off else "plugged_in", "what": "glow plug wires"}, "wires"
            )
        )
    if not entries:
        form.wrong("lead_zero", "short the probes and type what the meter shows, as 0.2")
    form.done()
    return entries


FORMS = {
    **test_card.FORMS,
    **sections.FORMS,
    **stop.FORMS,
    **vacuum.FORMS,
    **intermittent.FORMS,
    **pins.FORMS,
    **injectors.FORMS,
    **dosing.FORMS,
    **nox.FORMS,
    **dpf.FORMS,
    "instrument": instrument,
    "unread": unread,
    "cellnote": cell_note,
}


@router.post("/jobs/{job_id}/measure/{name}")
def measure_form(
    request: Request, job_id: str, name: str, form: GivenForm, workshop: GivenWorkshop
) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    bench = BENCHES.get(form.raw("bench"))
    test = form.raw("test")
    here = f"{form.raw('bench')}{bench.carried(form)}" if bench else f"test/{test}{_part(form)}"
    by_test = bench is not None and bench.sections and name in ("outcome", "figures")
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name="-".join(filter(None, (name, test, form.raw("node")))) if by_test else name,
        maker=lambda f, r, w: with_presence(f, FORMS[name](f, r, w)),
        stage="measure",
        work=bench.template if bench else CARD,
        show=lambda r, w: _shown(bench, r, w, form),
        back=f"/jobs/{job_id}/measure/{here}",
    )
