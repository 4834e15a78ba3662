"""The basket of a job: what was picked, since when and why, what was done of it round by round, what the
owner said of it, and what it comes to."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import zip_longest

from frosty_piston.job.entries import Entry
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge


@dataclass(frozen=True)
class Picked:
    """One option in the basket: the place on the tape since which it lies there, and why it was put in."""

    option: str
    since: int
    reason: str | None


@dataclass(frozen=True)
class Round:
    """What was picked together, by the last entry that put in or took out; `start`: the place of the first.
    `ended`: a proof failed after it."""

    entry: Entry
    picked: tuple[Picked, ...]
    start: int
    ended: bool = False

    @property
    def options(self) -> tuple[str, ...]:
        return tuple(p.option for p in self.picked)

    @property
    def price(self) -> int | None:
        return None if self.entry.data.price is None else int(self.entry.data.price)


def rounds(job: Job) -> tuple[Round, ...]:
    """The baskets of a job in their order. One goes on while things are put in or taken out of it, or their
    price changes; what shares nothing with it, the same picked anew once something was done, or a pick after
    a failed proof begins another."""
    made: list[Round] = []
    acts = [job.position[x.id] for x in job.repairs]
    begins = job.position[job.since_failure[0].id] if job.since_failure else len(job.live)
    for entry in job.live:
        if entry.kind != "option" or not entry.data.chosen:
            continue
        at = job.position[entry.id]
        options = tuple(dict.fromkeys(entry.data.option.split("+")))
        before = made[-1] if made else None
        goes_on = (
            before is not None
            and bool(set(options) & set(before.options))
            and (set(options) != set(before.options) or not any(before.start < x < at for x in acts))
            and (before.start >= begins) == (at >= begins)
        )
        kept = {p.option: p for p in before.picked} if before is not None and goes_on else {}
        picked = tuple(kept.get(o, Picked(o, at, entry.data.reason)) for o in options)
        if before is not None and goes_on:
            made[-1] = Round(entry, picked, before.start, at < begins)
        else:
            made.append(Round(entry, picked, at, at < begins))
    return tuple(made)


def basket(job: Job) -> Round | None:
    """What lies in the basket now, since a proof last failed."""
    made = rounds(job)
    return made[-1] if made and not made[-1].ended else None


def done_of(job: Job, knowledge: Knowledge, one: Round, until: int | None = None) -> tuple[str, ...]:
    """The options of a basket whose work was done, before the place `until` where the next one begins."""
    done = [(job.position[x.id], x.data.repair) for x in job.repairs]
    return tuple(
        p.option
        for p in one.picked
        if p.option in knowledge.options
        and any(
            repair == knowledge.options[p.option].repair and at > p.since and (until is None or at < until)
            for at, repair in done
        )
    )


@dataclass(frozen=True)
class Bill:
    """What a job comes to: every basket of which something was done, and the one that lies there now. Prices
    with tax in the smallest coin; `open`: how many of them nobody put a price on."""

    rounds: tuple[Round, ...]
    ceiling: int | None

    @property
    def total(self) -> int | None:
        priced = [r.price for r in self.rounds if r.price is not None]
        return sum(priced) if priced else None

    @property
    def open(self) -> int:
        return sum(r.price is None for r in self.rounds)

    @property
    def now(self) -> int:
        """What the last basket comes to."""
        return (self.rounds[-1].price or 0) if self.rounds else 0

    @property
    def before(self) -> int:
        """What the baskets before the last come to."""
        return sum(r.price or 0 for r in self.rounds[:-1])

    @property
    def above(self) -> bool:
        """Whether the sum is above what the owner agreed to."""
        return self.total is not None and self.ceiling is not None and self.total > self.ceiling


def bill(job: Job, knowledge: Knowledge) -> Bill:
    """What was agreed and done over all rounds, with the ceiling the owner last named. What the owner said
    no to costs nothing."""
    made = rounds(job)
    counted = tuple(
        one
        for one, end in zip_longest(made, (r.start for r in made[1:]))
        if (end is None and not one.ended and not _declined(job, one)) or done_of(job, knowledge, one, end)
    )
    named = [x.data.ceiling for x in job.live if x.kind == "consent" and x.data.answer == "yes"]
    return Bill(counted, next((c for c in reversed(named) if c is not None), None))


def _asked_for(job: Job, consent: Entry) -> Sequence[str | None]:
    """The options that a word of the owner is about: those it names, else what lay in the basket then."""
    if consent.data.options:
        return list(consent.data.options)
    if consent.data.option:
        return list(consent.data.option.split("+"))
    at = job.position[consent.id]
    lay = [x for x in job.since_failure if x.kind == "option" and x.data.chosen and job.position[x.id] < at]
    return list(lay[-1].data.option.split("+")) if lay else [None]


def _declined(job: Job, one: Round) -> bool:
    """Whether the owner's last word on all of a basket is no."""
    last = [
        [x for x in job.since_failure if x.kind == "consent" and o in _asked_for(job, x)] for o in one.options
    ]
    return all(said and said[-1].data.answer == "no" for said in last)


def agreed_for(job: Job, option: str | None) -> bool:
    """Whether the owner said yes to one of the options picked, by itself or with others. The last word
    counts."""
    said = False
    for entry in job.since_failure:
        if entry.kind == "consent" and option in _asked_for(job, entry):
            said = entry.data.answer == "yes"
    return said


def agreed(job: Job) -> bool:
    """Whether the owner said yes to all that lies in the basket."""
    now = basket(job)
    return all(agreed_for(job, o) for o in (now.options if now else (None,)))
