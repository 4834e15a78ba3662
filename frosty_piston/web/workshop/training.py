"""Training: lessons to draw from, an exercise on a simulated vehicle, what is said afterwards, sets for
several."""

import json
import random
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.errors import BadInput, Conflict, Fault, NotAllowed
from frosty_piston.core.learning import brier, reliability
from frosty_piston.core.quantity import exact, percent
from frosty_piston.core.words import called, inside
from frosty_piston.job.entries import Entry
from frosty_piston.job.judging.result import Result
from frosty_piston.job.repair.decide import offer_of
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.training_shapes import LESSONS
from frosty_piston.store.exercises import Exercise
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.training.exercise import (
    DRIVE_MIN,
    DRIVE_TICKS,
    HELP,
    PASSING,
    SCAN_MIN,
    START_MIN,
    SURE,
    WARM_MIN,
    Act,
    Bay,
    Spec,
    cautions_of,
    offered,
    title_of,
)
from frosty_piston.training.sessions import (
    DIFFICULTY,
    Standing,
    act_on,
    begin_exercise,
    checked,
    draw,
    help_open,
    kept_of,
    looked_back,
    read_spec,
    recording_id,
    spec_of,
    standing_of,
    tried,
    weakest,
    went_well,
    write_spec,
)
from frosty_piston.web.drawing.reliability import reliability_drawn
from frosty_piston.web.frame.dependencies import GivenForm, GivenUpload, GivenWorkshop
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.frame.page import Kept, person, render, status_of
from frosty_piston.web.frame.signed_in import person_of

router = APIRouter()
WEAKEST = "weakest"
NO_CARD = "unknown"
MOST_SHOWN = 40
BAR_WIDE = 300
ENDED = {"done": "handed over", "given_up": "given up"}
TAKES = {"scan": SCAN_MIN, "warm": START_MIN + WARM_MIN, "drive": START_MIN + DRIVE_MIN}
Row = dict[str, Any]


# the lessons


def _card(form: Form, workshop: Workshop) -> Mapping[str, Any] | None:
    """The engine card that was chosen; None: any."""
    name = form.raw("card")
    if not name:
        return None
    for _, card in workshop.garage.cards():
        if card.name == name:
            return card.model_dump(exclude_none=True)
    form.wrong("card", "choose a card of the list")
    return None


def _warmth(bay: Bay) -> str:
    """Whether the engine of an exercise is hot or cold."""
    if bay.hot:
        return "hot"
    return "cold" if bay.cold else "neither hot nor cold"


def _results(exercises: list[Exercise]) -> list[Row]:
    return [x.result for x in exercises if x.result is not None]


def _line(exercise: Exercise, knowledge: Knowledge) -> Row:
    """An exercise as a line: what it was is only said once it is over."""
    result = exercise.result
    return {
        "id": exercise.id,
        "number": exercise.spec["number"],
        "person": exercise.person,
        "at": exercise.made_at,
        "over": exercise.ended_at is not None,
        "lesson": knowledge.training.lessons[exercise.lesson].title if exercise.ended_at else "",
        "result": result,
        "good": result is not None and went_well(result),
        "says": _came_to(result) if result else "",
        "score": None if result is None or result["score"] is None else f"{result['score']:.2f}",
    }


def _came_to(row: Row) -> str:
    if row["ended"] not in ENDED:
        return "ended by a caution"
    if row["ended"] == "given_up":
        return "given up"
    wrong = len(row["wrong_parts"])
    parts = f", {wrong} {'part' if wrong == 1 else 'parts'} for nothing" if wrong else ""
    if not row["cured"]:
        return f"not cured{parts}"
    return ("cured" if row["faults"] else "rightly left") + parts


def _by_lesson(results: list[Row], knowledge: Knowledge) -> list[tuple[str, int, int, int]]:
    """For each lesson that was tried: how often, how often it went well, and that as a bar; worst first."""
    rows = [
        (
            knowledge.training.lessons[key].title,
            len(value),
            sum(value),
            round(BAR_WIDE * sum(value) / len(value)),
        )
        for key, value in tried(results, knowledge).items()
        if value
    ]
    return sorted(rows, key=lambda r: (r[2] / r[1], -r[1]))


