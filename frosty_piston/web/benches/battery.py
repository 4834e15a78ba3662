"""Battery and cranking: rest, crank, speed, drop, cold soak."""

from typing import Any

from frosty_piston.core.quantity import plain
from frosty_piston.core.words import sentence, spoken
from frosty_piston.job.entries import Reading, Tick
from frosty_piston.job.judging.starts import plug_shares
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.job.cells import Cell, fill

from . import margin
from .bench import Bench

CHANNELS = ("coolant", "intake", "ambient", "fuel", "exhaust_1")


def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    job = record.job
    soaked_h = asked.figure("soaked_h", "", 0, 1000)
    batteries = job.engine.batteries or 1
    rest = [
        Cell(
            "battery_rest",
            f"Battery {n}" if batteries > 1 else "Battery at rest",
            "V",
            {"point": f"battery_{n}"},
            "after two hours",
        )
        for n in range(1, batteries + 1)
    ]
    crank = [
        Cell(
            "battery_crank",
            f"Battery {number} cranking" if batteries > 1 else "Battery cranking",
            "V",
            {"point": f"battery_{number}"},
            "starter turning",
        )
        for number in range(1, batteries + 1)
    ]
    speed = [Cell("crank_speed", "Cranking speed", "rpm", {}, "live data")]
    drops = [
        Cell("cable_drop", "Positive side", "V", {"point": "positive"}, "post to starter"),
        Cell("cable_drop", "Ground side", "V", {"point": "ground"}, "block to post"),
    ]
    aid = [v for v in record.assessed.now if v.test == "start_aid_compare"]
    hours = [
        reading.data.conditions.soaked_h
        for reading in job.of(Reading)
        if reading.data.test == "cold_soak_temps"
        and reading.data.conditions
        and reading.data.conditions.soaked_h is not None
    ]
    if soaked_h is not None:
        stood = soaked_h
    elif hours:
        stood = hours[-1]
    else:
        stood = None
    soak = [
        Cell(
            "cold_soak_temps",
            sentence(spoken(channel)),
            "degC",
            {"channel": channel},
            conditions={} if stood is None else {"soaked_h": stood},
        )
        for channel in CHANNELS
    ]
    filled = fill(record, rest + crank + speed + drops)
    by_id = {f.cell.id: f for f in filled}
    posts = [
        {
            "x": 120 * (n - 1),
            "rest": by_id[f"battery_rest-battery_{n}"],
            "crank": by_id[f"battery_crank-battery_{n}"],
        }
        for n in range(1, batteries + 1)
    ]
    plus = 110 + 120 * (batteries - 1)
    if batteries == 1:
        links = ""
    elif job.engine.system_voltage == 24:
        links = "M110 66V56H174V66"
    else:
        links = "M110 66V40H230V66M54 58H174V66"
    return {
        "bench": "battery",
        "cells": filled,
        "drawn": {
            "posts": posts,
            "links": links,
            "plus_wire": f"M{plus} 66V30H490v46",
            "plus_text": (plus + 460) // 2,
        },
        "soak": fill(record, soak),
        "soaked_h": "" if stood is None else plain(stood),
        "asked_soaked_h": asked.raw("soaked_h") if asked.faults else "",
        "soaked_fault": asked.faults[0].says if asked.faults else "",
        "aid": aid[-1].judgement.cls if aid else "",
        "ambient": job.condition("ambient"),
        "cautions": ["no_start_spray", "rotating"],
        "ticked": {x.data.caution for x in job.of(Tick)},
        "margin": margin.margin_view(
            record, plug_shares(record.assessed.now, [x.id for x in record.job.tape])
        ),
    }


BENCH = Bench("measure/_battery.html", shows, ("measure/_battery_drawing.html", margin.TEMPLATE))
