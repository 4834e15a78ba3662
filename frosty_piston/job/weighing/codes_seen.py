"""The codes of a job sorted: what bears on the complaint, what is noise, what is parked, what follows from
what."""

from collections.abc import Iterable
from dataclasses import dataclass, replace

from frosty_piston.core.codes import Decoded, decode
from frosty_piston.job.afterwards.experience import Experience
from frosty_piston.job.entries import Entry
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge

ENGINE_WORDS = (
    "engine",
    "motor",
    "powertrain",
    "ecm",
    "ecu",
    "pcm",
    "dcm",
    "glow",
    "def",
    "scr",
    "dosing",
    "nox",
    "exhaust",
    "turbo",
    "injector",
    "injection",
    "fuel",
    "egr",
    "all",
    "network",
    "gateway",
)
BEARS_CHANCE = 0.5
SHARED_CHANCE = 0.1
LIFE_OF_HISTORY = 0.5
LIFE_OF_OTHERS = 0.5
LIFE_OF_INTERMITTENT = 0.75  # it was there, and is not now


@dataclass(frozen=True)
class CodeSeen:
    """One code on the tape: its meaning, and what became of it.

    `place`: `bears`, `noise` (set by an unplugging on this job), `parked` (on the owner's list) or `unknown`.
    `why`: the reason in plain words. `follows`: the codes on this job that it is a consequence of. `weight`:
    how fully it counts.
    """

    entry: Entry
    decoded: Decoded
    title: str
    system: str
    kind: str
    group: str
    place: str
    why: str
    follows: tuple[str, ...] = ()
    weight: float = 1.0

    @property
    def code(self) -> str:
        return self.decoded.code


def cylinders_named(knowledge: Knowledge, seen: Iterable[CodeSeen], cylinders: int) -> tuple[int, ...]:
    """The cylinders that codes name, those that bear on the complaint first."""
    ordered = sorted(seen, key=lambda c: c.place != "bears")
    named = [known.cylinder for c in ordered if (known := knowledge.codes.get(c.code)) and known.cylinder]
    return tuple(c for c in dict.fromkeys(named) if c <= cylinders)


def group_of(knowledge: Knowledge, parts: Decoded) -> str:
    """The group a code speaks in; a fault-type byte may move it to that of another kind."""
    known = knowledge.codes.get(parts.code)
    if known is None:
        return ""
    return knowledge.groups[known.group].refined.get(parts.kind or "", known.group)


def codes_seen(
    job: Job, knowledge: Knowledge, experience: Experience, entries: tuple[Entry, ...]
) -> list[CodeSeen]:
    """Sort the codes among some entries of a job."""
    noise = _set_by_unplugging(entries)
    seen = [_one(job, knowledge, experience, x, noise) for x in entries if x.kind == "code"]
    if _explained(job, knowledge, [c.group for c in seen if c.place == "bears" and c.weight == 1]):
        seen = [
            replace(
                code,
                place="parked",
                why=f"{code.why.split(':')[0]}, and the complaint is explained without it",
            )
            if code.place == "bears" and code.weight < 1
            else code
            for code in seen
        ]
    of_group: dict[str, list[str]] = {}
    for c in seen:
        if c.place == "bears":
            of_group.setdefault(c.group, []).append(c.code)
    return [_with_cause(knowledge, c, of_group) if c.place == "bears" else c for c in seen]


def _with_cause(knowledge: Knowledge, seen: CodeSeen, of_group: dict[str, list[str]]) -> CodeSeen:
    causes = tuple(
        dict.fromkeys(
            code
            for group in knowledge.groups[seen.group].follows
            for code in of_group.get(group, ())
            if code != seen.code
        )
    )
    return replace(seen, follows=causes) if causes else seen


