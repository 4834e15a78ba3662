"""Plugs that were opened: it cleans the contact, so that what comes and goes stays away for a while. What
was opened keeps the job on trial until the contact is mended or stays quiet under the hand."""

from collections.abc import Iterator
from dataclasses import dataclass

from frosty_piston.core.quantity import percent
from frosty_piston.core.words import inside
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Action, Entry, Outcome, Reading, Symptom
from frosty_piston.job.judging.result import Result
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.weighing import presence
from frosty_piston.job.weighing.evidence import part_of
from frosty_piston.knowledge import Knowledge

WIGGLE = "wiggle"
MOVES = 0.25
OPENS = ("unplugged", "plugged_in", "removed", "refitted", "disturbed")
COUNTS_FROM = 0.05


@dataclass(frozen=True)
class Opened:
    """A plug that was opened: the part, its cylinder where it has one, and the entry that says so."""

    node: str
    cylinder: int | None
    entry: Entry


@dataclass(frozen=True)
class Doubt:
    """A contact that nobody mended and that was opened: its fault may only be resting."""

    opened: Opened
    fault: str
    because: str


def contact_faults(knowledge: Knowledge, node: str) -> tuple[str, ...]:
    """The faults of a part that move under the hand: those that a wiggle test shows there."""
    return tuple(
        speaks.fault
        for known in knowledge.findings[WIGGLE]
        if node in known.shape.nodes
        for speaks in known.shape.speaks
        if float(known.finding.shows[speaks.fault][-1]) >= MOVES
    )


def opened(assessed: Assessed) -> tuple[Opened, ...]:
    """Every plug that was opened on the job, each place once with its latest entry, in their order."""
    job = assessed.job
    knowledge = assessed.knowledge
    by_id = {x.id: x for x in job.live}
    found = [*_by_tests(assessed, by_id), *_by_acts(job, knowledge)]
    latest: dict[tuple[str, int | None], Opened] = {}
    for o in sorted(found, key=lambda o: job.position[o.entry.id]):
        latest.pop((o.node, o.cylinder), None)
        latest[(o.node, o.cylinder)] = o
    return tuple(latest.values())


def _by_tests(assessed: Assessed, by_id: dict[str, Entry]) -> Iterator[Opened]:
    for verdicts in assessed.judged:
        for verdict in verdicts:
            if not assessed.knowledge.tests[verdict.test].opens_plug:
                continue
            node = part_of(assessed.job, assessed.knowledge, verdict) or _only_node(
                assessed.knowledge, verdict.test
            )
            if node is not None:
                cylinder = verdict.where.get("cylinder")
                yield from (
                    Opened(node, cylinder if isinstance(cylinder, int) else None, by_id[i])
                    for i in verdict.entries
                    if i in by_id and not _plugged_in(by_id[i])
                )


def _plugged_in(entry: Entry) -> bool:
    """Whether a reading was taken from behind, with the plug on: so said, or the part was drawing."""
    conditions = entry.data.conditions if isinstance(entry.data, Reading | Outcome) else None
    if conditions is None:
        return False
    return conditions.wires_off is False or conditions.wires_off is None and conditions.loaded is True


def _only_node(knowledge: Knowledge, test: str) -> str | None:
    nodes = [n for n, shape in knowledge.nodes.items() if shape.part in knowledge.tests[test].parts]
    return nodes[0] if len(nodes) == 1 else None


def _by_acts(job: Job, knowledge: Knowledge) -> Iterator[Opened]:
    for action in job.of(Action):
        if action.data.action not in OPENS:
            continue
        node = knowledge.node(action.data.where.node or action.data.what)
        if node is not None:
            yield Opened(node, action.data.where.cylinder, action)


def comes_and_goes(job: Job, knowledge: Knowledge, verdicts: list[Result]) -> bool:
    """Whether the complaint is one that comes and goes: by its nature, so said, known returns, or a dropout
    counted."""
    returned = any(x.data.returns or x.data.returns_about for x in job.of(Symptom))
    by_nature = any(knowledge.symptoms[s].comes_and_goes for s in job.complaints)
    dropped = any(v.test == WIGGLE and v.judgement.verdict in ("failed", "marginal") for v in verdicts)
    return by_nature or bool(presence.comes_and_goes(job, knowledge).entries) or returned or dropped


def doubts(assessed: Assessed) -> tuple[Doubt, ...]:
    """The contacts that were opened, whose fault was a suspect at the repair, and that were neither mended
    nor stayed quiet since: one for each part."""
    job = assessed.job
    knowledge = assessed.knowledge
    suspicion = assessed.suspicion
    before = [v for verdicts in assessed.judged for v in verdicts]
    if not job.repairs or not comes_and_goes(job, knowledge, before):
        return ()
    cured = {f for s in suspicion.chain if s.done and s.done.is_repair for f in s.done.cures}
    found: dict[str, Doubt] = {}
    for opened_at in opened(assessed):
        faults = contact_faults(knowledge, opened_at.node)
        if cured & set(faults) or _quiet_since(assessed, opened_at):
            continue
        for fault in faults:
            stood = suspicion.at_repair(fault) or 0.0
            if fault in suspicion.space.faults and stood >= COUNTS_FROM:
                found.setdefault(
                    opened_at.node, Doubt(opened_at, fault, _says(knowledge, opened_at, fault, stood))
                )
    return tuple(found.values())


def _quiet_since(assessed: Assessed, opened: Opened) -> bool:
    """Whether the part was wiggled after the last repair, for as long as before, and stayed quiet."""
    at = assessed.job.position
    wiggled = [
        verdict
        for verdict in assessed.after
        if verdict.test == WIGGLE
        and part_of(assessed.job, assessed.knowledge, verdict) == opened.node
        and min(at[i] for i in verdict.entries) > at[opened.entry.id]
    ]
    return bool(wiggled) and all(v.judgement.verdict == "sound" for v in wiggled)


def _says(knowledge: Knowledge, o: Opened, fault: str, stood: float) -> str:
    where = f"{knowledge.nodes[o.node].title}" + (f", cylinder {o.cylinder}" if o.cylinder else "")
    return (
        f"Disturbed: the plug of {inside(where)} was opened. That alone keeps a poor contact quiet for a"
        f" while, and {inside(knowledge.faults[fault].title)} stood at {percent(stood)}. Wiggle it, as long"
        " as before, without a dropout; or mend it."
    )
