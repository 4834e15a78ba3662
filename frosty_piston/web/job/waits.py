"""Waits on purpose: begun at any step, seen on the page and in the yard, ended early with what was seen."""

import re
from datetime import timedelta
from typing import Annotated, Any

from frosty_piston.core.words import inside, sentence
from frosty_piston.job.next_step import WAIT_WORDS
from frosty_piston.job.repair.waits import open_waits
from frosty_piston.store.timestamps import now, stamp
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Fields, Form, known, line

MOST_HOURS = 24.0 * 60
_HOURS = re.compile(
    r"^(?:(\d+(?:[.,]\d+)?)\s*d(?:ays?)?)?\s*(?:(\d+(?:[.,]\d+)?)\s*h(?:ours?)?)?\s*(?:(\d+(?:[.,]\d+)?)\s*m(?:in(?:utes?)?)?)?$"
)
_CLOCK = re.compile(r"^(\d{1,3}):([0-5]\d)$")
_PLAIN = re.compile(r"^\d+(?:[.,]\d+)?$")
KINDS = tuple((kind, sentence(says)) for kind, says in WAIT_WORDS.items())


def hours_typed(text: str) -> float:
    """Read a time as people write it: `24 h`, `1 h 30 min`, `90 min`, `1:30`, `2 d`, or plain hours.

    Raises ValueError with a sentence that names what is allowed.

    >>> (
    ...     hours_typed("24 h"),
    ...     hours_typed("1 h 30 min"),
    ...     hours_typed("90min"),
    ...     hours_typed("1:30"),
    ...     hours_typed("0,5"),
    ... )
    (24.0, 1.5, 1.5, 1.5, 0.5)
    """
    given = text.strip().lower()
    clock = _CLOCK.match(given)
    parts = _HOURS.match(given)
    if _PLAIN.match(given):
        hours = float(given.replace(",", "."))
    elif clock:
        hours = int(clock[1]) + int(clock[2]) / 60
    elif parts and any(parts.groups()):
        days, whole, minutes = (float((g or "0").replace(",", ".")) for g in parts.groups())
        hours = days * 24 + whole + minutes / 60
    else:
        raise ValueError(f"{text[:20]!r} is no time; write 24 h, 1 h 30 min, 90 min or 1:30")
    if not 1 / 60 <= hours <= MOST_HOURS:
        raise ValueError("from one minute to 60 days")
    return hours


class StartForm(Fields):
    wait: Annotated[str | None, known(lambda asking: WAIT_WORDS)]
    step: Annotated[str | None, line(60)]


def start(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Begin a wait; it ends when it ends, whoever looks."""
    fields = form.read(StartForm, record, workshop)
    hours = 0.0
    try:
        hours = hours_typed(form.raw("hours"))
    except ValueError as error:
        form.wrong("hours", str(error))
    what = form.text("what", 120) or (sentence(WAIT_WORDS[fields.wait]) if fields.wait else "")
    form.done()
    until = stamp((form.pressed_at or now()) + timedelta(hours=hours))
    return [form.entry("wait", {"wait": fields.wait, "what": what, "until": until, "step": fields.step})]


class EndForm(Fields):
    seen: Annotated[str | None, line(400, "say what was seen, or why it ends early")]


def end(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """End a wait, early or when its time is over, with what was seen."""
    fields = form.read(EndForm, record, workshop)
    running = {x.id: x for x in open_waits(record.job)}
    name = form.choice("wait_id", running)
    form.done()
    entry = running[str(name)]
    return [
        form.entry(
            "wait",
            {
                "wait": entry.data.wait,
                "what": entry.data.what,
                "state": "ended",
                "ends": entry.id,
                "seen": fields.seen,
            },
        )
    ]


def wait_view(record: JobRecord) -> dict[str, Any]:
    """The waits of a job that nobody ended: still running, or over and to be looked at."""
    moment = now()
    rows = [
        {
            "entry": wait,
            "id": wait.id,
            "says": inside(wait.data.what),
            "kind": sentence(WAIT_WORDS[wait.data.wait]),
            "until": wait.data.until,
            "over": wait.data.until is not None and wait.data.until <= moment,
        }
        for wait in open_waits(record.job)
    ]
    return {"waits": rows, "wait_kinds": KINDS}


FORMS = {"wait": start, "end_wait": end}
