"""The cleaning log: turns of a part, what each brought, and whether another would be worth it."""

from dataclasses import dataclass

from frosty_piston.job.entries import Action, Entry
from frosty_piston.job.tape.fold import Job

LITTLE_SHARE = 0.1


@dataclass(frozen=True, slots=True)
class Turn:
    """One turn: its entry, and what it brought as a share of what all turns brought; None when it was not
    measured."""

    entry: Entry
    share: float | None

    @property
    def percent(self) -> int | None:
        return None if self.share is None else round(self.share * 100)


@dataclass(frozen=True, slots=True)
class CleaningLog:
    turns: tuple[Turn, ...]
    minutes: float
    says: str


def cleaning_log(job: Job, nodes: tuple[str, ...]) -> CleaningLog:
    """The turns of some parts in order, with what they add up to in words."""
    acts = [x for x in job.of(Action) if x.data.cleaning is not None and x.data.where.node in nodes]
    done = [c for x in acts if (c := x.data.cleaning) is not None]
    gains = [None if c.before is None or c.after is None else abs(c.after - c.before) for c in done]
    whole = sum(g for g in gains if g is not None)
    turns = tuple(
        Turn(x, None if g is None or whole == 0 else g / whole) for x, g in zip(acts, gains, strict=True)
    )
    minutes = sum(c.minutes for c in done)
    last = turns[-1].share if turns else None
    if not turns:
        says = (
            "No turn yet. Measure something before the first one: free width, lift, air or time for a litre"
            " of water, weight."
        )
    elif last is None:
        says = "The last turn was not measured: before and after tell whether another is worth it."
    elif len(turns) > 1 and last < LITTLE_SHARE:
        says = (
            f"The last turn brought {round(last * 100)} % of it all: it is clean, or what is left does not"
            " come off this way."
        )
    else:
        says = (
            f"The last turn still brought {round(last * 100)} % of it: another one is worth it."
            if len(turns) > 1
            else "One turn says little: measure again after the next."
        )
    return CleaningLog(turns, minutes, says)
