"""Job files for tests, built entry by entry."""

from typing import Any

NORRA = {
    "name": "Norra D4-22",
    "cylinders": 4,
    "arrangement": "inline",
    "combustion": "direct",
    "compression_ratio": 16.5,
    "injection": "rail_solenoid",
    "glow": "rod_12v",
    "glow_control": "relay_module",
    "glow_nominal_ohm": 0.8,
    "batteries": 1,
    "system_voltage": 12,
    "intake_heater": False,
    "limits": {},
}
SKARN = {
    "name": "Skarn V8-60",
    "cylinders": 8,
    "arrangement": "vee",
    "combustion": "direct",
    "injection": "hydraulic_unit",
    "glow": "rod_12v",
    "glow_control": "timer_relay",
    "batteries": 2,
    "system_voltage": 12,
    "limits": {},
}


def job_file(
    *entries: dict[str, Any], engine: dict[str, Any] = NORRA, job_id: str = "case"
) -> dict[str, Any]:
    numbered = [{"id": f"e{i}", **entry} for i, entry in enumerate(entries, 1)]
    return {
        "format": "frosty-piston/job",
        "version": 1,
        "job": {"id": job_id, "title": "Case", "opened_at": "2026-01-14T06:40:00Z"},
        "vehicle": {"name": "Van", "odometer_km": 184200},
        "engine": engine,
        "entries": numbered,
    }


def entry(kind: str, **data: Any) -> dict[str, Any]:
    return {"kind": kind, "data": data}


def symptom(name: str, present: bool = True) -> dict[str, Any]:
    return entry("symptom", symptom=name, present=present)


def meter(zero: float = 0.2) -> dict[str, Any]:
    return entry(
        "instrument",
        instrument="meter",
        lead_zero=zero,
        unit="ohm",
        accuracy_percent=0.8,
        accuracy_digits=3,
        resolution=0.01,
    )


def reading(
    test: str, value: Any, unit: str, conditions: dict[str, Any] | None = None, **where: Any
) -> dict[str, Any]:
    data = {"test": test, "where": where, "value": value, "unit": unit}
    return entry("reading", **(data | ({"conditions": conditions} if conditions else {})))


def outcome(test: str, result: str, **where: Any) -> dict[str, Any]:
    return entry("outcome", test=test, where=where, outcome=result)


def plugs(values: list[Any], point: str = "harness_connector") -> list[dict[str, Any]]:
    return [reading("glow_resistance", v, "ohm", point=point, cylinder=i) for i, v in enumerate(values, 1)]


def relay_read(loaded: bool = True, **volts: float) -> list[dict[str, Any]]:
    return [
        reading("glow_relay", v, "V", {"loaded": loaded} if p == "output" else None, point=p)
        for p, v in volts.items()
    ]


MODERN = {
    "name": "Norra D4-22",
    "cylinders": 4,
    "arrangement": "inline",
    "combustion": "direct",
    "displacement_l": 2.2,
    "compression_ratio": 16.5,
    "injection": "rail_solenoid",
    "glow": "rod_12v",
    "glow_control": "relay_module",
    "glow_nominal_ohm": 0.8,
    "turbo": "vgt_electric",
    "egr": ["high_pressure"],
    "egr_drive": "motor",
    "egr_cooler_bypass": "vacuum",
    "inlet_flap": "motor",
    "swirl_flaps": "vacuum",
    "dpf": True,
    "scr": True,
    "vacuum_pump": True,
    "stop": "electric",
    "intake_heater": False,
    "batteries": 1,
    "system_voltage": 12,
    "limits": {},
}
VACUUM = {
    **MODERN,
    "name": "Norra D5-30",
    "cylinders": 5,
    "turbo": "vgt_vacuum",
    "scr": False,
    "dpf": False,
    "stop": "vacuum",
    "egr_drive": "vacuum",
    "injection": "rotary_pump",
    "combustion": "prechamber",
}


def code(name: str) -> dict[str, Any]:
    return entry("code", code=name)


def scan() -> dict[str, Any]:
    return entry("code_scan", module="all")


def context(name: str) -> dict[str, Any]:
    return entry("context", context=name)


def figures(test: str, where: dict[str, Any] | None = None, **given: Any) -> dict[str, Any]:
    return entry("outcome", test=test, where=where or {}, figures=given)


def unplugged(what: str) -> dict[str, Any]:
    return entry("action", action="unplugged", what=what)


def vacuum_circuit(**hoses: dict[str, Any]) -> dict[str, Any]:
    """A circuit with booster, stop, reservoir, turbo and a tap between; `hoses` add to what is known of
    each."""
    parts = (
        ("p", "pump", "Pump"),
        ("t", "tee", "Tap"),
        ("t2", "tee", "Tee"),
        ("b", "booster", "Brake booster"),
        ("k", "key_switch", "Switch at the key"),
        ("s", "stop_actuator", "Stop actuator"),
        ("v", "check_valve", "One-way valve"),
        ("r", "reservoir", "Reservoir"),
        ("z", "solenoid", "Boost solenoid"),
        ("a", "turbo_actuator", "Turbo actuator"),
    )
    ends = (
        ("h1", "p.out", "t.a"),
        ("h2", "t.b", "t2.a"),
        ("h3", "t.c", "k.supply"),
        ("h4", "k.output", "s.in"),
        ("h5", "t2.b", "b.in"),
        ("h6", "t2.c", "v.pump_side"),
        ("h7", "v.far_side", "r.a"),
        ("h8", "r.b", "z.supply"),
        ("h9", "z.output", "a.in"),
    )
    return entry(
        "circuit",
        parts=[{"id": i, "kind": kind, "title": title} for i, kind, title in parts],
        hoses=[{"id": i, "from": a, "to": b, **hoses.get(i, {})} for i, a, b in ends],
    )


def held(
    at: str, end: float, start: float = 60.0, test: str = "vacuum_section", s: float = 60, **more: Any
) -> Any:
    """A hold test at a place of a circuit."""
    figures = {"start_kpa": start, "end_kpa": end, "seconds": s}
    return entry("outcome", test=test, where={"node": at}, figures=figures, **more)


TICKED = [
    entry("tick", caution=c) for c in ("injector_voltage", "fuel_injection_pressure", "battery_ground_off")
]
