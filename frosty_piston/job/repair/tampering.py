"""Emission equipment that was found removed or deceived: recorded, and the owner told in writing."""

from frosty_piston.job.entries import Entry, Warning_
from frosty_piston.job.tape.fold import Job

NOT_TOLD = "not_told"


def found(job: Job) -> list[Entry[Warning_]]:
    """What was found tampered with, the last word on each place."""
    latest: dict[str, Entry[Warning_]] = {}
    for x in job.of(Warning_):
        if x.data.about == "tampering":
            latest[(x.data.place or "").lower()] = x
    return list(latest.values())


def untold(job: Job) -> list[Entry[Warning_]]:
    """What the owner has not been told of yet."""
    return [x for x in found(job) if x.data.owner == NOT_TOLD]
