"""Injectors: every test a row, every cylinder a column, laid over each other in one picture."""

from datetime import timedelta
from statistics import median
from typing import Annotated, Any

from frosty_piston.core.cylinders import fits, standings
from frosty_piston.core.quantity import plain
from frosty_piston.core.words import inside
from frosty_piston.job.entries import Action, Outcome, Tick, Wait
from frosty_piston.job.judging.result import Result
from frosty_piston.job.repair.waits import open_waits
from frosty_piston.job.weighing.codes_seen import cylinders_named
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.timestamps import now, stamp
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Fields, Form, figure, whole
from frosty_piston.web.job import test_card
from frosty_piston.web.job.cells import Cell, Filled, fill
from frosty_piston.web.job.waits import hours_typed

from .bench import Bench, steps_of

RESISTANCE = "injector_resistance"
COUNTS = "misfire_counts"
SHORT = {
    RESISTANCE: "Resistance",
    "injector_insulation": "Insulation",
    "injector_leakoff": "Return flow",
    "injector_balance": "Correction",
    "cylinder_cutout": "Cut-out drop",
    COUNTS: "Misfires",
    "relative_compression": "Compression",
}
# A third of what counts, an absolute figure and a share of the middle: nothing finer stands out here.
FINEST = {
    RESISTANCE: (0.0, 0.05),
    "injector_insulation": (0.0, 0.33),
    "injector_leakoff": (0.0, 0.33),
    "injector_balance": (1.33, 0.0),
    "cylinder_cutout": (0.0, 0.17),
    "relative_compression": (5.0, 0.0),
}
BOTTLES = "ml"
FINEST_COUNT = 1.7
WIDTH = 680.0
LEFT = 50.0
MIDDLE = 105.0
STEP = 14.0
BESIDE = ("wiggle", "connector_look", "terminal_fit")
HOT_C = 80
HOT_FOR = "20 min"
BROUGHT_BY_HEAT = ("hot_start", "hot_run")


def _unit(record: JobRecord, workshop: Workshop, test: str) -> str:
    if test == RESISTANCE and record.job.engine.injection == "rail_piezo":
        return "kohm"
    return workshop.knowledge.tests[test].units[0]


def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    knowledge = workshop.knowledge
    cylinders = range(1, record.job.cylinders + 1)
    tests = [t for t, _ in steps_of(record, workshop, "injectors") if knowledge.tests[t].units]
    rows = []
    typed = {name: asked.figure(name, "degC", -40, 150) for name in ("cold_c", "hot_c")}
    heat = {hot: _heat(typed["hot_c" if hot else "cold_c"]) for hot in (False, True)}
    for test in tests:
        for hot in (False, True) if test == RESISTANCE else (False,):
            cells = [
                Cell(
                    test,
                    f"Cylinder {cylinder}",
                    _unit(record, workshop, test),
                    {"cylinder": cylinder},
                    conditions={**({"part_hot": True} if hot else {}), **heat[hot]},
                )
                for cylinder in cylinders
            ]
            title = SHORT.get(test, knowledge.tests[test].short_title)
            if test == RESISTANCE:
                title += " hot" if hot else " cold"
            rows.append(_row(record, workshop, test, title, fill(record, cells), hot))
    if counts := _counted(record):
        rows.append(counts)
    named = cylinders_named(knowledge, record.assessed.codes, record.job.cylinders)
    return {
        "bench": "injectors",
        **{name: plain(c) if c is not None else "" for name, c in typed.items()},
        "named": [str(c) for c in named],
        "retest": _retest(record, knowledge, named),
        "count_rows": _count_rows(record),
        "bench_title": knowledge.benches["injectors"].title,
        "rows": [r for r in rows if r["cells"]],
        "drawn": _overlaid(rows, record.job.cylinders),
        "explains": _explained(record),
        "cylinders": [str(c) for c in cylinders],
        "counts": any(t == COUNTS for t, _ in steps_of(record, workshop, "injectors")),
        "asked_first": list(dict.fromkeys(c for t in tests for c in knowledge.ticks_at(t))),
        "ticked": {x.data.caution for x in record.job.of(Tick)},
        "cells": [x for r in rows for x in r["cells"]],
        **test_card.stop_view(record, knowledge, tests),
    }


def _heat(celsius: float | None) -> dict[str, Any]:
    return {} if celsius is None else {"part_c": celsius}