def _one(job: Job, knowledge: Knowledge, experience: Experience, entry: Entry, noise: set[str]) -> CodeSeen:
    parts = decode(entry.data.code)
    known = knowledge.codes.get(parts.code)
    group = group_of(knowledge, parts)
    mine = experience.codes.get(parts.code)
    if known:
        title = known.title
    elif mine:
        title = mine.text
    else:
        title = entry.data.text or parts.says
    listed = known or mine
    system = listed.system if listed else ""
    kind = parts.kind or (listed.kind if listed else "")

    def placed(place: str, why: str, weight: float = 1.0) -> CodeSeen:
        return CodeSeen(
            entry,
            parts,
            title,
            system=system,
            kind=kind,
            group=group,
            place=place,
            why=why,
            follows=(),
            weight=weight,
        )

    if entry.id in noise:
        return placed("noise", "first seen after something was unplugged on this job")
    if parts.area in ("body", "chassis"):
        return placed("parked", "of a module that cannot bear on the complaint")
    if not group:
        return placed(
            "unknown",
            (
                "in the workshop's own words; it moves no odds"
                if mine
                else "not known here: look it up in your service data, then give it your own text"
            ),
        )
    module = (entry.data.module or "").lower()
    elsewhere = bool(module) and parts.area != "network" and not any(w in module for w in ENGINE_WORDS)
    if elsewhere:
        return placed(
            "bears", "of another module: counts in half until the complaint is explained", LIFE_OF_OTHERS
        )
    if entry.data.status == "history":
        return placed(
            "bears", "only in the history: counts in half until the complaint is explained", LIFE_OF_HISTORY
        )
    if entry.data.status == "intermittent":
        return placed("bears", "comes and goes: counts for three quarters", LIFE_OF_INTERMITTENT)
    return placed("bears", "")


def _explained(job: Job, knowledge: Knowledge, groups: list[str]) -> bool:
    """Whether some codes that count in full explain the whole complaint: each symptom by a fault that one of
    them speaks for."""
    faults = {
        fault
        for group in groups
        for fault, row in knowledge.group_findings[group].shows.items()
        if row[1] >= BEARS_CHANCE
    }
    return bool(job.complaints) and all(
        any(f in faults and p[1] >= SHARED_CHANCE for f, p in knowledge.symptom_findings[s].shows.items())
        for s in job.complaints
    )


def _set_by_unplugging(entries: tuple[Entry, ...]) -> set[str]:
    """Codes first seen once something was unplugged, until it is back in place and the codes were cleared."""
    known: set[str] = set()
    noise: set[str] = set()
    open_plugs: set[str] = set()
    tainted = False
    for entry in entries:
        if entry.kind == "action" and entry.data.action == "unplugged":
            open_plugs.add(entry.data.what.lower())
            tainted = True
        elif entry.kind == "action" and entry.data.action == "plugged_in":
            open_plugs.discard(entry.data.what.lower())
        elif entry.kind == "outcome" and entry.data.test == "unplug_compare":
            tainted = True
        elif entry.kind == "code_clear" and not open_plugs:
            tainted = False
        elif entry.kind == "code":
            code = decode(entry.data.code).code
            if tainted and code not in known:
                noise.add(entry.id)
            elif code not in known:
                known.add(code)
    return noise


def in_common(knowledge: Knowledge, codes: list[CodeSeen]) -> list[tuple[str, list[str]]]:
    """The faults that more than one group of bearing codes points at, with those codes; the most codes
    first."""
    groups = dict.fromkeys(c.group for c in codes if c.place == "bears")
    shared: dict[str, list[str]] = {}
    for group in groups:
        for fault, row in knowledge.group_findings[group].shows.items():
            if row[1] >= 0.1:
                shared.setdefault(fault, []).append(group)
    rows = [
        (fault, [c.code for c in codes if c.place == "bears" and c.group in of])
        for fault, of in shared.items()
        if len(of) > 1
    ]
    return sorted(
        rows,
        key=lambda r: (-len(r[1]), -sum(knowledge.group_findings[g].shows[r[0]][1] for g in shared[r[0]])),
    )
