"""The vacuum circuit: the pump, the hand pump with its clock, where the leak is, what is left."""

import json
import math
from typing import Annotated, Any

from frosty_piston.core.holding import least_wait_s
from frosty_piston.core.quantity import percent, plain, plus_minus
from frosty_piston.core.vacuum import VacuumLimits
from frosty_piston.job.circuit.branches import Branch, compared
from frosty_piston.job.circuit.isolation import Isolation, wait_at
from frosty_piston.job.entries import Outcome
from frosty_piston.job.judging.ambient import ambient_air
from frosty_piston.job.judging.vacuum import HAND_PUMP, PART_ML
from frosty_piston.job.units import convert
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.drawing.circuit_view import drawn
from frosty_piston.web.frame.forms import Fields, Form, figure, line, one_of
from frosty_piston.web.job import gauge
from frosty_piston.web.job.cells import FLAG_WORDS, bar_to
from frosty_piston.web.job.test_card import fitted_nodes, gauge_view

from .bench import Bench
from .sections import one_section, section_view

SECTION = "vacuum_section"
HOLD = "vacuum_hold"
LOOK = "vacuum_look"
OWN = (SECTION, HOLD, LOOK)
SHOWN_LEFT = 6
SHOWN_RESULTS = 4
MOST_POINTS = 400


def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    knowledge = workshop.knowledge
    found = record.assessed.isolation
    shown = section_view(record, workshop, "vacuum", lambda r, w: {})
    nodes = fitted_nodes(record, knowledge, HOLD)
    places = [(i, found.leaking.titles[i]) for i in found.leaking.ids] if found else nodes
    known = dict(places)
    at = asked.raw("at")
    at = at if at in known else _next_place(found) or (places[0][0] if places else "")
    hoses = {h.id for h in found.leaking.circuit.hoses} if found else set()
    waits = _waits(record, found, [i for i, _ in places])
    return {
        **shown,
        "sections": [
            *(s for s in shown["sections"] if s["test"] not in (*OWN, *_of_solenoids(knowledge))),
            *_solenoids(record, workshop, found),
        ],
        "own": {s["test"]: s for s in shown["sections"] if s["test"] in OWN},
        "circuit": drawn(record, workshop, found),
        "found": _search(record, workshop, found) if found else None,
        "places": places,
        "at": at,
        "at_title": known.get(at, ""),
        "is_hose": at in hoses or at in ("vacuum_hose", "stop_line"),
        "alone": bool(found and found.next_off and found.next_off.alone and at == found.next_at),
        "blocks": _blocks(found, at),
        "behind_solenoid": found is None or _solenoid_within(found, at),
        "waits": json.dumps(waits),
        "least": {"section": waits[at][SECTION], "alone": waits[at][HOLD]} if at in waits else None,
        "gauge": gauge_view(record, workshop, SECTION),
        "air": _air(record),
        "capped": [v for v in record.assessed.now if v.test == HOLD and v.where.get("node") == HAND_PUMP],
        "results": [
            v for v in record.assessed.judged[-1] if v.test in OWN and v.where.get("node") != HAND_PUMP
        ][-SHOWN_RESULTS:],
        "in_gauge": _in_gauge(record, workshop),
        "titles": {**known, "vacuum_branch": "a branch"},
        "compare": _compare(record, found) if found else None,
    }


def _of_solenoids(knowledge: Knowledge) -> list[str]:
    """The tests of the bench that are made at a solenoid: its coil, its output, its vent."""
    steps = [test for test, _ in knowledge.benches["vacuum"].steps]
    return [t for t in steps if "vacuum_solenoid" in knowledge.tests[t].parts and t not in OWN]


def _solenoids(record: JobRecord, workshop: Workshop, found: Isolation | None) -> list[dict[str, Any]]:
    """The tests of every solenoid on the list; of one where there is no list."""
    parts = [p for p in found.leaking.circuit.parts if p.kind == "solenoid"] if found else []
    named = [(p.id, p.title) for p in parts] or ([] if found else [("vacuum_solenoid", "Solenoid")])
    sections = []
    for node, title in named:
        for test in _of_solenoids(workshop.knowledge):
            section = one_section(record, workshop, "vacuum", test, node)
            sections.append({**section, "at": title})
    return sections


