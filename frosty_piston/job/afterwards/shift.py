"""A job handed from one person to the next: what was done, what lies on the bench, what runs, made from the
tape."""

from dataclasses import dataclass

from frosty_piston.core.quantity import plain
from frosty_piston.core.words import inside, spoken
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Action, Correction, Entry, Hardware, Shift, State, Tick
from frosty_piston.job.entries.arrival import STATE_WORDS
from frosty_piston.job.repair.fit import missing_pieces
from frosty_piston.job.repair.waits import open_waits
from frosty_piston.job.repair.work import to_do
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge

MOST_LINES = 12
UNPLUGGED = "unplugged"
PLUGGED_IN = "plugged_in"
SILENT = (Tick, Correction, Shift)


@dataclass(frozen=True)
class Left:
    """What the next person has to know: lines of what was done, what is left open, what runs, and what is
    next."""

    did: tuple[str, ...]
    bench: tuple[str, ...]
    running: tuple[str, ...]
    next: str


def left_by(assessed: Assessed, by: str, next_step: str) -> Left:
    """What one person leaves: what they wrote since the job was last handed on, and how it stands. Nobody
    named: what anybody wrote."""
    return Left(_did(assessed, by), _bench(assessed), _runs(assessed.job), next_step)


def last_shift(job: Job) -> Entry[Shift] | None:
    """The last handing-on; None when there was none, or it was taken over."""
    last = job.last(Shift)
    return last if last is not None and last.data.takes is None else None


def _did(assessed: Assessed, by: str) -> tuple[str, ...]:
    job = assessed.job
    knowledge = assessed.knowledge
    handed = [x for x in job.of(Shift) if x.data.takes is None]
    since = job.position[handed[-1].id] if handed else -1
    on_tape = {x.id: x for x in job.tape}
    lines = [
        entry.data.says(knowledge, on_tape)
        for entry in job.live
        if job.position[entry.id] > since
        and not isinstance(entry.data, SILENT)
        and (not by or entry.by in (None, by))
    ]
    shown = list(dict.fromkeys(lines))
    more = len(shown) - MOST_LINES
    return (*shown[-MOST_LINES:], *([f"and {more} more lines on the tape"] if more > 0 else []))


def _bench(assessed: Assessed) -> tuple[str, ...]:
    job = assessed.job
    knowledge = assessed.knowledge
    lines = [
        f"On the bench: {', '.join(_fastener(f.hardware) for f in w.plan.on_bench)} ({inside(w.title)})"
        for w in to_do(assessed)
        if w.plan.on_bench
    ]
    lines += [f"Missing: {p.lost}" for p in missing_pieces(job)]
    lines += [f"Unplugged: {inside(name)}" for name in _unplugged(job, knowledge)]
    states = {x.data.state: x.data.on for x in job.of(State)}
    lines += [STATE_WORDS[s] for s, on in states.items() if on and s in ("raised", "customer_waits")]
    return tuple(lines)


def _fastener(h: Hardware) -> str:
    return f"{h.what} ({h.mark})" if h.mark else h.what


def _unplugged(job: Job, knowledge: Knowledge) -> list[str]:
    open_now: dict[str, str] = {}
    for action in job.of(Action):
        name = action.data.where.node or action.data.what
        where = f", cylinder {action.data.where.cylinder}" if action.data.where.cylinder else ""
        title = (knowledge.nodes[name].title if name in knowledge.nodes else spoken(name)) + where
        if action.data.action == UNPLUGGED:
            open_now[name + where] = title
        elif action.data.action == PLUGGED_IN:
            open_now.pop(name + where, None)
    return list(open_now.values())


def _runs(job: Job) -> tuple[str, ...]:
    waits = []
    for x in open_waits(job):
        until = f", until {x.data.until.astimezone():%a %H:%M}" if x.data.until else ""
        hot = f", to {plain(x.data.wanted_c)} °C" if x.data.wanted_c is not None else ""
        waits.append(f"{x.data.what}{hot}{until}")
    return tuple(waits)