def _counted(record: JobRecord) -> dict[str, Any]:
    """The misfire counters as a row of the picture, per 1 000 revolutions; empty while none was read."""
    rates = _rates(record)
    if all(r is None for r in rates):
        return {}
    unsure = max(FINEST_COUNT, 0.33 * median([r for r in rates if r is not None]))
    return {
        "title": SHORT[COUNTS],
        "cells": [],
        "standing": standings(rates, unsure),
        "read": len([r for r in rates if r is not None]),
    }


def _rates(record: JobRecord) -> list[float | None]:
    rates: list[float | None] = [None] * record.job.cylinders
    for v in record.assessed.now:
        c = v.where.get("cylinder")
        if v.test == COUNTS and isinstance(c, int) and v.judgement.value is not None:
            rates[c - 1] = v.judgement.value
    return rates


def _count_rows(record: JobRecord) -> list[dict[str, Any]]:
    """Each cylinder with its latest counter, and what it is worth."""
    by_cylinder = {v.where.get("cylinder"): v for v in record.assessed.now if v.test == COUNTS}
    counted = {
        outcome.data.where.cylinder: (outcome.data.figures or {}).get("count")
        for outcome in record.job.of(Outcome)
        if outcome.data.test == COUNTS
    }
    return [
        {
            "cylinder": cylinder,
            "text": plain(float(n)) if (n := counted.get(cylinder)) is not None else "",
            "verdict": by_cylinder[cylinder].judgement if cylinder in by_cylinder else None,
        }
        for cylinder in range(1, record.job.cylinders + 1)
    ]


def _retest(record: JobRecord, knowledge: Knowledge, named: tuple[int, ...]) -> dict[str, Any]:
    """The hot retest: wanted while a complaint comes with heat and no injector was read hot; which waits are
    running for it, and which are over and due."""
    job = record.job
    by_heat = any(knowledge.symptoms[s].proved_by in BROUGHT_BY_HEAT for s in job.complaints)
    read = [v for v in record.assessed.now if v.test == RESISTANCE]
    hot = {v.where.get("cylinder") for v in read if v.hot}
    waits = [
        {
            "says": wait.data.what,
            "until": wait.data.until,
            "over": wait.data.until is not None and wait.data.until <= now(),
            "cylinder": wait.data.where.cylinder if wait.data.where else None,
        }
        for wait in open_waits(job)
        if wait.data.test == RESISTANCE
    ]
    over = [x for x in job.of(Wait) if x.data.test == RESISTANCE and x.data.state == "started"]
    begun = {x.data.where.cylinder for x in over if x.data.where}
    odd = [c for c in named if c not in hot] or [c for c in range(1, job.cylinders + 1) if c not in hot]
    return {
        "wanted": by_heat and any(v.judgement.verdict == "sound" and not v.hot for v in read) and not hot,
        "waits": waits,
        "due": sorted(c for c in begun - hot if c is not None),
        "cylinder": str(odd[0]) if odd else "1",
        "wanted_c": str(HOT_C),
        "hours": HOT_FOR,
        "by_heat": by_heat,
    }


class WarmForm(Fields):
    cylinder: Annotated[int | None, whole(1, 16)]
    wanted_c: Annotated[float | None, figure("degC", 30, 130, needed=True)]


