"""Changing the list of a vacuum circuit: a part added on a free port or into a hose, hoses joined, moved and
removed. What comes back is a whole new list; the one before stays on the tape."""

from collections.abc import Callable, Mapping
from typing import Any

from frosty_piston.core.circuit import PartKind
from frosty_piston.job.engine import EngineCard
from frosty_piston.job.entries import Circuit
from frosty_piston.knowledge import Knowledge

Listed = dict[str, Any]
EMPTY: Listed = {"parts": [], "hoses": []}
MOST_PARTS = 80
IN_LINE = "line:"


def listed(data: Circuit | None) -> Listed:
    """The parts and hoses that an entry holds, as they are written."""
    return (
        data.model_dump(exclude_none=True, by_alias=True, exclude={"of"})
        if data
        else {"parts": [], "hoses": []}
    )


def _copy(now: Listed) -> Listed:
    return {"parts": [dict(p) for p in now["parts"]], "hoses": [dict(h) for h in now["hoses"]]}


def _fresh(now: Listed, stem: str) -> str:
    taken = {x["id"] for x in (*now["parts"], *now["hoses"])}
    return next(f"{stem}_{n}" for n in range(1, len(taken) + 2) if f"{stem}_{n}" not in taken)


def taken_ports(now: Listed) -> set[str]:
    """The ports that a hose is on."""
    return {h[end] for h in now["hoses"] for end in ("from", "to")}


def free_ports(now: Listed, kinds: Mapping[str, PartKind]) -> list[tuple[str, str]]:
    """The ports that a hose can still go on, each with what it is called; vents stay open to the air."""
    taken = taken_ports(now)
    rows = []
    for part in now["parts"]:
        kind = kinds.get(part["kind"])
        for port in (*kind.outward, *kind.either, *kind.toward) if kind else ():
            if f"{part['id']}.{port}" not in taken:
                rows.append((f"{part['id']}.{port}", f"{part['title']}, {port.replace('_', ' ')}"))
    return rows


def entry_port(kind: PartKind) -> str:
    """The port at which a part gets its vacuum."""
    return (*kind.toward, *kind.either, *kind.outward)[0]


def added(now: Listed, knowledge: Knowledge, kind: str, title: str, on: str = "") -> Listed:
    """The list with one part more. `on`: the port or the hose it hangs on; a hose gets a tee, and after
    `IN_LINE` is cut in two, with the part between its halves."""
    new = _copy(now)
    kinds = knowledge.circuit.part_kinds
    part = {
        "id": _fresh(new, kind),
        "kind": kind,
        "title": title or _titled(new, knowledge.circuit.kinds[kind].title),
    }
    if on.startswith(IN_LINE):
        new["parts"].append(part)
        _between(new, kinds[kind], part["id"], on.removeprefix(IN_LINE))
        return new
    if any(h["id"] == on for h in new["hoses"]):
        on = _into(new, knowledge, on)
    new["parts"].append(part)
    if on and not kinds[kind].gives:
        join(new, on, f"{part['id']}.{entry_port(kinds[kind])}")
    return new


def passes(kind: PartKind) -> bool:
    """Whether a part has a way through it: a side toward the pump, and another."""
    return len((*kind.toward, *kind.either, *kind.outward)) > 1


def _between(new: Listed, kind: PartKind, part: str, hose_id: str) -> None:
    """Put a part into a line: the hose leads to it, and another goes on from it."""
    near = entry_port(kind)
    far = (*kind.outward, *kind.either)[-1]
    _cut(new, hose_id, f"{part}.{near}", f"{part}.{far}")


def _cut(new: Listed, hose_id: str, ends_at: str, goes_on_at: str) -> None:
    hose = next(h for h in new["hoses"] if h["id"] == hose_id)
    beyond = hose["to"]
    hose["to"] = ends_at
    rest = {key: v for key, v in hose.items() if key in ("heat", "age_years", "bore_mm")}
    new["hoses"].append({"id": _fresh(new, "hose"), "from": goes_on_at, "to": beyond, **rest})


def differences(found: Listed, should: Listed) -> list[tuple[str, str, str]]:
    """Where a circuit as found differs from how it should be: the hose, where it is, where it should be."""
    titles = {p["id"]: p["title"] for p in (*should["parts"], *found["parts"])}

    def said(end: str) -> str:
        part, _, port = end.partition(".")
        return f"{titles.get(part, part)}, {port.replace('_', ' ')}"

    def joint(hose: dict[str, Any]) -> frozenset[str]:
        return frozenset((hose["from"], hose["to"]))

    right = {joint(h) for h in should["hoses"]}
    there = {joint(h) for h in found["hoses"]}
    wanted = {h["id"]: h for h in should["hoses"]}
    rows = []
    for hose in found["hoses"]:
        if joint(hose) not in right:
            ought = wanted.get(hose["id"])
            rows.append((hose["id"], *(_ends(h, said) if h else "nowhere" for h in (hose, ought))))
    named = {row[0] for row in rows}
    missing = [h for h in should["hoses"] if joint(h) not in there and h["id"] not in named]
    return rows + [(h["id"], "not there", _ends(h, said)) for h in missing]


def _ends(hose: dict[str, Any], said: Callable[[str], str]) -> str:
    return f"{said(hose['from'])} to {said(hose['to'])}"


def _titled(now: Listed, title: str) -> str:
    """A title that no part has yet."""
    taken = {p["title"] for p in now["parts"]}
    return next(
        t for n in range(1, len(taken) + 2) if (t := title if n == 1 else f"{title} {n}") not in taken
    )


