"""What comes and goes: wiggled with a log of its dropouts before anything is unplugged, then looked into,
gripped cavity by cavity, and swapped."""

from typing import Any

from frosty_piston.core.quantity import plain
from frosty_piston.job.entries import Outcome, Symptom, Tick
from frosty_piston.job.entries.kind import code_fault
from frosty_piston.job.repair.contacts import contact_faults, opened
from frosty_piston.job.weighing.codes_seen import cylinders_named
from frosty_piston.job.weighing.evidence import part_of
from frosty_piston.job.weighing.proof_evidence import returns_of
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.job import test_card

from .bench import Bench, steps_of
from .sections import one_section

WIGGLE = "wiggle"
LOOK = "connector_look"
GRIP = "terminal_fit"
CLEAN = "runs_clean_between"
MOST_ROWS = 6
MOST_CAVITIES = 40
USUAL = (1, 2)
COUNTED_IN = (("distance_km", "km"), ("starts", "starts"), ("hours", "h"), ("minutes", "min"))


def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    knowledge = workshop.knowledge
    nodes = test_card.fitted_nodes(record, knowledge, WIGGLE)
    node = asked.raw("node") if asked.raw("node") in dict(nodes) else _likeliest(record, knowledge, nodes)
    cylinders = knowledge.parts[knowledge.nodes[node].part].cylinder if node else False
    wanted = asked.raw("cylinder")
    usable = (
        wanted.isascii() and wanted.isdigit() and len(wanted) < 3 and 1 <= int(wanted) <= record.job.cylinders
    )
    named = cylinders_named(knowledge, record.assessed.codes, record.job.cylinders) or (1,)
    if cylinders and usable:
        cylinder = wanted
    elif cylinders:
        cylinder = str(named[0])
    else:
        cylinder = ""
    tests = [test for test, _ in steps_of(record, workshop, "intermittent")]
    sections = {test: one_section(record, workshop, "intermittent", test, node) for test in tests}
    wiggled = _made(record, knowledge, WIGGLE, node, cylinder)
    shape = connector_shape(workshop, node)
    return {
        "bench": "intermittent",
        "bench_title": knowledge.benches["intermittent"].title,
        "nodes": nodes,
        "node": node,
        "cylinder": cylinder,
        "cylinders": [str(c) for c in range(1, record.job.cylinders + 1)] if cylinders else [],
        "sections": sections,
        "order": [sections[t] for t in tests if t not in (WIGGLE, GRIP)],
        "at_title": knowledge.nodes[node].title + (f", cylinder {cylinder}" if cylinder else "")
        if node
        else "",
        "wiggled": [x.data.note for x in wiggled if x.data.note],
        "unwiggled": not wiggled,
        "mine": {t: _verdicts(record, knowledge, t, node, cylinder) for t in tests},
        "face": _face(record, knowledge, shape, node, cylinder),
        "shape": shape,
        "pin": asked.raw("pin") if asked.raw("pin").isdigit() else "",
        "clean_between": CLEAN in record.job.contexts,
        "log": _returned(record, knowledge),
        "counted_in": COUNTED_IN,
        "complaints": [(s, knowledge.symptoms[s].title) for s in record.job.complaints],
        "disturbed": _disturbed(record, node, cylinder),
        "ticked": {x.data.caution for x in record.job.of(Tick)},
        "asked_first": list(dict.fromkeys(c for t in tests for c in knowledge.ticks_at(t, node))),
        **test_card.stop_view(record, knowledge, [WIGGLE]),
        "cells": [],
    }


def _likeliest(record: JobRecord, knowledge: Knowledge, nodes: list[tuple[str, str]]) -> str:
    """The part whose contact is likeliest to be it; the first one where none stands out."""
    odds = record.assessed.suspicion
    by_node = {n: max((odds.odds(f) for f in contact_faults(knowledge, n)), default=0.0) for n, _ in nodes}
    return max(by_node, key=lambda n: by_node[n], default="")


def _disturbed(record: JobRecord, node: str, cylinder: str) -> list[Any]:
    """The entries by which the plug of this place was opened."""
    return [
        outcome.entry
        for outcome in opened(record.assessed)
        if outcome.node == node and (not outcome.cylinder or _same(outcome.cylinder, cylinder))
    ]


def _returned(record: JobRecord, knowledge: Knowledge) -> dict[str, Any]:
    """The log of earlier returns, each as long as it lasted, and what a proof by driving takes from them."""
    known = returns_of(record.job)
    rows = []
    for x in record.job.of(Symptom):
        if record.job.symptoms.get(x.data.symptom) is not x or known is None:
            continue
        for r in x.data.returns:
            span = getattr(r, known.axis)
            if span is not None:
                rows.append(
                    {
                        "span": span,
                        "text": f"{plain(span)} {known.unit}",
                        "cleared": r.cleared or "",
                        "first": r.first or "",
                    }
                )
    most = max((r["span"] for r in rows), default=1.0)
    return {
        "rows": [{**r, "share": round(100 * r["span"] / most)} for r in rows],
        "axis": known.axis if known else "distance_km",
        "mean": f"{plain(sum(known.timed) / len(known.timed))} {known.unit}" if known and known.timed else "",
    }