def _next_place(found: Isolation | None) -> str:
    if found is None:
        return ""
    if (
        found.mended
        and not found.whole_holds
        and not any(t.at in found.leaking.roots() for t in found.leaks.tried)
    ):
        return found.leaking.roots()[0]
    return found.look_first or found.next_at or found.found


def _in_gauge(record: JobRecord, workshop: Workshop) -> dict[str, str]:
    """What was read, by entry, in the unit of the gauge; none where that is kPa."""
    unit = gauge.gauge_said(record.job, workshop)
    if unit in ("", "kPa"):
        return {}
    shown = {}
    for outcome in record.job.of(Outcome):
        given = [
            float(f) for name, f in (outcome.data.figures or {}).items() if name in ("start_kpa", "end_kpa")
        ]
        if outcome.data.test in OWN and given:
            ends = [plain(round(convert(abs(kpa), "kPa", unit), 1)) for kpa in given]
            shown[outcome.id] = f"{' to '.join(ends)} {unit}"
    return shown


def _air(record: JobRecord) -> dict[str, Any]:
    around = ambient_air(record.assessed.readings)
    return {"kpa": plain(round(around.kpa, 1)), "says": around.says, "known": around.known}


def _blocks(found: Isolation | None, at: str) -> list[tuple[str, str]]:
    """What can be clamped off beyond a place: the hoses that hang on it."""
    if found is None or at not in found.leaking.place:
        return []
    leaking = found.leaking
    n = found.leaking.place[at]
    hoses = {h.id for h in leaking.circuit.hoses}
    inside = leaking.branches.beyond[n] & ~(1 << n)
    return [(i, leaking.titles[i]) for m, i in enumerate(leaking.ids) if inside >> m & 1 and i in hoses]


def _solenoid_within(found: Isolation, at: str) -> bool:
    """Whether a solenoid decides how much a pump at a place tests."""
    return found.leaking.section(at) != found.leaking.section(at, powered=False)


def _waits(record: JobRecord, found: Isolation | None, places: list[str]) -> dict[str, dict[str, float]]:
    """How long to wait at each place, s: with all that hangs on it, and alone."""
    limits = record.assessed.readings.limits(VacuumLimits)

    def alone(volume: float) -> int:
        wait = least_wait_s(
            limits, limits.hold_level_kpa, limits.hold_gauge_kpa, max(volume, PART_ML), PART_ML
        )
        return math.ceil(wait)

    if found is None:
        return {i: {SECTION: alone(PART_ML), HOLD: alone(PART_ML)} for i in places}
    return {
        place: {
            SECTION: max(
                alone(PART_ML),
                math.ceil(wait_at(record.job, record.assessed.knowledge, found.leaking, place)[1]),
            ),
            HOLD: alone(found.leaking.volumes[found.leaking.place[place]]),
        }
        for place in places
    }


def _search(record: JobRecord, workshop: Workshop, found: Isolation) -> dict[str, Any]:
    """Where the search stands, in words."""
    leaking = found.leaking
    titles = found.leaking.titles
    named = found.leaking.named
    left = sorted((n for n in range(len(leaking.ids)) if found.left >> n & 1), key=lambda n: -found.odds[n])
    cleared = [titles[i] for n, i in enumerate(leaking.ids) if found.cleared >> n & 1]
    look = found.look_first
    off = found.next_off
    whole = found.mended and not found.whole_holds
    return {
        "found": named.get(found.found, ""),
        "found_id": found.found,
        "whole_next": whole and not found.leaks.tried,
        "whole_holds": found.whole_holds,
        "mended": found.mended,
        "tight": found.tight,
        "look": named.get(look, ""),
        "look_id": look,
        "at": named.get(found.next_at, ""),
        "alone": bool(off and off.alone),
        "holds": percent(off.holds) if off else "",
        "steps": plain(round(found.still.steps, 1)),
        "minutes": plain(round(found.still.minutes)),
        "one_steps": plain(round(found.one_by_one.steps, 1)),
        "one_minutes": plain(round(found.one_by_one.minutes)),
        "left": [(leaking.ids[n], titles[leaking.ids[n]], percent(found.odds[n])) for n in left[:SHOWN_LEFT]],
        "more_left": max(0, len(left) - SHOWN_LEFT),
        "cleared": cleared,
        "several": found.several,
        "contradicts": found.contradicts,
        "roots": [named[r] for r in leaking.roots()],
    }


