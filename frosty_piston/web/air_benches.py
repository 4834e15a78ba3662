"""The benches of the air side: EGR, bypass flap, inlet flap, swirl flaps, turbo, boost. One shape, a drawing
each."""

from dataclasses import dataclass
from typing import Any

from frosty_piston.job.cleaning import cleaning_log
from frosty_piston.job.entries import Tick
from frosty_piston.job.turbo_question import part_or_turbo
from frosty_piston.store.workshop import JobRecord, Workshop

from . import test_card
from .air_drawings import DRAWN, loop_of, recordings_of, travel
from .cells import fill
from .forms import Form

Step = tuple[str, str]


@dataclass(frozen=True)
class AirBench:
    """What a bench holds beside its tests: what is cleaned, as part, words and the repair it is; the part
    that is driven."""

    title: str
    says: str
    cleans: tuple[tuple[str, str, str], ...] = ()
    drive: str = ""


AIR_BENCHES = {
    "egr": AirBench(
        "EGR",
        "Position, drive, air change, look, cooler, cleaning",
        (("egr_valve", "EGR valve and port", "egr_passage"), ("egr_cooler", "EGR cooler", "egr_cooler")),
        "egr_valve",
    ),
    "bypass": AirBench("EGR bypass flap", "Against engine speed, rod travel"),
    "inlet_flap": AirBench(
        "Inlet flap",
        "Commanded against actual, cleaning",
        (("inlet_flap", "inlet flap", "inlet_flap"),),
        "inlet_flap",
    ),
    "swirl": AirBench(
        "Swirl flaps",
        "Rev test as it is and released",
        (("swirl_flaps", "manifold and flaps", "intake_manifold_carbon"),),
    ),
    "turbo": AirBench("Turbo actuator", "Sweep, watch, lever by hand, unplug", drive="turbo_actuator"),
    "boost": AirBench("Air and boost", "Pressures, pull, leak test, intake, air mass"),
}
FIRST_CARD_TEST = {
    "egr": "egr_position",
    "bypass": "bypass_watch",
    "swirl": "swirl_compare",
    "turbo": "boost_trace",
    "boost": "intake_look",
}


def steps_of(record: JobRecord, workshop: Workshop, bench: str) -> list[Step]:
    """The tests of a bench that this engine card has."""
    k, engine = workshop.knowledge, record.job.engine
    found = []
    for test, node in k.benches[bench]:
        if engine.rules_out(k.tests[test].needs) or node in k.nodes and engine.rules_out(k.nodes[node].needs):
            continue
        if test == "vacuum_travel" and not _by_vacuum(record, node):
            continue
        found.append((test, node))
    return found


def _by_vacuum(record: JobRecord, node: str) -> bool:
    field = {
        "egr_valve": "egr_drive",
        "inlet_flap": "inlet_flap",
        "bypass_flap": "egr_cooler_bypass",
        "swirl_flaps": "swirl_flaps",
        "turbo_actuator": "turbo",
    }[node]
    return "vacuum" in str(getattr(record.job.engine, field) or "vacuum")


def on_card(record: JobRecord, workshop: Workshop, bench: str) -> bool:
    """Whether the engine has what the bench is for."""
    k, engine = workshop.knowledge, record.job.engine
    drive = AIR_BENCHES[bench].drive
    return not engine.rules_out(
        k.tests[FIRST_CARD_TEST[bench]].needs if bench in FIRST_CARD_TEST else k.nodes[drive].needs
    )


def air_view(record: JobRecord, workshop: Workshop, bench: str) -> dict[str, Any]:
    k, shape = workshop.knowledge, AIR_BENCHES[bench]
    ticked = {x.data.caution for x in record.job.of(Tick)}
    sections = [
        _section(record, workshop, bench, test, node) for test, node in steps_of(record, workshop, bench)
    ]
    cautions = list(dict.fromkeys(c for s in sections for c in s["shape"].cautions))
    nodes = tuple(node for node, _, _ in shape.cleans)
    return {
        "bench": bench,
        "bench_title": shape.title,
        "sections": sections,
        "cells": [x for s in sections for x in s["cells"]],
        "cautions": cautions,
        "ticked": ticked,
        "drawn": DRAWN[bench](record, workshop),
        "traces": recordings_of(record, workshop, bench),
        "cleans": [c[:2] for c in shape.cleans],
        "ways": k.cleaning,
        "way_cautions": list(dict.fromkeys(c for w in k.cleaning.values() for c in w.cautions)),
        "log": cleaning_log(record.job, nodes) if nodes else None,
        "question": part_or_turbo(record.assessed) if bench == "turbo" else None,
    }


def _section(record: JobRecord, workshop: Workshop, bench: str, test: str, node: str) -> dict[str, Any]:
    """A test of the bench: its cells, and the verdicts that stand in none of them."""
    k = workshop.knowledge
    cells = fill(record, test_card.cells_of(record, k, test, node, False))
    in_cells = {x.entry.id for x in cells if x.entry and x.verdict}
    mine = [
        v
        for v in record.assessed.now
        if v.test == test
        and test_card.of_node(record, k, v, node)
        and not (len(v.entries) == 1 and v.entries[0] in in_cells)
    ]
    return {
        "test": test,
        "node": node,
        "shape": k.tests[test],
        "cells": cells,
        "mine": mine,
        "travel": travel(record, node) if test == "vacuum_travel" else None,
        "loop": loop_of(record, workshop, bench, node) if test == "actuator_sweep" else None,
        "key": f"{test}-{node}" if node else test,
    }


def cleaning(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A turn of cleaning with its time, and what was measured before and after it."""
    shape = AIR_BENCHES.get(form.raw("bench"))
    node = form.choice("node", [n for n, _, _ in shape.cleans] if shape else [])
    way = form.choice("way", workshop.knowledge.cleaning)
    minutes = form.figure("minutes", "", 0.5, 6000, needed=True)
    measured, unit = form.text("measured", 80), form.text("unit", 16)
    before, after = form.figure("before", "", 0, 1e6), form.figure("after", "", 0, 1e6)
    if (before is None) != (after is None):
        form.wrong(
            "after" if after is None else "before",
            "before and after stand together; leave both empty when nothing was measured",
        )
    if before is not None and not measured:
        form.wrong("measured", "say what was measured, as: free width of the port")
    form.done()
    assert shape is not None and node is not None
    _, what, repair = next(c for c in shape.cleans if c[0] == node)
    back_in = {"repair": repair} if form.raw("back_in") == "yes" else {}
    turn = {
        "way": way,
        "minutes": minutes,
        "measured": measured,
        "unit": unit,
        "before": before,
        "after": after,
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


def plug(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A part unplugged or plugged in again: codes that come in between are of one's own making."""
    k = workshop.knowledge
    node = form.choice("node", k.nodes)
    action = form.choice("action", ("unplugged", "plugged_in"))
    form.done()
    assert node is not None
    return [form.entry("action", {"action": action, "what": k.nodes[node].title, "where": {"node": node}})]


FORMS = {"cleaning": cleaning, "plug": plug}
