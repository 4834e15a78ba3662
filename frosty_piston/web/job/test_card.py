"""The card of a test without a bench of its own: what to do, what it would settle, how its result is written
down."""

import math
from typing import Annotated, Any

from frosty_piston.core.codes import decode
from frosty_piston.core.errors import NotHere
from frosty_piston.core.holding import least_wait_s
from frosty_piston.core.quantity import plain
from frosty_piston.core.telling import TellingLimits
from frosty_piston.core.vacuum import VacuumLimits
from frosty_piston.core.words import sentence
from frosty_piston.job.entries import Code, Reading, Tick
from frosty_piston.job.judging.result import Result
from frosty_piston.job.place import bench_of
from frosty_piston.job.repair.contacts import comes_and_goes
from frosty_piston.job.weighing.evidence import part_of
from frosty_piston.job.weighing.stopping import CAUTION, LEVER, stop_bar
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.finding import TestFinding
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Fields, Form, figure, known, line

from . import gauge
from .cells import Cell, Filled, bar_to, conditions_of, fill

USUAL_ML = 55.0
SPEAKS_SHOWN = 4


def fitted_nodes(record: JobRecord, knowledge: Knowledge, test: str) -> list[tuple[str, str]]:
    """The parts a test can be made on, on this vehicle: id and title."""
    if "node" not in knowledge.tests[test].where:
        return []
    named = [n for f in knowledge.findings[test] for n in f.shape.nodes] or list(knowledge.nodes)
    return [
        (n, knowledge.nodes[n].title)
        for n in dict.fromkeys(named)
        if not record.job.engine.rules_out(knowledge.nodes[n].needs)
    ]


def card_view(record: JobRecord, workshop: Workshop, test: str, asked: Form) -> dict[str, Any]:
    """What a card shows. `asked` brings the part and whether it is hot, from the address or the form."""
    knowledge = workshop.knowledge
    shape = knowledge.tests.get(test)
    if shape is None:
        raise NotHere("There is no such test.")
    nodes = fitted_nodes(record, knowledge, test)
    if asked.raw("node") in dict(nodes):
        node = asked.raw("node")
    elif nodes:
        node = nodes[0][0]
    else:
        node = ""
    hot = asked.raw("part_hot") == "yes" and any(f.shape.hot is not None for f in knowledge.findings[test])
    findings = [
        fault
        for fault in knowledge.findings[test]
        if (not fault.shape.nodes or node in fault.shape.nodes) and fault.shape.hot in (None, hot)
    ]
    proposal = next(
        (
            n
            for n in record.assessed.proposals.next_tests
            if n.test == test and n.where.get("node", node) == node
        ),
        None,
    )
    filled = fill(record, cells_of(record, knowledge, test, node, hot))
    mine = beside_cells(record, knowledge, test, node, filled)
    key = f"{test}-{node}" if node else test
    return {
        "bench": "test",
        "test": test,
        "comes_and_goes": comes_and_goes(record.job, workshop.knowledge, record.assessed.now),
        "present_said": asked.raw("present"),
        "shape": shape,
        "nodes": nodes,
        "node": node,
        "hot": hot,
        "can_be_hot": any(f.shape.hot is not None for f in knowledge.findings[test]),
        "cells": filled,
        "cylinders": (
            [(str(c), str(c)) for c in range(1, record.job.cylinders + 1)]
            if "cylinder" in shape.where
            else []
        ),
        "possible": record.assessed.suspicion.space.place,
        "settles": [s for f in findings for s in _settles(knowledge, f)],
        "proposal": proposal,
        "gauge": gauge_view(record, workshop, test) if by_gauge(knowledge, test) else None,
        "cautions": knowledge.cautions_at(test, node),
        **stop_view(record, knowledge, [test]),
        "asks": knowledge.asked_at(test, node),
        "ticked": {x.data.caution for x in record.job.of(Tick)},
        "back": f"/jobs/{record.job.id}/measure/test/{test}",
        "mine": mine,
        "key": key,
        "sections": [{"key": key, "cells": filled, "mine": mine}],
        "codes_before": codes_before(record),
    }


def stop_view(record: JobRecord, knowledge: Knowledge, tests: list[str]) -> dict[str, Any]:
    """What must be known before the engine runs for some tests, and where that is found out."""
    here = LEVER in tests
    lever = "" if here else f"/jobs/{record.job.id}/measure/{bench_of(knowledge, LEVER)}#step-{LEVER}"
    return {"stop_bar": stop_bar(record.job, knowledge, tests), "lever_link": lever}


