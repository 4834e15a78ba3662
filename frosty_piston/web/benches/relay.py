"""The glow relay: its points under load, and how long it glows."""

from typing import Any

from frosty_piston.job.entries import Outcome, Reading
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.job.cells import Cell, fill

from .bench import Bench

POINTS = (
    ("battery", "Battery", "at the posts"),
    ("feed", "Feed stud", "battery at all times"),
    ("supply", "Supply pin", "key on"),
    ("command", "Command pin", "pulled low while the lamp is on"),
    ("output", "Output stud", "to the plugs"),
)
TABLE = (
    ("glow_feed_lost", "low", "any", "any", "any", "Feed, fuse or stud"),
    ("key_supply_lost", "ok", "missing", "any", "0", "Key supply lost"),
    ("glow_control_missing", "ok", "ok", "never low", "0", "No order: sensor hot, module, wire"),
    ("glow_relay_coil", "ok", "ok", "low, no click", "0", "Coil: does not pull in"),
    ("glow_relay_contacts", "ok", "ok", "low, clicks", "0 or over 0.5 V lost", "Contacts do not carry"),
    ("sound", "ok", "ok", "low", "feed - 0.3 V or better", "Relay sound: harness and plugs"),
)


def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    job = record.job
    knowledge = workshop.knowledge
    cells = [Cell("glow_relay", label, "V", {"point": point}, hint) for point, label, hint in POINTS]
    times = [
        Cell("glow_on_time", "Lamp on", "s", {"point": "lamp"}, "from key on"),
        Cell("glow_on_time", "Output live", "s", {"point": "output"}, "until it lets go"),
    ]
    whole = next(
        (v for v in record.assessed.now if v.test == "glow_relay" and v.where.get("point") == "relay"), None
    )
    clicks = [x for x in job.of(Outcome) if x.data.test == "glow_relay"]
    volts = {f.cell.where["point"]: f.text for f in fill(record, cells)}
    loaded = any(
        x.data.conditions and x.data.conditions.loaded
        for x in job.of(Reading)
        if x.data.test == "glow_relay" and x.data.where.point == "output"
    )
    gap = min(26, 150 // job.cylinders)
    left = 562 - gap * job.cylinders // 2
    return {
        "bench": "relay",
        "plug_xs": [left + n * gap for n in range(job.cylinders)],
        "bus": f"M{left - 4} 70h{gap * job.cylinders + 6}",
        "cells": fill(record, cells),
        "times": fill(record, times),
        "whole": whole,
        "click": clicks[-1].data.outcome if clicks else "",
        "volts": volts,
        "table": TABLE,
        "loaded": loaded,
        "control": job.engine.glow_control,
        "cautions": knowledge.tests["glow_relay"].cautions,
        "coolant": job.condition("coolant") or job.condition("ambient"),
    }


BENCH = Bench("measure/_relay.html", shows, ("measure/_relay_drawing.html",))
