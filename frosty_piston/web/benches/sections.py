"""Benches whose tests are sections, each with a form of its own: what is driven, timed, looked at and
cleaned."""

from collections.abc import Callable
from typing import Annotated, Any

from frosty_piston.core.quantity import plain
from frosty_piston.core.vacuum import VacuumLimits, friction_kpa, travel_of
from frosty_piston.job.entries import Outcome, Tick
from frosty_piston.job.repair import tampering
from frosty_piston.job.repair.cleaning import cleaning_log
from frosty_piston.job.weighing.turbo_question import part_or_turbo
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.shapes import CleaningShape
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Fields, Form, figure, known, line, one_of
from frosty_piston.web.job import test_card
from frosty_piston.web.job.cells import fill

from .bench import Bench, steps_of
from .recorded import Drawn, loop_of, recordings_of

DRAWING = "measure/_air_drawing.html"
TRAVEL_KPA = 80.0
Draws = Callable[[JobRecord, Workshop], Drawn]


def sectioned(bench: str, draws: Draws) -> Bench:
    """A bench of sections with its drawing."""

    def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
        return section_view(record, workshop, bench, draws)

    return Bench("measure/_air.html", shows, (DRAWING,), query=lambda test, point: "", sections=True)


def section_view(record: JobRecord, workshop: Workshop, bench: str, draws: Draws) -> dict[str, Any]:
    """What a bench of sections prints."""
    knowledge = workshop.knowledge
    shape = knowledge.benches[bench]
    ticked = {x.data.caution for x in record.job.of(Tick)}
    sections = [
        one_section(record, workshop, bench, test, node) for test, node in steps_of(record, workshop, bench)
    ]
    cautions = list(dict.fromkeys(c for s in sections for c in s["cautions"]))
    asked: set[str] = set()
    for section in sections:
        section["asks"] = [c for c in section["asks"] if c not in asked]
        asked |= set(section["asks"])
    nodes = tuple(node for node, _, _ in shape.cleans)
    return {
        "bench": bench,
        "bench_title": shape.title,
        "sections": sections,
        "cells": [x for s in sections for x in s["cells"]],
        "cautions": cautions,
        **test_card.stop_view(record, knowledge, [s["test"] for s in sections]),
        "ticked": ticked,
        "drawn": draws(record, workshop),
        "traces": recordings_of(record, workshop, bench),
        "cleans": [c[:2] for c in shape.cleans],
        "ways": (ways := ways_for(knowledge, nodes)),
        "way_cautions": list(dict.fromkeys(c for w in ways.values() for c in w.cautions)),
        "log": cleaning_log(record.job, nodes) if nodes else None,
        "tampering": tampering.found(record.job),
        "question": part_or_turbo(record.assessed) if shape.asks_turbo else None,
    }


def ways_for(knowledge: Knowledge, nodes: tuple[str, ...]) -> dict[str, CleaningShape]:
    """The ways in which some parts are cleaned: their own where they have any."""
    own = {key: w for key, w in knowledge.cleaning.items() if set(w.parts) & set(nodes)}
    return own or {key: w for key, w in knowledge.cleaning.items() if not w.parts}


def one_section(record: JobRecord, workshop: Workshop, bench: str, test: str, node: str) -> dict[str, Any]:
    """A test of the bench: its cells, and the verdicts that stand in none of them."""
    knowledge = workshop.knowledge
    cells = fill(record, test_card.cells_of(record, knowledge, test, node, False))
    return {
        "test": test,
        "node": node,
        "shape": knowledge.tests[test],
        "asks": knowledge.asked_at(test, node),
        "cautions": knowledge.cautions_at(test, node),
        "cells": cells,
        "mine": test_card.beside_cells(record, knowledge, test, node, cells),
        "travel": travel(record, node) if knowledge.tests[test].by_vacuum else None,
        "loop": loop_of(record, workshop, bench, node) if knowledge.tests[test].sweeps else None,
        "key": f"{test}-{node}" if node else test,
        "number": 0,
        "at": "",
        "shut": "",
        "gauge": test_card.gauge_view(record, workshop, test)
        if test_card.by_gauge(knowledge, test)
        else None,
    }