def _into(new: Listed, knowledge: Knowledge, hose_id: str) -> str:
    """Cut a tee into a hose; answers its free port."""
    tee = {
        "id": _fresh(new, "tee"),
        "kind": "tee",
        "title": _titled(new, knowledge.circuit.kinds["tee"].title),
    }
    new["parts"].append(tee)
    _cut(new, hose_id, f"{tee['id']}.a", f"{tee['id']}.b")
    return f"{tee['id']}.c"


def join(now: Listed, near: str, far: str) -> None:
    """A hose between two ports, on this list."""
    now["hoses"].append({"id": _fresh(now, "hose"), "from": near, "to": far})


def joined(now: Listed, near: str, far: str) -> Listed:
    """The list with a hose more."""
    new = _copy(now)
    join(new, near, far)
    return new


def changed(now: Listed, what: str, item: str, fields: Mapping[str, Any]) -> Listed:
    """The list with some fields of a part or a hose set anew; None takes one away."""
    new = _copy(now)
    one = next(x for x in new[what] if x["id"] == item)
    for key, value in fields.items():
        one.pop(key, None)
        if value is not None:
            one[key] = value
    return new


def removed(now: Listed, item: str) -> Listed:
    """The list without a part and the hoses on it, or without a hose."""
    return {
        "parts": [dict(p) for p in now["parts"] if p["id"] != item],
        "hoses": [
            dict(h)
            for h in now["hoses"]
            if h["id"] != item and item not in (h["from"].partition(".")[0], h["to"].partition(".")[0])
        ],
    }


CONSUMERS = {
    "turbo": ("Turbo actuator", "turbo_actuator", "Boost solenoid"),
    "egr": ("EGR actuator", "egr_actuator", "EGR solenoid"),
    "bypass": ("Bypass flap actuator", "bypass_actuator", "Bypass solenoid"),
    "swirl": ("Swirl flap actuator", "swirl_actuator", "Swirl flap solenoid"),
    "inlet": ("Inlet flap actuator", "inlet_actuator", "Inlet flap solenoid"),
}
PLAIN = {
    "booster": "Brake booster",
    "reservoir": "Reservoir",
    "mounts": "Engine mounts",
    "stop": "Engine stop",
}
OFFERED = (*PLAIN, *CONSUMERS)


def on_card(engine: EngineCard) -> tuple[str, ...]:
    """What of a circuit an engine card speaks of; the booster is there wherever a pump is."""
    drives = {
        "booster": engine.vacuum_pump is not False,
        "reservoir": engine.turbo == "vgt_vacuum",
        "stop": engine.stop == "vacuum",
        "mounts": engine.vacuum_mounts is True,
        "turbo": engine.turbo == "vgt_vacuum",
        "egr": engine.egr_drive == "vacuum" and engine.egr != [],
        "bypass": engine.egr_cooler_bypass == "vacuum",
        "swirl": engine.swirl_flaps == "vacuum",
        "inlet": engine.inlet_flap == "vacuum",
    }
    return tuple(name for name in OFFERED if drives.get(name))


def from_template(knowledge: Knowledge, wanted: tuple[str, ...]) -> Listed:
    """A list as such circuits mostly are: booster first with its valve, the stop tapped off its line, then
    the reservoir behind a valve of its own, and what is driven behind its solenoids. Meant to be held against
    the engine and changed."""
    template = _Template(knowledge)
    outlet = template.part("pump", "Pump", "") + ".out"
    trunk = [name for name in wanted if name in CONSUMERS] + (["mounts"] if "mounts" in wanted else [])
    rest = bool(trunk) or "reservoir" in wanted
    if "booster" in wanted:
        line, outlet = template.split(outlet, "Tee at the pump") if rest else (outlet, "")
        if "stop" in wanted:
            line, tap = template.split(line, "Tap for the stop")
            template.stop(tap)
        valve = template.part("check_valve", "Booster valve", line)
        template.part("booster", "Brake booster", f"{valve}.far_side")
    elif "stop" in wanted:
        tap, outlet = template.split(outlet, "Tap for the stop") if rest else (outlet, "")
        template.stop(tap)
    if rest and "reservoir" in wanted:
        valve = template.part("check_valve", "Reservoir valve", outlet)
        outlet = template.part("reservoir", "Reservoir", f"{valve}.far_side") + ".b"
    for n, name in enumerate(trunk):
        here, outlet = template.split(outlet, f"Tee {n + 1}") if n < len(trunk) - 1 else (outlet, "")
        if name == "mounts":
            template.part("mount", "Engine mount", here)
        else:
            title, kind, solenoid = CONSUMERS[name]
            template.part(kind, title, template.part("solenoid", solenoid, here) + ".output")
    return template.made


class _Template:
    """Hangs parts on ports, one after the other."""

    def __init__(self, knowledge: Knowledge) -> None:
        self.knowledge = knowledge
        self.made = _copy(EMPTY)

    def part(self, kind: str, title: str, on: str) -> str:
        self.made = added(self.made, self.knowledge, kind, title, on)
        made: str = self.made["parts"][-1]["id"]
        return made

    def split(self, outlet: str, title: str) -> tuple[str, str]:
        tee = self.part("tee", title, outlet)
        return f"{tee}.c", f"{tee}.b"

    def stop(self, tap: str) -> None:
        key = self.part("key_switch", "Switch at the key", tap)
        self.part("stop_actuator", "Stop actuator", f"{key}.output")
