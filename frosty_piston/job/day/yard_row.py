"""What lists show of a job: one line of the yard, and its waits among the alarms."""

from datetime import UTC, datetime
from typing import Any

from frosty_piston.core.quantity import percent
from frosty_piston.job.entries import Wait
from frosty_piston.job.next_step import wait_says
from frosty_piston.job.repair.countdown import countdown_of
from frosty_piston.job.repair.waits import open_waits, running_wait
from frosty_piston.job.stages import Standing

MOMENTS = ("waiting_until", "deadline")  # the columns that hold one


def listed(standing: Standing) -> dict[str, Any]:
    """The columns that lists are served from, by name."""
    assessed = standing.assessed
    job = assessed.job
    top = assessed.suspicion.suspects[0]
    guessed = bool(assessed.evidence) and not job.repairs
    wait = running_wait(job, datetime.min.replace(tzinfo=UTC))
    deadline = job.deadline
    return {
        "stage": standing.now,
        "next_step": standing.after_waits.does[:200],
        "status": standing.proof.status,
        "closed": standing.closed,
        "next_where": standing.after_waits.where.as_open(),
        "suspect": f"{top.title}, {percent(top.probability)}" if guessed else "",
        "waiting_for": wait_says(wait.data.wait, wait.data.what)[:200] if wait else None,
        "waiting_until": wait.data.until if wait else None,
        "deadline": deadline.data.until if deadline else None,
        "countdown": _budget(standing),
        "waits": [_as_listed(x.id, x.data) for x in open_waits(job)],
    }


def _as_listed(entry_id: str, wait: Wait) -> dict[str, Any]:
    """An open wait as the alarms list it."""
    until = None
    if wait.until:
        until = wait.until.astimezone(UTC).isoformat(timespec="seconds").replace("+00:00", "Z")
    return {"id": entry_id, "wait": wait.wait, "what": wait.what, "until": until}


def _budget(standing: Standing) -> dict[str, Any] | None:
    """The countdown as a strip of the yard shows it."""
    found = countdown_of(standing.assessed, standing.proof)
    if found is None:
        return None
    return {"left": found.amount(found.budget.left), "state": found.state, "says": found.says}
