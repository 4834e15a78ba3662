"""The demo jobs of injectors and their plugs: a fretted connector that came back after another repair, and a
piezo that opens with heat."""

import math
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from frosty_piston.rig.electrics import Contact, injector_set

from . import world

FIRST_VISIT_DAYS = 26
SEED = 5
CYLINDER = 3
HOT_C = 85.0
OPENS_AT_C = 68.0


def _wiggled(contact: Contact, seconds: float, rng: np.random.Generator) -> dict[str, float]:
    return {
        "wiggle_s": seconds,
        "dropouts": len(contact.dropouts(seconds, True, rng)),
        "rest_s": seconds,
        "rest_dropouts": len(contact.dropouts(seconds, False, rng)),
    }


def injector_that_was_not_it(now: datetime) -> dict[str, Any]:
    """Ferry pier van, the first visit: a new injector, its plug opened for it; handed over after 30 km."""
    tape = world.Tape(now - timedelta(days=FIRST_VISIT_DAYS, hours=5), "Torvald")
    text = "Drops a cylinder on rough roads, clean again after a stop"
    world.arrive(tape, text, ["misfire_intermittent"], [], 4, 151200)
    tape.add("code", code=f"P020{CYLINDER}", status="stored", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.add("tick", caution="injector_voltage")
    tape.at(30)
    coils = injector_set("rail_solenoid", 4, np.random.default_rng(SEED))
    for c in range(1, 5):
        ohm = round(coils.resistance_ohm(c, 20.0), 2)
        tape.reading("injector_resistance", ohm, "ohm", cylinder=c)
    tape.at(150)
    tape.add(
        "action",
        action="replaced",
        what=f"injector, cylinder {CYLINDER}",
        repair="injector_hot_breakdown",
        cylinders=[CYLINDER],
    )
    tape.add("code_clear", module="all")
    tape.add("tick", caution="road_test")
    tape.add("drive", distance_km=30, codes_read=True, codes_back=[], complaint_back=False)
    tape.add("handover", to="Harbour office", note="Come back if it drops out again")
    return world.job_file("demo-pier-van-1", "Ferry pier van, drops a cylinder", world.PIER_VAN, tape)


def connector_that_came_back(now: datetime) -> dict[str, Any]:
    """Ferry pier van again: the same code. Its plug was opened then, and rested for a while; wiggled now."""
    tape = world.Tape(now - timedelta(minutes=70), "Sunniva")
    text = "The same again: drops a cylinder on rough roads, three weeks after the new injector"
    world.arrive(tape, text, ["misfire_intermittent"], [], 1, 151930)
    tape.add(
        "symptom",
        symptom="misfire_intermittent",
        comes_and_goes=True,
        returns=[
            {"distance_km": 240.0, "first": f"P020{CYLINDER}", "cleared": "at the first visit"},
            {"distance_km": 110.0, "first": f"P020{CYLINDER}"},
            {"distance_km": 90.0, "first": f"P030{CYLINDER}"},
        ],
    )
    tape.add("code", code=f"P020{CYLINDER}", status="cleared_and_back", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.add("deadline", until=world.iso(now + timedelta(hours=30)), why="The Thursday ferry")
    tape.at(40)
    tape.add("tick", caution="injector_voltage")
    contact = Contact()
    contact.opened()
    contact.driven(730)
    tape.add(
        "outcome",
        test="wiggle",
        where={"node": "injector", "cylinder": CYLINDER},
        figures=_wiggled(contact, 60.0, np.random.default_rng(SEED)),
        note="plug and the loom to the rocker cover",
    )
    return world.job_file("demo-pier-van", "Ferry pier van, drops a cylinder again", world.PIER_VAN, tape)


def hot_piezo(now: datetime) -> dict[str, Any]:
    """Night patrol car: misfires only hot; every piezo is in range cold, and one is being warmed."""
    tape = world.Tape(now - timedelta(hours=2), "Ylva")
    text = "Shakes after half an hour on the pass, runs clean again once it has stood"
    world.arrive(tape, text, ["misfire_hot"], [], -3, 64700)
    tape.add("code", code="P0202", status="stored", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.add("tick", caution="injector_voltage")
    tape.at(50)
    stacks = injector_set("rail_piezo", 3, np.random.default_rng(SEED))
    stacks.opens_at_c = {2: OPENS_AT_C}
    for cylinder in range(1, 4):
        kohm = round(stacks.resistance_ohm(cylinder, 20.0) / 1000)
        tape.reading("injector_resistance", float(kohm), "kohm", cylinder=cylinder)
    for cylinder in range(1, 4):
        tape.reading(
            "injector_insulation", round(stacks.body_mohm(cylinder, 20.0)), "Mohm", cylinder=cylinder
        )
    tape.at((now - tape.start).total_seconds() / 60 - 8)
    assert math.isinf(stacks.resistance_ohm(2, HOT_C))
    tape.add(
        "wait",
        wait="warm_up",
        what=f"Injector, cylinder 2, to {HOT_C:g} °C",
        until=world.iso(now + timedelta(minutes=12)),
        test="injector_resistance",
        where={"node": "injector", "cylinder": 2},
        wanted_c=HOT_C,
    )
    return world.job_file("demo-night-car", "Night patrol car, shakes when hot", world.NIGHT_CAR, tape)
