"""The drawing of a job's circuit with the state and the heat of each place, and the test that each opens."""

from typing import Any

from frosty_piston.core.circuit import outward
from frosty_piston.core.quantity import percent
from frosty_piston.job.circuit.isolation import Isolation
from frosty_piston.job.circuit.on_tape import circuit_entry, circuit_of, hose_title
from frosty_piston.job.place import bench_of
from frosty_piston.job.plan import warmth
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.workshop import JobRecord, Workshop

from .circuit_drawing import CircuitDrawing, draw_circuit
from .verdict_marks import MARKS

LEAST_WIDTH = 680.0
MOST_MARK = 12
STATE_MARKS = {"holds": "sound", "leaks": "failed", "off": "failed", "blocked": "marginal", "unknown": ""}
HOLDS_BENCH = ("vacuum_hold", "vacuum_section", "vacuum_look")
NODES = {
    "turbo_actuator": "turbo_actuator",
    "egr_actuator": "egr_valve",
    "bypass_actuator": "bypass_flap",
    "swirl_actuator": "swirl_flaps",
    "inlet_actuator": "inlet_flap",
}


def test_of(knowledge: Knowledge, job_id: str, kind: str, item: str) -> str:
    """The address of the test that a part of the circuit opens."""
    test = knowledge.circuit.kinds[kind].test if kind in knowledge.circuit.kinds else "vacuum_hold"
    if test in HOLDS_BENCH:
        return f"/jobs/{job_id}/measure/vacuum?at={item}#hold"
    node = NODES.get(kind, "")
    return f"/jobs/{job_id}/measure/{bench_of(knowledge, test, node)}#step-{test}{f'-{node}' if node else ''}"


def drawn(
    record: JobRecord, workshop: Workshop, found: Isolation | None = None, of: str = "found"
) -> dict[str, Any] | None:
    """The drawing of the job's circuit with state, heat and the test of each place; None without one."""
    last = circuit_entry(record.job, of)
    knowledge = workshop.knowledge
    if last is None or not last.data.parts:
        return None
    circuit = circuit_of(last.data)
    drawing = draw_circuit(circuit, knowledge)
    found = found or record.assessed.isolation
    states = found.states if found else {}
    odds = dict(zip(found.leaking.ids, found.odds, strict=True)) if found else {}
    titles = {p.id: p.title for p in circuit.parts}
    kinds = {p.id: p.kind for p in circuit.parts}
    wrong = {i for w in outward(circuit, knowledge.circuit.part_kinds).wrong for i in w.ids}
    marks = {h.id: h.mark for h in last.data.hoses}
    narrowed = bool(found and found.leaks.tried)
    return {
        "size": (max(drawing.width, LEAST_WIDTH), drawing.height),
        "parts": [
            {
                "s": part,
                **_state(states.get(part.id, "unknown"), odds.get(part.id, 0.0), narrowed),
                "wrong": part.id in wrong or not part.reached,
                "link": test_of(knowledge, record.job.id, kinds[part.id], part.id),
                "up": _branches_down(drawing, part.id),
            }
            for part in drawing.parts
        ],
        "hoses": [
            {
                "s": s,
                **_state(states.get(s.id, "unknown"), odds.get(s.id, 0.0), narrowed),
                "wrong": s.id in wrong or s.odd,
                "title": hose_title(hose, titles),
                "link": f"/jobs/{record.job.id}/measure/vacuum?at={s.id}#hold",
                "label": (marks.get(s.id) or "").split(",")[0][:MOST_MARK],
                "hands": hose.last_hands,
            }
            for s in drawing.hoses
            for hose in circuit.hoses
            if hose.id == s.id
        ],
    }


def _branches_down(drawing: CircuitDrawing, part: str) -> bool:
    """Whether a hose goes down from a part, where its name would stand."""
    at = next(s for s in drawing.parts if s.id == part)
    return any(h.points[0] == (at.x, at.y) and h.points[1][1] > at.y for h in drawing.hoses)


def _state(state: str, odds: float, narrowed: bool) -> dict[str, Any]:
    """How a place is drawn: its mark, its warmth once something was tested, its state in words."""
    warm = warmth(odds) if narrowed and state in ("unknown", "leaks", "off") else 0
    return {
        "state": state,
        "mark": MARKS.get(STATE_MARKS[state], "ring"),
        "class": f"warm-{warm}" + (" cleared" if state == "holds" else ""),
        "says": state + (f", {percent(odds)}" if warm else ""),
    }