def gauge_view(record: JobRecord, workshop: Workshop, test: str) -> dict[str, Any]:
    """What the vacuum gauge is read in, what else it could be, and how long a hold test must last."""
    limits = record.assessed.readings.limits(VacuumLimits)
    holds = "start_kpa" in workshop.knowledge.tests[test].figures
    branch = workshop.knowledge.tests[test].blocks
    wait = least_wait_s(
        limits,
        limits.hold_level_kpa,
        limits.hold_gauge_kpa,
        volume_ml=USUAL_ML,
        usual_ml=USUAL_ML,
        branch=branch,
    )
    return {
        "least_wait": plain(math.ceil(wait)) if holds else "",
        "step": plain(limits.hold_gauge_kpa),
        "unit": gauge.gauge_said(record.job, workshop),
        "units": gauge.UNITS,
        "names": gauge.READ_BY_GAUGE,
    }


def beside_cells(
    record: JobRecord, knowledge: Knowledge, test: str, node: str, filled: list[Filled]
) -> list[Result]:
    """The verdicts of a test that stand in none of its cells: those of sets, and of what was seen."""
    in_cells = {x.entry.id for x in filled if x.entry and x.verdict}
    return [
        verdict
        for verdict in record.assessed.now
        if verdict.test == test
        and of_node(record, knowledge, verdict, node)
        and not (len(verdict.entries) == 1 and verdict.entries[0] in in_cells)
    ]


def of_node(record: JobRecord, knowledge: Knowledge, verdict: Result, node: str) -> bool:
    return not node or part_of(record.job, knowledge, verdict) in (node, None)


def cells_of(record: JobRecord, knowledge: Knowledge, test: str, node: str, hot: bool) -> list[Cell]:
    """A cell for every place a figure of the test can be read at."""
    shape = knowledge.tests[test]
    if not shape.units:
        return []
    points = [p for p in shape.points if p not in shape.outcomes]
    spots: list[dict[str, Any]] = (
        [{"channel": c} for c in shape.channels]
        or [{"pin": p} for p in shape.pins]
        or [{"point": p} for p in points]
        or [{}]
    )
    if "cylinder" in shape.where:
        spots = [{**spot, "cylinder": c} for c in range(1, record.job.cylinders + 1) for spot in spots]
    cells = []
    for spot in spots:
        name = str(next((spot[key] for key in ("channel", "pin", "point") if key in spot), ""))
        label = ", ".join(
            filter(
                None, (f"Cylinder {spot['cylinder']}" if "cylinder" in spot else "", name.replace("_", " "))
            )
        )
        where = {**({"node": node} if node else {}), **spot}
        cells.append(
            Cell(
                test,
                sentence(label) or shape.title.split(",")[0],
                shape.cell_units.get(name) or unit_liked(record, shape.units),
                where,
                conditions={"part_hot": True} if hot else {},
            )
        )
    return cells


def unit_liked(record: JobRecord, units: list[str]) -> str:
    """Of the units that a test is read in, the one that was typed last on this job; else its first."""
    typed = [x.data.unit for x in record.job.of(Reading)]
    return next((unit for unit in reversed(typed) if unit in units), units[0])


def _settles(knowledge: Knowledge, known: TestFinding) -> list[dict[str, Any]]:
    """What each outcome of a finding speaks for, and the best one against."""
    telling = knowledge.limits(TellingLimits)
    rows = []
    for at, name in enumerate(known.finding.outcomes):
        general = known.finding.general[at]
        ratios = sorted(
            ((float(row[at] / general), fault) for fault, row in known.finding.shows.items()), reverse=at > 0
        )
        told = [fault for ratio, fault in ratios if telling.speaks(ratio, 1.0, best=at == 0)][:SPEAKS_SHOWN]
        if told:
            rows.append(
                {
                    "outcome": name.removeprefix("all_").replace("_", " "),
                    "against": at == 0,
                    "faults": [(f, knowledge.faults[f].title) for f in told],
                }
            )
    return rows


def codes_before(record: JobRecord) -> list[str]:
    """The codes that stand on the tape, for the test that clears them and waits for the first one back."""
    return list(dict.fromkeys(decode(x.data.code).code for x in record.job.of(Code)))


def where_of_form(form: Form, record: JobRecord) -> dict[str, Any]:
    """Where an outcome was seen: part, cylinder, point, pin as the form gives them."""
    cylinder = form.whole("cylinder", 1, record.job.cylinders)
    given = (
        ("point", form.raw("point") or None),
        ("cylinder", cylinder),
        ("node", form.text("node", 80)),
        ("pin", form.text("pin", 40)),
    )
    return {key: value for key, value in given if value}