def clean(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Whether it runs clean between the dropouts: then the body of the part is sound."""
    answer = form.choice("present", ("yes", "no"))
    form.done()
    return [form.entry("context", {"context": CLEAN, "present": answer == "yes"})]


def came_back(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """One more return in the log: after how much, which code first, when the codes had been cleared."""
    job = record.job
    symptom = form.choice("symptom", list(job.complaints))
    axis = form.choice("axis", [a for a, _ in COUNTED_IN])
    after = form.figure("after", "", 0.01, 1_000_000, needed=True)
    first = form.text("first", 20)
    cleared = form.text("cleared", 60)
    known = returns_of(job)
    unit = "hours" if axis == "minutes" else str(axis)
    if known and axis and known.axis != unit:
        form.wrong("axis", f"this job counts in {known.unit}; take that back first")
    for _, says in code_fault("first", first) if first else []:
        form.wrong("first", says)
    form.done()
    had = job.symptoms[str(symptom)].data.model_dump(exclude_none=True)
    span = {unit: (after or 0.0) / (60 if axis == "minutes" else 1)}
    noted = {name: text for name, text in (("first", first), ("cleared", cleared)) if text}
    return [
        form.entry(
            "symptom",
            {
                **had,
                "present": True,
                "comes_and_goes": True,
                "returns": [*had.get("returns", []), span | noted],
            },
        )
    ]


def _made(record: JobRecord, knowledge: Knowledge, test: str, node: str, cylinder: str) -> list[Any]:
    """What was written of a test at a part."""
    return [
        outcome
        for outcome in record.job.of(Outcome)
        if outcome.data.test == test
        and knowledge.node(outcome.data.where.node or "") == node
        and _same(outcome.data.where.cylinder, cylinder)
    ]


def _same(given: int | None, cylinder: str) -> bool:
    return not cylinder or str(given or "") == cylinder


def _verdicts(record: JobRecord, knowledge: Knowledge, test: str, node: str, cylinder: str) -> list[Any]:
    return [
        verdict
        for verdict in record.assessed.now
        if verdict.test == test
        and part_of(record.job, knowledge, verdict) == node
        and _same(int(str(at_cylinder)) if (at_cylinder := verdict.where.get("cylinder")) else None, cylinder)
        and "pin" not in verdict.where
    ]


def connector_shape(workshop: Workshop, node: str) -> dict[str, Any]:
    """The face of a part's connector as the workshop numbers it: rows, cavities in each, and the latch."""
    kept = workshop.settings.get(f"connector_{node}")
    return {
        "rows": int(kept.get("rows", USUAL[0])),
        "each": int(kept.get("each", USUAL[1])),
        "latch": str(kept.get("latch", "top")),
        "from_right": bool(kept.get("from_right", False)),
    }


def _face(
    record: JobRecord, knowledge: Knowledge, shape: dict[str, Any], node: str, cylinder: str
) -> list[dict[str, Any]]:
    """Every cavity with its number, its place on the face and what its grip was, the latest word."""
    gripped = {str(x.data.where.pin): x.data.outcome for x in _made(record, knowledge, GRIP, node, cylinder)}
    cavities = []
    for n in range(shape["rows"] * shape["each"]):
        row, column = divmod(n, shape["each"])
        at = shape["each"] - 1 - column if shape["from_right"] else column
        outcome = gripped.get(str(n + 1), "")
        verdict = knowledge.tests[GRIP].outcomes.get(outcome, "")
        cavities.append(
            {"pin": str(n + 1), "x": 60 * at, "y": 60 * row, "outcome": outcome, "verdict": verdict}
        )
    return cavities


def connector(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """How the face of a connector is numbered, kept for the workshop; nothing of it is on the tape."""
    node = form.choice("node", [n for n, _ in test_card.fitted_nodes(record, workshop.knowledge, WIGGLE)])
    rows = form.whole("rows", 1, MOST_ROWS)
    each = form.whole("each", 1, MOST_CAVITIES)
    latch = form.choice("latch", ("top", "bottom", "left", "right"))
    for name, value in (("rows", rows), ("each", each)):
        if value is None and not form.raw(name):
            form.wrong(name, "say how many")
    form.done()
    shape = {"rows": rows, "each": each, "latch": latch, "from_right": form.raw("from_right") == "yes"}
    workshop.settings.save(f"connector_{node}", shape)
    return []


FORMS = {"connector": connector, "came_back": came_back, "clean": clean}
BENCH = Bench(
    "measure/_intermittent.html",
    shows,
    (),
    keeps=(("node", "node"), ("cylinder", "cylinder"), ("pin", "pin")),
    sections=True,
    by_node="node",
)