def _compare(record: JobRecord, found: Isolation) -> dict[str, Any] | None:
    """The hold tests beside each other as holes."""
    rows = compared(record.assessed, found)
    if not rows.branches:
        return None
    titles = found.leaking.titles

    def said(branch: Branch) -> dict[str, str]:
        endless = math.isinf(branch.tau_s)
        return {
            "title": titles[branch.at] + (" alone" if branch.tested.bit_count() == 1 else ""),
            "volume": plain(round(branch.volume_ml)),
            "tau": "no loss seen" if endless else f"{plus_minus(branch.tau_s, branch.u_tau_s)} s",
            "c": "none" if endless else f"{plus_minus(branch.hole.ml_s, branch.hole.u_ml_s)} ml/s",
            "mm": "" if endless else f"{plain(round(branch.mm, 2))} mm",
        }

    rest = rows.rest
    return {
        "rows": [said(b) for b in rows.branches],
        "whole": titles[rows.whole.at] if rows.whole else "",
        "rest": f"{plus_minus(rest.ml_s, rest.u_ml_s)} ml/s" if rest else "",
    }


class HeldForm(Fields):
    test: Annotated[str | None, one_of(SECTION, HOLD)]
    seconds: Annotated[float | None, figure("s", 1, 7200, needed=True)]
    points: Annotated[str | None, line(9000)]
    energised: Annotated[str | None, one_of(*FLAG_WORDS, needed=False)]


def held(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A hold test at a place: its start and end, or all that was read while the clock ran."""
    fields = form.read(HeldForm, record, workshop)
    knowledge = workshop.knowledge
    found = record.assessed.isolation
    places = list(found.leaking.ids) if found else [n for n, _ in fitted_nodes(record, knowledge, HOLD)]
    at = form.choice("at", [*places, HAND_PUMP, "vacuum_branch"])
    start, end = (gauge.read_vacuum(form, name, record, workshop) for name in ("start_kpa", "end_kpa"))
    for name, value in (("start_kpa", start), ("end_kpa", end)):
        if value is None and not form.raw(name):
            form.wrong(name, "type what the gauge shows")
    if fields.test and (bar := bar_to(record, knowledge, fields.test)):
        form.wrong("start_kpa", bar)
    allowed = {i for i, _ in _blocks(found, at or "")}
    blocked = form.all("blocked")
    if not set(blocked) <= allowed:
        form.wrong("blocked", "choose from what hangs on this place")
    unit = form.raw("gauge_unit") or gauge.gauge_said(record.job, workshop) or "kPa"
    points = _points(form, fields.points or "", unit)
    powered = FLAG_WORDS[fields.energised] if fields.energised else None
    read_in = gauge.gauge_entry(form, record, workshop)
    form.done()
    where = {"node": at}
    test = fields.test
    figures = {"start_kpa": round(start or 0, 3), "end_kpa": round(end or 0, 3), "seconds": fields.seconds}
    made: dict[str, Any] = {"test": test, "where": where, "figures": figures}
    if powered is not None:
        made["conditions"] = {"energised": powered}
    if blocked and test == SECTION:
        made["blocked"] = blocked
    if len(points) < 3:
        return [*read_in, form.entry("outcome", made)]
    columns = {"time_s": [t for t, _ in points], "vacuum": [v for _, v in points]}
    trace = form.entry(
        "trace",
        {
            "test": test,
            "where": where,
            "channels": {"vacuum": "vacuum"},
            "columns": {"time": columns["time_s"], "vacuum": columns["vacuum"]},
        },
        "read",
    )
    made["source"] = {"trace": trace["id"], "start_s": points[0][0], "end_s": points[-1][0]}
    return [*read_in, trace, form.entry("outcome", made)]


def _points(form: Form, text: str, unit: str) -> list[tuple[float, float]]:
    """What was read while the clock ran, as `0:60 12.5:58`, in kPa."""
    points = []
    try:
        for one in text.split()[:MOST_POINTS]:
            t, _, v = one.partition(":")
            points.append((float(t), round(convert(abs(float(v)), unit, "kPa"), 3)))
    except ValueError:
        form.wrong("points", "readings are seconds and figure, as 12:58")
    return points


FORMS = {"held": held}
BENCH = Bench("measure/_vacuum.html", shows, (), keeps=(("at", "at"),), sections=True, by_node="at")
