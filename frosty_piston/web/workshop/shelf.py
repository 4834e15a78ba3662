"""The shelf: faults, tests, codes, cautions and the workshop's own patterns, to search, read and print."""

from datetime import date
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.codes import decode
from frosty_piston.core.errors import BadInput, NotHere
from frosty_piston.core.quantity import percent
from frosty_piston.core.telling import TellingLimits
from frosty_piston.core.words import inside
from frosty_piston.job.afterwards.experience import LEAST_TIMES, MOST_TIMES, OwnCode
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.completeness import proving_tests
from frosty_piston.knowledge.finding import TestFinding
from frosty_piston.store.daily import copies
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop, Number
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.frame.page import Kept, person, render
from frosty_piston.web.frame.signed_in import person_of
from frosty_piston.web.job.narrow import KINDS

router = APIRouter()
SPEAKS_CHANCE = 0.1


def scale_word(knowledge: Knowledge, chance: float) -> str:
    """The word of the scale nearest to a chance, with the figure beside it."""
    word = min(knowledge.scale, key=lambda w: abs(knowledge.scale[w] - chance))
    return f"{word.replace('_', ' ')}, {percent(chance)}"


def by_system(knowledge: Knowledge, rows: list[tuple[str, str, str]]) -> list[dict[str, Any]]:
    """Rows of (system, id, title) under their systems, in the order of the knowledge files."""
    return [
        {"title": title, "rows": of_system}
        for key, title in knowledge.systems.items()
        if (of_system := [(i, t) for s, i, t in rows if s == key])
    ]


def fault_view(workshop: Workshop, fault: str) -> dict[str, Any]:
    knowledge = workshop.knowledge
    shape = knowledge.faults.get(fault)
    if shape is None:
        raise NotHere("There is no such fault.")
    symptoms = sorted(
        (
            (float(knowledge.symptom_findings[key].shows[fault][1]), key)
            for key in knowledge.symptoms
            if fault in knowledge.symptom_findings[key].shows
        ),
        reverse=True,
    )
    groups = sorted(
        (
            (float(knowledge.group_findings[key].shows[fault][1]), key)
            for key in knowledge.groups
            if fault in knowledge.group_findings[key].shows
        ),
        reverse=True,
    )
    proves: dict[str, dict[str, Any]] = {}
    for test, known, outcome, times in proving_tests(knowledge, fault):
        proves.setdefault(
            test,
            {
                "test": test,
                "title": knowledge.tests[test].title,
                "outcome": outcome.removeprefix("all_").replace("_", " "),
                "times": f"{times:.0f}",
                "because": _because(known, fault),
            },
        )
    clears = {
        test: {
            "test": test,
            "title": knowledge.tests[test].title,
            "outcome": known.finding.outcomes[0].replace("_", " "),
            "times": f"{known.finding.general[0] / row[0]:.0f}",
        }
        for test, findings in knowledge.findings.items()
        for known in findings
        if (row := known.finding.shows.get(fault)) is not None
        and knowledge.limits(TellingLimits).clears(row[0], known.finding.general[0])
    }
    kills = [
        (f, knowledge.faults[f].title, because)
        for f, s in knowledge.faults.items()
        if fault in s.killed_by
        for _, because in [s.killed_by[fault]]
    ]
    return {
        "id": fault,
        "shape": shape,
        "system": knowledge.systems[knowledge.fault_system[fault]],
        "repair": knowledge.repairs[knowledge.repair_of[fault]].shape,
        "part": knowledge.parts[shape.part].title,
        "symptoms": [
            (
                knowledge.symptoms[key].title,
                scale_word(knowledge, chance),
                knowledge.symptoms[key].speaks[fault][1],
            )
            for chance, key in symptoms
        ],
        "groups": [
            (
                knowledge.groups[key].title,
                scale_word(knowledge, p),
                [c.code for c in knowledge.codes.values() if c.group == key][:6],
            )
            for p, key in groups
            if p >= SPEAKS_CHANCE
        ],
        "proves": list(proves.values()),
        "clears": sorted(clears.values(), key=lambda c: -float(c["times"])),
        "kills": kills,
        "killed_by": [(f, knowledge.faults[f].title, why) for f, (_, why) in shape.killed_by.items()],
        "contexts": [
            (context.title, context.moves[fault][0], context.moves[fault][1])
            for context in knowledge.contexts.values()
            if fault in context.moves
        ],
        "patterns": [p for p in workshop.shelf.experience.patterns if p.fault == fault],
        "base": f"{shape.per_thousand:g}",
    }


def _because(known: TestFinding, fault: str) -> str:
    return next(s.because for s in known.shape.speaks if s.fault == fault)


