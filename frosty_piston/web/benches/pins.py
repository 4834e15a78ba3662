"""A plug measured pin by pin in one pass: feed across supply and ground under load with the battery beside
it, ground, reference, the network pair; what that points at."""

from typing import Annotated, Any

from frosty_piston.core.errors import BadInput
from frosty_piston.core.pins import Unplugged, points_at
from frosty_piston.core.quantity import plain
from frosty_piston.core.stretches import STRETCHES, budget_of, staircase
from frosty_piston.core.wiring import WiringLimits
from frosty_piston.job.check import printable
from frosty_piston.job.entries import Outcome, Tick
from frosty_piston.job.judging.wiring import UNPLUGGED
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Fields, Form, figure, known, line
from frosty_piston.web.job import test_card
from frosty_piston.web.job.cells import Cell, Filled, bar_to, fill, read_value

from .bench import Bench, steps_of
from .sections import one_section

SUPPLY = "supply_pins"
NETWORK = "network_pins"
FUSE = "fuse_look"
DROP = "circuit_drop"
LEAST_V = 6.0
MOST_V = 36.0
MOST_NAME = 60
USUAL_S = 30
LONGEST_S = 900
PINS = (
    ("supply", "Supply", "across supply and ground"),
    ("ground", "Ground", "drop, to the battery post"),
    ("reference", "Reference", "where it has one"),
)
PAIR = (
    ("high", "High", "V", "at rest or in traffic"),
    ("low", "Low", "V", "at rest or in traffic"),
    ("pair", "Across the pair", "ohm", "key off, battery off"),
)
STAIR_WIDTH = 108
STAIR_HEIGHT = 120.0
DRAWN = (("supply", 90), ("ground", 190), ("reference", 290), ("high", 410), ("low", 510))


def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    knowledge = workshop.knowledge
    nodes = dict(test_card.fitted_nodes(record, knowledge, SUPPLY)) | dict(
        test_card.fitted_nodes(record, knowledge, NETWORK)
    )
    by_title = {title.lower(): i for i, title in nodes.items()}
    node = by_title.get(asked.raw("node").lower(), asked.raw("node"))
    if not node or len(node) > MOST_NAME or not printable(node):
        node = next(iter(nodes), "control_module")
    battery = asked.figure("battery_v", "V", LEAST_V, MOST_V)
    loaded = asked.raw("loaded") != "no"
    times_out = asked.whole("times_out", 1, LONGEST_S) or USUAL_S
    with_network = any(test == NETWORK for test, _ in steps_of(record, workshop, "pins"))
    sent = {"battery_v": battery} if battery is not None else {}
    supply = [
        Cell(
            SUPPLY,
            label,
            "V",
            where={"node": node, "pin": pin},
            hint=hint,
            conditions={**sent, "loaded": loaded},
        )
        for pin, label, hint in PINS
    ]
    network = [
        Cell(NETWORK, label, unit, {"node": node, "pin": pin}, hint) for pin, label, unit, hint in PAIR
    ]
    filled = fill(record, supply + (network if with_network else []))
    unplugged = [
        Unplugged(str(verdict.where.get("channel", "It")), verdict.judgement.cls, verdict.judgement.because)
        for verdict in record.assessed.now
        if verdict.test == NETWORK
        and verdict.where.get("point") == UNPLUGGED
        and verdict.where.get("node") == node
    ]
    fuses = [x.data.outcome for x in record.job.of(Outcome) if x.data.test == FUSE]
    return {
        "bench": "pins",
        "bench_title": knowledge.benches["pins"].title,
        "nodes": list(nodes.items()),
        "node": node,
        "node_title": nodes.get(node, node),
        "battery_v": plain(battery) if battery is not None else "",
        "battery_fault": asked.faults[0].says if asked.faults else "",
        "loaded": "yes" if loaded else "no",
        "cells": filled,
        "drawn": _drawn(filled, battery),
        "points": _points(filled, (fuses[-1] if fuses else None) or "", unplugged),
        "fuse": one_section(record, workshop, "pins", FUSE, ""),
        "stairs": _stairs(record, node, battery),
        "unplugged": unplugged,
        "pair_read": any(f.text for f in filled if f.cell.where["pin"] == "pair"),
        "network": NETWORK if with_network else "",
        "times_out": str(times_out),
        "ticked": {x.data.caution for x in record.job.of(Tick)},
        "cautions": knowledge.cautions_at(NETWORK) if with_network else [],
        "other_nodes": sorted({str(f.cell.where["node"]) for f in filled} - set(nodes)),
    }