class OutcomeForm(Fields):
    test: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.tests)]
    note: Annotated[str | None, line(400)]


def outcome(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A named result: a lamp lit or dark, a click, a tip that glows."""
    fields = form.read(OutcomeForm, record, workshop)
    knowledge = workshop.knowledge
    form.done()
    assert fields.test is not None
    result = form.choice("outcome", knowledge.tests[fields.test].outcomes)
    if bar := bar_to(record, knowledge, fields.test, form.raw("node"), form.raw("pin")):
        form.wrong("outcome", bar)
    if result in knowledge.tests[fields.test].asks_why and not fields.note:
        form.wrong("note", "say why, as: its cable is gone")
    where = where_of_form(form, record)
    note = fields.note
    conditions = conditions_of(form)
    form.done()
    return [
        form.entry(
            "outcome",
            {
                "test": fields.test,
                "where": where,
                "outcome": result,
                "conditions": conditions,
                "note": note,
            },
        )
    ]


class WayForm(Fields):
    how: Annotated[str | None, line(400, "write how the air will be closed, and who stands at it")]


def way(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """How the engine will be stopped, written down with the tick."""
    fields = form.read(WayForm, record, workshop)
    form.done()
    return [form.entry("tick", {"caution": CAUTION, "how": fields.how})]


class FiguresForm(Fields):
    test: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.tests)]


def by_gauge(knowledge: Knowledge, test: str) -> bool:
    """Whether the figures of a test are read on a vacuum gauge."""
    return bool({"vacuum_gauge", "vacuum_pump"} & set(knowledge.tests[test].tools)) and bool(
        set(gauge.READ_BY_GAUGE) & set(knowledge.tests[test].figures)
    )


def figures(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Several figures of one act."""
    fields = form.read(FiguresForm, record, workshop)
    knowledge = workshop.knowledge
    form.done()
    assert fields.test is not None
    shown: dict[str, Any] = {}
    if bar := bar_to(record, knowledge, fields.test, form.raw("node"), form.raw("pin")):
        form.wrong(knowledge.tests[fields.test].figures[0], bar)
    for name in knowledge.tests[fields.test].figures:
        if name == "dosing":
            shown[name] = form.raw(name) == "yes"
        elif name in knowledge.tests[fields.test].flags:
            if answer := form.choice(name, ("yes", "no"), needed=False):
                shown[name] = answer == "yes"
        elif by_gauge(knowledge, fields.test) and name in gauge.READ_BY_GAUGE:
            if (kpa := gauge.read_vacuum(form, name, record, workshop)) is not None:
                shown[name] = round(kpa, 3)
        elif (value := form.figure(name, "", -1e6, 1e6)) is not None:
            shown[name] = value
    if not form.faults and not any(key != "dosing" for key in shown):
        form.wrong(
            knowledge.tests[fields.test].figures[0] if knowledge.tests[fields.test].figures else "test",
            "type at least one figure",
        )
    where = where_of_form(form, record)
    note = form.text("note", 400)
    read_in = gauge.gauge_entry(form, record, workshop) if by_gauge(knowledge, fields.test) else []
    conditions = conditions_of(form)
    form.done()
    seen = {"test": fields.test, "where": where, "figures": shown, "conditions": conditions, "note": note}
    return [*read_in, form.entry("outcome", seen)]


class ReturnedForm(Fields):
    distance_km: Annotated[float | None, figure("km", 0, 10000, needed=True)]
    conditions: Annotated[str | None, line(200)]


def returned(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Which code came back first: clearing, drive and codes in one form."""
    fields = form.read(ReturnedForm, record, workshop)
    codes = []
    for text in form.raw("codes_back").replace(",", " ").split():
        try:
            codes.append(decode(text).code)
        except ValueError as error:
            form.wrong("codes_back", str(error))
    form.done()
    entries = []
    if not any(x.kind == "code_clear" for x in record.job.live):
        entries.append(
            form.entry("code_clear", {"module": "all", "reason": "cleared to see which comes back"}, "clear")
        )
    return [
        *entries,
        form.entry(
            "drive", {"distance_km": fields.distance_km, "conditions": fields.conditions, "codes_back": codes}
        ),
    ]


FORMS = {"way": way, "outcome": outcome, "figures": figures, "returned": returned}