def test_view(workshop: Workshop, test: str) -> dict[str, Any]:
    knowledge = workshop.knowledge
    shape = knowledge.tests.get(test)
    if shape is None:
        raise NotHere("There is no such test.")
    findings = []
    telling = knowledge.limits(TellingLimits)
    for known in knowledge.findings[test]:
        rows = []
        for at, outcome in enumerate(known.finding.outcomes):
            general = float(known.finding.general[at])
            told = sorted(
                (
                    (float(row[at]), fault)
                    for fault, row in known.finding.shows.items()
                    if telling.speaks(float(row[at]), general, best=at == 0)
                ),
                reverse=at > 0,
            )
            rows.append(
                {
                    "outcome": outcome.removeprefix("all_").replace("_", " "),
                    "general": percent(general),
                    "against": at == 0,
                    "faults": [
                        (f, knowledge.faults[f].title, scale_word(knowledge, chance), _because(known, f))
                        for chance, f in told
                    ],
                }
            )
        findings.append({"name": known.shape.name, "rows": rows})
    return {
        "id": test,
        "shape": shape,
        "system": knowledge.systems[shape.system],
        "findings": findings,
        "parts": [p.title for p in knowledge.parts.values() if test in p.tests],
        "access": [(knowledge.access[a].title, knowledge.access[a].minutes) for a in shape.access],
        "tools": [knowledge.tools[t] for t in shape.tools],
    }


def codes_view(workshop: Workshop, asked: str = "") -> dict[str, Any]:
    knowledge = workshop.knowledge
    rows = [
        {
            "code": code.code,
            "title": code.title,
            "system": knowledge.systems[code.system],
            "kind": KINDS[code.kind][0],
            "group": knowledge.groups[code.group].title,
        }
        for code in sorted(knowledge.codes.values(), key=lambda c: c.code)
    ]
    return {
        "codes": rows,
        "own": [
            (own_code, knowledge.systems[own_code.system], KINDS[own_code.kind][0])
            for own_code in workshop.shelf.experience.codes.values()
        ],
        "asked": asked[:8],
        "system_choices": list(knowledge.systems.items()),
        "kind_choices": [(key, KINDS[key][0]) for key in KINDS if key and key != "unit"],
    }


def figures_view(workshop: Workshop) -> dict[str, Any]:
    """Every figure that judges, by area, with what the engine cards say instead."""
    knowledge = workshop.knowledge
    cards = [card for _, card in workshop.garage.cards()]
    return {
        "areas": [
            {
                "id": area,
                "title": title,
                "rows": [
                    (row, [(c.name, own) for c in cards if (own := c.limit(row.card)) is not None])
                    for row in knowledge.figures.values()
                    if row.area == area
                ],
                "tables": knowledge.limit_rows.tables.get(area, ()),
            }
            for area, title in knowledge.limit_rows.titles.items()
        ]
    }


def patterns_view(workshop: Workshop) -> dict[str, Any]:
    knowledge = workshop.knowledge
    experience = workshop.shelf.experience
    cards = list(
        dict.fromkeys(
            [card.name for _, card in workshop.garage.cards()] + [p.engine for p in experience.patterns]
        )
    )
    return {
        "patterns": [(p, knowledge.faults[p.fault].title) for p in experience.patterns],
        "ended": [
            (p, knowledge.faults[p.fault].title, by, at) for p, by, at in workshop.shelf.ended_patterns()
        ],
        "cards": cards,
        "fault_choices": [
            (key, f"{fault.title} ({inside(knowledge.systems[knowledge.fault_system[key]])})")
            for key, fault in knowledge.faults.items()
        ],
        "least": f"{LEAST_TIMES:g}",
        "most": f"{MOST_TIMES:g}",
    }


def copies_view(workshop: Workshop) -> dict[str, Any]:
    """The daily copies, and whether the newest is older than it may be."""
    there = copies(workshop.folder)
    today = date.today()
    return {
        "copies": [(c, _age(c.day, today), f"{c.size / 1e6:.1f} MB") for c in there],
        "overdue": not there or (today - there[0].day).days > 1,
        "folder": workshop.folder,
    }


def _age(day: date, today: date) -> str:
    days = (today - day).days
    return {0: "today", 1: "yesterday"}.get(days) or f"{days} days ago"


def _page(
    request: Request, name: str, title: str, view: dict[str, Any], kept: Kept | None = None, status: int = 200
) -> Response:
    return render(request, f"shelf/{name}.html", status, shelf=name, title=title, kept=kept or Kept(), **view)


@router.get("/shelf")
def shelf(request: Request, workshop: GivenWorkshop) -> Response:
    knowledge = workshop.knowledge
    experience = workshop.shelf.experience
    counts = {
        "faults": len(knowledge.faults),
        "tests": len(knowledge.tests),
        "codes": len(knowledge.codes) + len(experience.codes),
        "cautions": len(knowledge.cautions),
        "figures": len(knowledge.figures),
        "patterns": len(experience.patterns),
    }
    systems = by_system(
        knowledge, [(knowledge.fault_system[f], f, s.title) for f, s in knowledge.faults.items()]
    )
    return _page(request, "start", "Shelf", {"counts": counts, "systems": systems, **copies_view(workshop)})