def _stairs(record: JobRecord, node: str, battery: float | None) -> dict[str, Any]:
    """The circuit of this plug as a staircase from the battery to the load, each stretch with its budget."""
    limits = record.assessed.readings.limits(WiringLimits)
    drops = dict[str, float]()
    amps = ""
    for x in record.job.of(Outcome):
        figures = x.data.figures or {}
        if x.data.test == DROP and x.data.where.node == node and "drop_v" in figures:
            drops[x.data.where.point or "wire"] = float(figures["drop_v"])
            amps = plain(float(figures["current_a"])) if "current_a" in figures else amps
    found = staircase(drops, limits)
    highest = max([s.before_v + s.drop_v for s in found.stairs], default=0.0)
    scale = STAIR_HEIGHT / max(highest, 2 * limits.feed_drop_v)
    steps = [
        {
            "title": STRETCHES[stair.stretch],
            "x": STAIR_WIDTH * n,
            "y": round(scale * stair.before_v, 1),
            "drop": round(scale * stair.drop_v, 1),
            "allowed": round(scale * stair.budget_v, 1),
            "over": stair.over,
            "says": f"{plain(stair.drop_v)} V",
            "budget": f"of {plain(stair.budget_v)}",
        }
        for n, stair in enumerate(found.stairs)
    ]
    return {
        "steps": steps,
        "width": max(360, STAIR_WIDTH * len(steps) + 150),
        "says": found.says,
        "amps": amps,
        "battery": f"{plain(battery)} V" if battery is not None else "battery",
        "stretches": [(s, f"{t}, {plain(budget_of(s, limits))} V allowed") for s, t in STRETCHES.items()],
        "next": next((s for s in STRETCHES if s not in drops), "feed"),
    }


def _class_at(filled: Filled) -> str:
    return filled.verdict.judgement.cls if filled.verdict else ""


def _verdict_at(filled: Filled) -> str:
    return filled.verdict.judgement.verdict if filled.verdict else ""


def _points(filled: list[Filled], fuse: str, unplugged: list[Unplugged]) -> dict[str, str]:
    """What the plug points at, by the pins that were read."""
    found = {str(x.cell.where["pin"]): c for x in filled if (c := _class_at(x))}
    told = points_at(found, fuse, unplugged)
    return {"what": told.what, "because": told.because, "read": str(len(found))}


def _drawn(filled: list[Filled], battery: float | None) -> dict[str, Any]:
    """The plug with what was read at each pin, the battery beside it."""
    by_pin = {str(x.cell.where["pin"]): x for x in filled}
    pins = [
        {
            "pin": pin,
            "x": x,
            "text": by_pin[pin].text,
            "verdict": _verdict_at(by_pin[pin]),
        }
        for pin, x in DRAWN
        if pin in by_pin
    ]
    pair = by_pin.get("pair")
    return {
        "pins": pins,
        "battery": f"{plain(battery)} V" if battery is not None else "not measured",
        "pair": pair.text if pair else "",
        "pair_verdict": _verdict_at(pair) if pair else "",
        "has_pair": pair is not None,
    }


class StretchForm(Fields):
    point: Annotated[str | None, known(lambda asking: STRETCHES)]
    drop_v: Annotated[float | None, figure("V", -60, 60, needed=True)]
    current_a: Annotated[float | None, figure("A", 0, 2000)]


def stretch(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The drop of one stretch of the circuit, under load."""
    fields = form.read(StretchForm, record, workshop)
    node = _named(form)
    form.done()
    figures = {"drop_v": abs(fields.drop_v or 0.0)} | (
        {"current_a": fields.current_a} if fields.current_a is not None else {}
    )
    where = {"node": node, "point": fields.point}
    return [form.entry("outcome", {"test": DROP, "where": where, "figures": figures})]


def _named(form: Form) -> str:
    node = form.raw("node")
    if not node or len(node) > MOST_NAME or not printable(node):
        form.wrong("node", "name the part, in up to 60 signs")
    return node


class WithoutForm(Fields):
    module: Annotated[str | None, line(60, "say which module was unplugged")]


def pair_without(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The pair read again with one module unplugged, and that it was unplugged."""
    fields = form.read(WithoutForm, record, workshop)
    node = _named(form)
    knowledge = workshop.knowledge
    cell = Cell(NETWORK, "", "ohm", {"node": node, "pin": "pair"})
    value = 0.0
    unit = "ohm"
    try:
        value, unit = read_value(form, cell, knowledge)  # type: ignore[assignment]
    except BadInput as error:
        form.faults.extend(error.faults)
    if bar := bar_to(record, knowledge, NETWORK, node, "pair"):
        form.wrong("value", bar)
    form.done()
    where = {"node": node, "pin": "pair", "point": UNPLUGGED, "channel": fields.module}
    return [
        form.entry("reading", {"test": NETWORK, "where": where, "value": value, "unit": unit}),
        form.entry("action", {"action": "unplugged", "what": f"{fields.module}"}, "off"),
        form.entry("action", {"action": "plugged_in", "what": f"{fields.module}"}, "on"),
    ]


FORMS = {"stretch": stretch, "pair_without": pair_without}
BENCH = Bench(
    "measure/_pins.html",
    shows,
    ("measure/_pins_drawing.html",),
    keeps=(
        ("node", "node"),
        ("battery_v", "battery_v"),
        ("loaded", "loaded"),
        ("times_out", "times_out"),
    ),
    by_node="node",
)