def warm(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Begin the wait for a hot part: which cylinder, how hot, how long."""
    fields = form.read(WarmForm, record, workshop)
    if fields.cylinder is None or fields.cylinder > record.job.cylinders:
        form.wrong("cylinder", f"from 1 to {record.job.cylinders}")
    hours = 0.0
    try:
        hours = hours_typed(form.raw("hours"))
    except ValueError as error:
        form.wrong("hours", str(error))
    form.done()
    until = stamp((form.pressed_at or now()) + timedelta(hours=hours))
    what = f"Injector, cylinder {fields.cylinder}, to {plain(fields.wanted_c or 0)} °C"
    where = {"node": "injector", "cylinder": fields.cylinder}
    wait = {"wait": "warm_up", "what": what, "until": until, "test": RESISTANCE, "where": where}
    return [form.entry("wait", {**wait, "wanted_c": fields.wanted_c})]


class CountsForm(Fields):
    revolutions: Annotated[float | None, figure("", 1, 10_000_000, needed=True)]


def counts(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The misfire counters of several cylinders over the same revolutions, one entry for each that is new."""
    fields = form.read(CountsForm, record, workshop)
    typed = {
        cylinder: count
        for cylinder in range(1, record.job.cylinders + 1)
        if (count := form.figure(f"count_{cylinder}", "", 0, 1_000_000)) is not None
    }
    if not typed and not form.faults:
        form.wrong("count_1", "type at least one counter")
    form.done()
    return [
        form.entry(
            "outcome",
            {
                "test": COUNTS,
                "where": {"cylinder": c},
                "figures": {"count": n, "revolutions": fields.revolutions},
            },
            str(c),
        )
        for c, n in typed.items()
    ]


def _row(
    record: JobRecord, workshop: Workshop, test: str, title: str, cells: list[Filled], hot: bool
) -> dict[str, Any]:
    """A test with its cells, and how far each cylinder stands from the others."""
    values = [_figure(x) for x in cells]
    read = [abs(v) for v in values if v is not None]
    absolute, share = FINEST[test]
    unsure = max(absolute, share * median(read) if read else 1.0, 1e-6)
    return {
        "test": test,
        "key": f"{test}{'-hot' if hot else ''}",
        "shape": workshop.knowledge.tests[test],
        "title": title,
        "cells": cells,
        "standing": standings(values, unsure),
        "read": len(read),
        "bars": _bars(values) if cells[0].cell.unit == BOTTLES else [],
    }


def _figure(filled: Filled) -> float | None:
    entry = filled.entry
    return None if entry is None or isinstance(entry.data.value, str) else float(entry.data.value)


def _bars(values: list[float | None]) -> list[dict[str, Any]]:
    """The bottles of the return flow, drawn to scale."""
    most = max([v for v in values if v], default=0.0)
    return [
        {
            "cylinder": index,
            "height": round(90 * v / most, 1) if v and most else 0.0,
            "text": plain(v) if v is not None else "?",
        }
        for index, v in enumerate(values, 1)
    ]


def _overlaid(rows: list[dict[str, Any]], cylinders: int) -> dict[str, Any]:
    """Every test as a line over the cylinders, in robust deviations from its set."""
    step = (WIDTH - LEFT - 190) / max(1, cylinders - 1)
    lines = []
    for n, row in enumerate(r for r in rows if r["read"] >= 2):
        points = [
            (round(LEFT + 20 + step * c, 1), round(MIDDLE - STEP * s, 1))
            for c, s in enumerate(row["standing"])
            if s is not None
        ]
        lines.append(
            {
                "title": row["title"],
                "tone": n % 6,
                "d": "M" + "L".join(f"{x} {y}" for x, y in points),
                "dots": points,
            }
        )
    # names beside the last points, one under the other
    for at, line in enumerate(sorted(lines, key=lambda x: x["dots"][-1][1])):
        line["name_y"] = round(24 + at * 22, 1)
    return {
        "lines": lines,
        "ticks": [(c + 1, round(LEFT + 20 + step * c, 1)) for c in range(cylinders)],
        "band": (round(MIDDLE - 3 * STEP, 1), round(6 * STEP, 1)),
        "right": round(LEFT + 20 + step * (cylinders - 1), 1),
        "middle": MIDDLE,
    }


def _explained(record: JobRecord) -> list[dict[str, str]]:
    """For each cylinder that stands out, what fits."""
    changed = {
        c for x in record.job.of(Action) if x.data.action == "replaced" for c in x.data.cylinders or []
    }
    rows = []
    for cylinder in range(1, record.job.cylinders + 1):
        found: dict[str, str] = {}
        for v in record.assessed.now:
            if v.where.get("cylinder") == cylinder and (v.test in SHORT or v.test in BESIDE):
                found[v.test] = _worse(found.get(v.test), v)
        if told := fits(found, cylinder in changed):
            rows.append({"cylinder": str(cylinder), "what": inside(told.what), "because": told.because})
    return rows


def _worse(before: str | None, verdict: Result) -> str:
    order = ("failed", "marginal", "implausible", "unclear", "sound")
    now = verdict.judgement.verdict
    return now if before is None else min(before, now, key=order.index)


FORMS = {"warm": warm, "counts": counts}
BENCH = Bench(
    "measure/_injectors.html",
    shows,
    ("measure/_injectors_drawing.html",),
    keeps=(("cold_c", "cold_c"), ("hot_c", "hot_c")),
)