def _sure_view(results: list[Row]) -> Row:
    stated = [(float(p), bool(t)) for r in results for p, t in r["sure"]]
    odds = [p for p, _ in stated]
    true = [t for _, t in stated]
    bins = reliability(odds, true)
    return {"bins": reliability_drawn(bins), "rows": bins, "brier": brier(odds, true), "count": len(stated)}


def _set_view(workshop: Workshop, who: str) -> list[Row]:
    rows = []
    for one in workshop.training.exercises.sets():
        made = workshop.training.exercises.listed(set_id=one.id)
        mine = next((x for x in made if x.person == who), None)
        rows.append(
            {
                "id": one.id,
                "title": one.title,
                "by": one.made_by,
                "people": one.people,
                "mine": who in one.people,
                "begun": mine.id if mine else "",
                "over": sum(x.ended_at is not None for x in made),
            }
        )
    return rows


def _lessons_page(
    request: Request, workshop: Workshop, kept: Kept | None = None, status: int = 200
) -> Response:
    knowledge = workshop.knowledge
    who = person(request)
    ground = workshop.training.exercises
    mine = ground.listed(person=who)
    results = _results(mine)
    by_lesson = _by_lesson(results, knowledge)
    lessons = list(knowledge.training.lessons.items())
    return render(
        request,
        "training/lessons.html",
        status,
        title="Training",
        shelf="training",
        traps=[(key, x) for key, x in lessons if x.kind == "trap"],
        systems=[(key, x) for key, x in lessons if x.kind == "system"],
        cards=[card.name for _, card in workshop.garage.cards()],
        difficulty=list(DIFFICULTY.items()),
        helps=list(HELP.items()),
        exercises=[_line(x, knowledge) for x in mine[:MOST_SHOWN]],
        others=[_line(x, knowledge) for x in ground.listed() if x.person != who and x.ended_at][:MOST_SHOWN],
        by_lesson=by_lesson,
        record={title: f"{good} of {count} went well" for title, count, good, _ in by_lesson},
        sure=_sure_view(results),
        sets=_set_view(workshop, who),
        leads=_leads(request),
        kept=kept or Kept(),
    )


def _leads(request: Request) -> bool:
    me = person_of(request)
    return me is None or me.right == "lead"


@router.get("/training")
def lessons(request: Request, workshop: GivenWorkshop) -> Response:
    return _lessons_page(request, workshop)


def _begun(request: Request, workshop: Workshop, spec: Spec, set_id: str = "") -> Response:
    return RedirectResponse(f"/training/{begin_exercise(workshop, spec, person(request), set_id)}", 303)