def travel(record: JobRecord, node: str) -> Drawn | None:
    """Travel of a vacuum actuator against vacuum, the way up and the way down apart, with the marks by which
    it must start and be full."""
    ways: dict[bool, list[tuple[float, float]]] = {True: [], False: []}
    for x in record.job.of(Outcome):
        f = x.data.figures or {}
        if x.data.test == "vacuum_travel" and x.data.where.node == node and "kpa" in f and "mm" in f:
            ways[bool(f.get("stroke_up", True))].append((abs(float(f["kpa"])), float(f["mm"])))
    top = max(range(len(ways[True])), key=lambda n: ways[True][n][0], default=0)
    if not ways[False] and top < len(ways[True]) - 1:  # noted in one go: down again after the highest
        ways = {True: ways[True][: top + 1], False: ways[True][top:]}
    noted = [*ways[True], *ways[False]]
    if len(noted) < 2:
        return None
    limits = record.assessed.readings.limits(VacuumLimits)
    most = max(mm for _, mm in noted) or 1.0
    found = travel_of(ways[True], limits) or travel_of(ways[False], limits)
    rubs = friction_kpa(ways[True], ways[False])

    def at(kpa: float, mm: float) -> tuple[float, float]:
        return round(kpa / TRAVEL_KPA * 240, 1), round(120 - mm / most * 105, 1)

    def path(points: list[tuple[float, float]]) -> str:
        rows = [at(*p) for p in sorted(points)]
        return "M" + "L".join(f"{x} {y}" for x, y in rows) if len(rows) > 1 else ""

    return {
        "up": path(ways[True]),
        "down": path(ways[False]),
        "dots": [at(*p) for p in dict.fromkeys(noted)],
        "most": plain(most),
        "ticks": [(p, round(p / TRAVEL_KPA * 240)) for p in (0, 20, 40, 60, 80)],
        "bands": [
            {"x": 0, "width": at(limits.travel_starts_kpa, 0)[0], "y": 109, "name": "starts by"},
            {"x": 0, "width": at(limits.travel_full_kpa, 0)[0], "y": 9, "name": "full by"},
        ],
        "says": (
            f"Starts at {plain(found.starts_kpa)} kPa, full at {plain(found.full_kpa)},"
            f" {plain(found.stroke_mm)} mm."
            if found
            else "Three points of one way at least: before it moves, half way, at the end."
        )
        + (f" {plain(rubs)} kPa more up than down at half the stroke." if rubs is not None else ""),
    }


class CleaningForm(Fields):
    way: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.cleaning)]
    minutes: Annotated[float | None, figure("", 0.5, 6000, needed=True)]
    measured: Annotated[str | None, line(80)]
    unit: Annotated[str | None, line(16)]
    before: Annotated[float | None, figure("", 0, 1000000.0)]
    after: Annotated[float | None, figure("", 0, 1000000.0)]


def cleaning(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A turn of cleaning with its time, and what was measured before and after it."""
    fields = form.read(CleaningForm, record, workshop)
    shape = workshop.knowledge.benches.get(form.raw("bench"))
    node = form.choice("node", [n for n, _, _ in shape.cleans] if shape else [])
    if (fields.before is None) != (fields.after is None):
        form.wrong(
            "after" if fields.after is None else "before",
            "before and after stand together; leave both empty when nothing was measured",
        )
    if fields.before is not None and not fields.measured:
        form.wrong("measured", "say what was measured, as: free width of the port")
    form.done()
    assert shape is not None and node is not None
    _, what, repair = next(c for c in shape.cleans if c[0] == node)
    back_in = {"repair": repair} if form.raw("back_in") == "yes" else {}
    turn = {
        "way": fields.way,
        "minutes": fields.minutes,
        "measured": fields.measured,
        "unit": fields.unit,
        "before": fields.before,
        "after": fields.after,
    }
    return [
        form.entry(
            "action",
            {
                "action": "cleaned",
                "what": what,
                "where": {"node": node},
                **back_in,
                "cleaning": {key: v for key, v in turn.items() if v is not None},
            },
        )
    ]


class PlugForm(Fields):
    node: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.nodes)]
    action: Annotated[str | None, one_of("unplugged", "plugged_in")]


def plug(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A part unplugged or plugged in again: codes that come in between are of one's own making."""
    fields = form.read(PlugForm, record, workshop)
    knowledge = workshop.knowledge
    form.done()
    assert fields.node is not None
    return [
        form.entry(
            "action",
            {
                "action": fields.action,
                "what": knowledge.nodes[fields.node].title,
                "where": {"node": fields.node},
            },
        )
    ]


class TamperedForm(Fields):
    place: Annotated[str | None, line(120, "say where")]
    seen: Annotated[str | None, line(1000, "say what is there, or what is missing")]
    picture: Annotated[str | None, line(200, "say what the picture shows, and where it is kept")]
    owner: Annotated[str | None, one_of("accepted", "declined", "not_told")]


def tampered(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Emission equipment found removed or deceived: place, what the picture shows, and the owner's word on
    being told in writing."""
    fields = form.read(TamperedForm, record, workshop)
    form.done()
    text = f"Emission equipment removed or deceived: {fields.seen}. It is put right, or it is not legal."
    data = {"text": text, "urgency": "stop", "place": fields.place, "picture": fields.picture}
    return [form.entry("warning", {**data, "owner": fields.owner, "about": "tampering"})]


FORMS = {"cleaning": cleaning, "plug": plug, "tampered": tampered}