@router.get("/shelf/faults")
def faults(request: Request, workshop: GivenWorkshop) -> Response:
    knowledge = workshop.knowledge
    return _page(
        request,
        "faults",
        "Faults",
        {
            "systems": by_system(
                knowledge, [(knowledge.fault_system[f], f, s.title) for f, s in knowledge.faults.items()]
            )
        },
    )


@router.get("/shelf/faults/{fault}")
def one_fault(request: Request, fault: str, workshop: GivenWorkshop) -> Response:
    view = fault_view(workshop, fault)
    return _page(request, "fault", view["shape"].title, view)


@router.get("/shelf/tests")
def tests(request: Request, workshop: GivenWorkshop) -> Response:
    knowledge = workshop.knowledge
    return _page(
        request,
        "tests",
        "Tests",
        {"systems": by_system(knowledge, [(t.system, key, t.title) for key, t in knowledge.tests.items()])},
    )


@router.get("/shelf/tests/{test}")
def one_test(request: Request, test: str, workshop: GivenWorkshop) -> Response:
    view = test_view(workshop, test)
    return _page(request, "test", view["shape"].title, view)


@router.get("/shelf/codes")
def codes(request: Request, workshop: GivenWorkshop, code: str = "") -> Response:
    return _page(request, "codes", "Codes", codes_view(workshop, code))


@router.post("/shelf/codes")
def save_code(request: Request, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Keep the workshop's own text for a maker's own code."""
    knowledge = workshop.knowledge
    code = form.text("code", 12, "type the code, as P1234")
    if code:
        try:
            code = decode(code).code
        except ValueError as error:
            form.wrong("code", str(error))
        else:
            if code in knowledge.codes:
                form.wrong("code", f"{code} is known already: {knowledge.codes[code].title}")
    text = form.text("text", 200, "write what it means, from your service data")
    system = form.choice("system", knowledge.systems)
    kind = form.choice("kind", [key for key in KINDS if key and key != "unit"])
    by = form.text("by", 80, "say who writes it")
    _own_name(request, form)
    try:
        form.done()
    except BadInput as error:
        return _page(
            request,
            "codes",
            "Codes",
            codes_view(workshop, form.raw("code")),
            Kept.of("code", error, form.kept),
            422,
        )
    assert code and text and system and kind and by
    workshop.shelf.save_code(OwnCode(code, text, system, kind, by))
    return RedirectResponse("/shelf/codes", 303)


@router.post("/shelf/codes/{code}/drop")
def drop_code(code: str, workshop: GivenWorkshop) -> Response:
    workshop.shelf.drop_code(code)
    return RedirectResponse("/shelf/codes", 303)


def _own_name(request: Request, form: Form) -> None:
    """Where people sign in, nobody writes under another name."""
    me = person_of(request)
    if me is not None and form.raw("by") not in ("", me.name):
        form.wrong("by", f"you are signed in as {me.name}")


@router.get("/shelf/cautions")
def cautions(request: Request, workshop: GivenWorkshop) -> Response:
    knowledge = workshop.knowledge
    rows = [
        {
            "id": key,
            "shape": caution,
            "tests": [(t, s.title) for t, s in knowledge.tests.items() if key in (*s.cautions, *s.if_failed)],
        }
        for key, caution in knowledge.cautions.items()
    ]
    return _page(request, "cautions", "Cautions", {"rows": rows})


@router.get("/shelf/figures")
def figures(request: Request, workshop: GivenWorkshop) -> Response:
    return _page(request, "figures", "Figures", figures_view(workshop))


@router.get("/shelf/patterns")
def patterns(request: Request, workshop: GivenWorkshop, fault: str = "", engine: str = "") -> Response:
    return _page(
        request,
        "patterns",
        "Workshop patterns",
        patterns_view(workshop) | {"asked_fault": fault, "asked_engine": engine},
    )


@router.post("/shelf/patterns")
def add_pattern(request: Request, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Write a pattern of the workshop's own down; all that is wrong shows at once."""
    _own_name(request, form)
    times = form.figure("times", "", LEAST_TIMES, MOST_TIMES, needed=True)
    try:
        if form.faults:
            workshop.shelf.check_pattern(
                form.raw("engine"), form.raw("fault"), form.raw("by"), form.raw("why"), form.faults
            )
        assert times is not None
        workshop.shelf.add_pattern(
            form.raw("engine"),
            form.raw("fault"),
            times,
            form.raw("by"),
            form.raw("why"),
            key=form.key or None,
        )
    except BadInput as error:
        return _page(
            request,
            "patterns",
            "Workshop patterns",
            patterns_view(workshop) | {"asked_fault": "", "asked_engine": ""},
            Kept.of("pattern", error, form.kept),
            422,
        )
    return RedirectResponse("/shelf/patterns", 303)


@router.post("/shelf/patterns/{number}/end")
def end_pattern(request: Request, number: Number, workshop: GivenWorkshop) -> Response:
    workshop.shelf.end_pattern(number, person(request) or "nobody named")
    return RedirectResponse("/shelf/patterns", 303)