@router.post("/training/draw")
def draw_one(request: Request, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Draw a vehicle, and begin."""
    knowledge = workshop.knowledge
    chance = random.Random()
    try:
        card = _card(form, workshop)
        form.done()
        lesson = form.raw("lesson") or "any"
        if lesson == WEAKEST:
            mine = workshop.training.exercises.listed(person=person(request))
            lesson = weakest(_results(mine), knowledge, chance)
        difficulty = form.raw("difficulty") or "any"
        help_ = form.raw("help") or "on_request"
        spec = draw(knowledge, lesson, difficulty, help_, card, form.raw("card_known") != NO_CARD, chance)
    except BadInput as error:
        return _lessons_page(request, workshop, Kept.of("draw", error, form.kept), 422)
    return _begun(request, workshop, spec)


def _by_number(form: Form, workshop: Workshop) -> Spec:
    """The exercise of a number, as an address or a form says it. Raises BadInput."""
    number = form.whole("number", 0, LESSONS * 10**6 - 1)
    if number is None:
        form.wrong("number", "type the number of the vehicle, as: 147")
    help_ = form.choice("help", list(HELP), needed=False) or "on_request"
    card = _card(form, workshop)
    form.done()
    assert number is not None
    return checked(Spec(number, help_, card, form.raw("card_known") != NO_CARD), workshop.knowledge)


@router.get("/training/new")
def shared(request: Request, workshop: GivenWorkshop) -> Response:
    """The address of an exercise: what it is, and the press that begins it."""
    form = Form({key: [value[:200]] for key, value in request.query_params.items()})
    try:
        spec = _by_number(form, workshop)
    except BadInput as error:
        return _lessons_page(request, workshop, Kept.of("number", error, form.kept), 422)
    card = spec.shown(spec.vehicle(workshop.knowledge).engine)["name"]
    return render(
        request,
        "training/shared.html",
        title="An exercise for you",
        shelf="training",
        spec=spec,
        card=card,
        help=HELP[spec.help],
        asked=dict(request.query_params),
    )


@router.post("/training/number")
def begin_number(request: Request, form: GivenForm, workshop: GivenWorkshop) -> Response:
    try:
        spec = _by_number(form, workshop)
    except BadInput as error:
        return _lessons_page(request, workshop, Kept.of("number", error, form.kept), 422)
    return _begun(request, workshop, spec)


@router.post("/training/file")
def begin_file(request: Request, form: GivenForm, workshop: GivenWorkshop, upload: GivenUpload) -> Response:
    try:
        if upload is None:
            raise BadInput([Fault("file", "choose the file of an exercise")])
        spec = read_spec(upload.data, workshop.knowledge)
    except BadInput as error:
        return _lessons_page(request, workshop, Kept.of("file", error, form.kept), 422)
    return _begun(request, workshop, spec)


# sets for several people


@router.post("/training/sets")
def new_set(request: Request, form: GivenForm, workshop: GivenWorkshop) -> Response:
    try:
        title = form.text("title", 120, "name it, as: Friday afternoon")
        people = [
            name.strip()[:80] for name in form.raw("people").replace(";", ",").split(",") if name.strip()
        ]
        if not people:
            form.wrong("people", "name who it is for, as: Torvald, Ylva")
        spec = _by_number(form, workshop)
    except BadInput as error:
        return _lessons_page(request, workshop, Kept.of("set", error, form.kept), 422)
    workshop.training.exercises.new_set(title or "", kept_of(spec), people[:40], person(request))
    return RedirectResponse("/training#sets", 303)


@router.post("/training/sets/{set_id}/drop")
def drop_set(set_id: str, workshop: GivenWorkshop) -> Response:
    workshop.training.exercises.remove_set(set_id)
    return RedirectResponse("/training#sets", 303)


@router.post("/training/begin/{set_id}")
def begin_set(request: Request, set_id: str, workshop: GivenWorkshop) -> Response:
    """Begin what was set; who has begun it goes on with it."""
    ground = workshop.training.exercises
    who = person(request)
    one = next((x for x in ground.sets() if x.id == set_id), None)
    if one is None or who not in one.people:
        raise NotAllowed("This was set for others: ask who set it.")
    if mine := next((x for x in ground.listed(set_id=set_id) if x.person == who), None):
        return RedirectResponse(f"/training/{mine.id}", 303)
    return _begun(request, workshop, spec_of(one.spec), set_id)


@router.get("/training/sets/{set_id}")
def set_page(request: Request, set_id: str, workshop: GivenWorkshop) -> Response:
    """What was set, and how each of them went, side by side."""
    ground = workshop.training.exercises
    knowledge = workshop.knowledge
    one = next((x for x in ground.sets() if x.id == set_id), None)
    if one is None:
        return RedirectResponse("/training", 303)
    made = ground.listed(set_id=set_id)
    for x in made:
        if x.ended_at and x.result is None:
            looked_back(workshop, x.id)
    made = ground.listed(set_id=set_id)
    waits = [name for name in one.people if name not in {x.person for x in made}]
    lines = [_line(x, knowledge) for x in reversed(made)]
    return render(
        request, "training/set.html", title=one.title, shelf="training", one=one, lines=lines, waits=waits
    )


# an exercise


def _shown(entry: Entry, record: JobRecord, verdicts: Mapping[str, Any]) -> Row:
    """What was read, as a short line with its verdict."""
    data = entry.data
    knowledge = record.assessed.knowledge
    value = ""
    if entry.kind == "reading":
        value = data.came_to
    elif entry.kind == "outcome":
        seen = [called(data.outcome)] if data.outcome else []
        seen += [f"{called(n).lower()} {exact(v)}" for n, v in (data.figures or {}).items() if _is_figure(v)]
        value = ", ".join(seen)
    where = data.where.model_dump(exclude_none=True) if entry.kind in ("reading", "outcome") else {}
    spot = " ".join(
        f"cylinder {v}" if name == "cylinder" else called(str(v)).lower() for name, v in where.items()
    )
    found = verdicts.get(entry.id)
    return {
        "spot": spot,
        "value": value or entry.data.says(knowledge, _NO_TAPE),
        "verdict": found.judgement.verdict if found else "",
        "because": found.judgement.because if found else "",
    }


_NO_TAPE: Any = {}


def _is_figure(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _log(standing: Standing, record: JobRecord) -> list[Row]:
    """What was done, newest first: when, what came of it, what was read, and where its recording is."""
    bay = standing.bay
    exercise = standing.exercise
    verdicts = _at_its_entry([*record.assessed.diagnosis, *record.assessed.now])
    known = {e.id: e for e in record.job.tape}
    rows = []
    for n in range(len(bay.acts), 0, -1):
        act = bay.acts[n - 1]
        if act["act"] in ("sure", "look"):
            continue
        kinds = ("reading", "outcome", "code", "symptom")
        entries = [known[i] for j in range(len(bay.written[n])) if (i := f"x{n}-{j}") in known]
        read = [_shown(e, record, verdicts) for e in entries if e.kind in kinds and act["act"] == "test"]
        _said_once(read)
        rows.append(
            {
                "n": n,
                "says": _title(bay, act) or bay.says[n],
                "at": bay.clock[n],
                "took": bay.clock[n] - bay.clock[n - 1],
                "read": read,
                "recording": f"/jobs/{exercise.id}/traces/{recording_id(exercise, n)}"
                if n in bay.recordings
                else "",
            }
        )
    return rows


def _at_its_entry(results: Sequence[Result]) -> dict[str, Result]:
    """Each result at the one entry it stands beside: one of several readings at the last of them, unless that
    has one of its own that is no better."""
    several = sorted(results, key=lambda v: (v.judgement.verdict == "failed", -len(v.entries)))
    return {v.entries[-1]: v for v in several if v.entries}


def _said_once(read: list[Row]) -> None:
    """What several readings come to is said at the last of them; what is in order needs no words."""
    said: set[str] = set()
    for row in reversed(read):
        if row["verdict"] == "sound" or row["because"] in said:
            row["because"] = ""
        said.add(row["because"])


def _title(bay: Bay, act: Act) -> str:
    if act["act"] != "test":
        return ""
    return title_of(
        bay.knowledge, act["test"], {key: str(act[key]) for key in ("point", "node") if act.get(key)}
    )


def _tests(bay: Bay) -> list[tuple[str, list[Row]]]:
    """The tests by system: what each takes, what must be reached first, what is to be ticked."""
    knowledge = bay.knowledge
    groups = dict[str, list[Row]]()
    made = {(m.test, tuple(sorted(m.where.items()))) for m in bay.tests}
    for offer in offered(bay):
        groups.setdefault(knowledge.tests[offer.test].system, []).append(
            {
                "test": offer.test,
                "where": offer.where,
                "key": "-".join([offer.test, *offer.where.values()]),
                "title": offer.title,
                "minutes": offer.minutes,
                "missing": [(a, inside(knowledge.access[a].title)) for a in offer.missing],
                "ticks": [(c, knowledge.cautions[c]) for c in offer.ticks],
                "cautions": [
                    knowledge.cautions[c]
                    for c in knowledge.tests[offer.test].cautions
                    if c not in offer.ticks
                ],
                "made": (offer.test, tuple(sorted(offer.where.items()))) in made,
            }
        )
    return [(knowledge.systems[system], rows) for system, rows in groups.items()]


def _lately(bay: Bay, kept: Kept | None) -> str:
    """The system of the test that was made last, or that was refused just now."""
    refused = kept.values.get("test", "") if kept else ""
    test = refused or (bay.tests[-1].test if bay.tests else "")
    return bay.knowledge.systems[bay.knowledge.tests[test].system] if test in bay.knowledge.tests else ""


def _access(bay: Bay) -> list[tuple[str, str, float, bool]]:
    used = {a for o in offered(bay) for a in bay.way(o.test, o.where).access}
    return [
        (key, shape.title, shape.minutes, key in bay.off)
        for key, shape in bay.knowledge.access.items()
        if key not in PASSING and (key in used or key in bay.off)
    ]


def _repairs(bay: Bay) -> list[tuple[str, list[tuple[str, str]]]]:
    knowledge = bay.knowledge
    groups = dict[str, list[tuple[str, str]]]()
    for key, repair in knowledge.repairs.items():
        if any(not bay.card.rules_out(knowledge.faults[f].needs) for f in repair.cures):
            groups.setdefault(knowledge.systems.get(repair.system, repair.system), []).append(
                (key, repair.title)
            )
    return list(groups.items())


def _arrived(standing: Standing) -> Row:
    """What is known as it comes in: the complaint, the cold, the altitude, what somebody did before."""
    bay = standing.bay
    said = [e["data"] for e in bay.vehicle.arrival if e["kind"] == "symptom"]
    conditions = {e["data"]["name"]: e["data"] for e in bay.vehicle.arrival if e["kind"] == "condition"}
    contexts = [e["data"]["context"] for e in bay.vehicle.arrival if e["kind"] == "context"]
    return {
        "complaints": [bay.knowledge.symptoms[d["symptom"]].title for d in said],
        "ambient": exact(conditions["ambient"]["value"]),
        "altitude": exact(conditions["altitude"]["value"]) if "altitude" in conditions else "",
        "contexts": [bay.knowledge.contexts[c].title for c in contexts],
    }


def _exercise_page(
    request: Request, workshop: Workshop, exercise_id: str, kept: Kept | None = None, status: int = 200
) -> Response:
    standing = standing_of(workshop, exercise_id)
    bay = standing.bay
    exercise = standing.exercise
    record = workshop.training.tapes.job(exercise_id)
    knowledge = workshop.knowledge
    return render(
        request,
        "training/exercise.html",
        status,
        title=f"Training vehicle {bay.spec.number}",
        x=exercise,
        bay=bay,
        card=bay.card,
        arrived=_arrived(standing),
        log=_log(standing, record),
        tests=_tests(bay),
        lately=_lately(bay, kept),
        access=_access(bay),
        state=_warmth(bay),
        piece=knowledge.training.pieces[bay.piece] if bay.piece else None,
        repairs=_repairs(bay),
        road=[(c, knowledge.cautions[c]) for c in DRIVE_TICKS],
        takes={name: round(x) for name, x in TAKES.items()},
        help=HELP[bay.spec.help],
        help_open=help_open(exercise),
        ending=knowledge.training.endings.get(bay.ended),
        caution=knowledge.cautions[knowledge.training.endings[bay.ended].caution]
        if bay.ended in knowledge.training.endings
        else None,
        sure=SURE,
        last=bay.sure[-1] if bay.sure else None,
        currency=workshop.settings.prices().currency,
        kept=_said_somewhere(bay, kept or Kept()),
    )


def _said_somewhere(bay: Bay, kept: Kept) -> Kept:
    """What was refused, said at its form where that is on the page, else on top."""
    drawn = {"part", "drive", "done", *(["sure"] if bay.asks else [])}
    there = not bay.ended and (kept.form in drawn or kept.form.startswith("test-"))
    return kept if there or not kept.form else replace(kept, form="act")


@router.get("/training/{exercise_id}")
def exercise(request: Request, exercise_id: str, workshop: GivenWorkshop) -> Response:
    return _exercise_page(request, workshop, exercise_id)


def _act(form: Form, workshop: Workshop, exercise_id: str) -> Act:
    """The act that a form asks for."""
    act: Act = {"act": form.raw("act")}
    for name in ("access", "test", "point", "node", "repair", "option", "sure"):
        if form.raw(name):
            act[name] = form.raw(name)[:80]
    if ticks := form.all("tick"):
        act["ticks"] = ticks[:20]
    if act["act"] == "fit" and act.get("option") in workshop.knowledge.options:
        act |= _priced(workshop, exercise_id, act["option"])
    return act


def _priced(workshop: Workshop, exercise_id: str, option_id: str) -> Act:
    """What an option costs and takes on this vehicle by now."""
    record = workshop.training.tapes.job(exercise_id)
    offer = offer_of(record.assessed, [workshop.knowledge.options[option_id]], workshop.settings.prices())
    cost = offer.costed.option
    return {
        "parts": offer.costed.parts,
        "minutes": round((cost.labour_h + cost.access_h) * 60, 1),
        "snaps": round(cost.breaks, 3),
        "cylinders": list(offer.cylinders),
    }


@router.post("/training/{exercise_id}/act")
def act(request: Request, exercise_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Do one act on the vehicle."""
    name = form.raw("form") or "act"
    seen = form.whole("seen", 0, 10_000)
    if (owner := workshop.training.exercises.get(exercise_id).person) not in ("", person(request)):
        raise NotAllowed(f"This is {owner}'s exercise: begin the same vehicle by its number.")
    try:
        form.done()
        bay = act_on(workshop, exercise_id, seen or 0, _act(form, workshop, exercise_id))
    except BadInput as error:
        kept = Kept.of(name, error, form.kept)
        if form.raw("act") == "fit":
            return _part_page(
                request, workshop, exercise_id, repair=form.raw("repair"), kept=kept, status=422
            )
        return _exercise_page(request, workshop, exercise_id, kept, 422)
    except Conflict as error:
        kept = Kept.of(name, BadInput([Fault("", str(error))], form.kept), form.kept)
        return _exercise_page(request, workshop, exercise_id, kept, status_of(error))
    if bay.ended in ENDED:
        return RedirectResponse(f"/training/{exercise_id}/after", 303)
    if form.raw("act") == "look":
        return RedirectResponse(f"/jobs/{exercise_id}/narrow", 303)
    return RedirectResponse(f"/training/{exercise_id}{'' if bay.ended else '#log'}", 303)


def _part_page(
    request: Request,
    workshop: Workshop,
    exercise_id: str,
    repair: str,
    kept: Kept | None = None,
    status: int = 200,
) -> Response:
    """A part at the counter: the ways to do it, what each costs and takes, and the cautions of the work."""
    standing = standing_of(workshop, exercise_id)
    knowledge = workshop.knowledge
    if repair not in knowledge.repairs:
        wrong = BadInput([Fault("repair", "choose what you would repair")])
        return _exercise_page(request, workshop, exercise_id, Kept.of("part", wrong, {}), 422)
    bay = standing.bay
    shape = knowledge.repairs[repair]
    options = []
    for option in shape.options.values():
        if option.cures and all(bay.card.rules_out(knowledge.faults[f].needs) for f in option.cures):
            continue
        priced = _priced(workshop, exercise_id, option.id)
        if option.shape.pieces == "failed" and not 0 < len(priced["cylinders"]) < bay.condition.cylinders:
            continue
        named = [(c, knowledge.cautions[c]) for c in cautions_of(knowledge, repair, option.shape.act)]
        options.append(
            {
                "id": option.id,
                "title": option.title,
                "parts": priced["parts"],
                "minutes": round(priced["minutes"]),
                "cylinders": priced["cylinders"],
                "snaps": percent(priced["snaps"]) if priced["snaps"] >= 0.02 else "",
                "ticks": [(c, x) for c, x in named if x.tick],
                "cautions": [x for _, x in named if not x.tick],
            }
        )
    return render(
        request,
        "training/part.html",
        status,
        title=shape.title,
        x=standing.exercise,
        bay=bay,
        repair=repair,
        shape=shape,
        options=options,
        sure=SURE,
        currency=workshop.settings.prices().currency,
        kept=kept or Kept(),
    )


@router.get("/training/{exercise_id}/part")
def part(request: Request, exercise_id: str, workshop: GivenWorkshop, repair: str = "") -> Response:
    return _part_page(request, workshop, exercise_id, repair)


@router.get("/training/{exercise_id}/after")
def after(request: Request, exercise_id: str, workshop: GivenWorkshop) -> Response:
    """What is said afterwards; while the exercise goes on, the exercise."""
    exercise = workshop.training.exercises.get(exercise_id)
    if exercise.ended_at is None:
        return RedirectResponse(f"/training/{exercise_id}", 303)
    told = looked_back(workshop, exercise_id)
    knowledge = workshop.knowledge
    spec = spec_of(exercise.spec)
    mine = [x for x in _results(workshop.training.exercises.listed(person=exercise.person))]
    longest = max([s["minutes"] for s in told["steps"]], default=1.0) or 1.0
    most = max(
        told["minutes"], told["proposals"]["minutes"], told["best"]["minutes"] if told["best"] else 0.0, 1.0
    )
    ways = [
        ("You", told["minutes"], told["tests"]),
        ("The proposals", told["proposals"]["minutes"], len(told["proposals"]["steps"])),
    ]
    if told["best"]:
        ways.append(("The shortest, known only now", told["best"]["minutes"], len(told["best"]["steps"])))
    ending = knowledge.training.endings.get(told["ended"])
    return render(
        request,
        "training/after.html",
        title=f"Afterwards: vehicle {spec.number}",
        shelf="training",
        x=exercise,
        r=told,
        spec=spec,
        lesson=knowledge.training.lessons[told["lesson"]],
        faults=[(f, knowledge.faults[f].title, knowledge.fault_system[f]) for f in told["faults"]],
        came_to=_came_to(told),
        ending=ending,
        caution=knowledge.cautions[ending.caution] if ending else None,
        steps=[
            {
                **step,
                "wide": round(step["minutes"] / longest * 100),
                "was": percent(step["before"]),
                "is": percent(step["after"]),
            }
            for step in told["steps"]
        ],
        ways=[(says, minutes, tests, round(minutes / most * BAR_WIDE, 1)) for says, minutes, tests in ways],
        mine=_sure_view(mine),
        share=_address(spec),
        currency=workshop.settings.prices().currency,
        kept=Kept(),
    )


def _address(spec: Spec) -> str:
    """The address under which the same vehicle stands for anybody of this workshop."""
    asked = {"number": spec.number, "help": spec.help}
    if spec.card is not None:
        asked["card"] = spec.card["name"]
    if not spec.card_known:
        asked["card_known"] = NO_CARD
    return f"/training/new?{urlencode(asked)}"


@router.get("/training/{exercise_id}/file")
def file(exercise_id: str, workshop: GivenWorkshop) -> Response:
    """The exercise as an open file: whoever brings it in trains on the same vehicle."""
    spec = spec_of(workshop.training.exercises.get(exercise_id).spec)
    name = f"vehicle-{spec.number}.fpexercise.json"
    return Response(
        json.dumps(write_spec(spec), indent=1, ensure_ascii=False),
        media_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


@router.post("/training/{exercise_id}/gone")
def gone(request: Request, exercise_id: str, workshop: GivenWorkshop) -> Response:
    """Take an exercise away for good: one's own, or anybody's for who leads."""
    x = workshop.training.exercises.get(exercise_id)
    if x.person != person(request) and not _leads(request):
        raise NotAllowed("Only who made this exercise, or who leads, takes it away.")
    workshop.training.exercises.remove([exercise_id])
    workshop.training.tapes.forget()
    return RedirectResponse("/training", 303)
