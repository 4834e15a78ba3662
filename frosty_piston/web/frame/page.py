"""How a page is made: fetch, shape, render. The frame of a job, its side zones, and what forms keep."""

import hashlib
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, datetime
from functools import lru_cache
from pathlib import Path
from typing import Any
from urllib.parse import unquote
from uuid import uuid4

from fastapi import Request
from fastapi.responses import HTMLResponse, JSONResponse, Response
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape
from markupsafe import Markup, escape

from frosty_piston import __version__
from frosty_piston.core.errors import BadInput, Busy, Conflict, Damaged, NoSpace, NotAllowed, NotHere
from frosty_piston.core.quantity import exact, hours_said, percent, plain, plus_minus
from frosty_piston.core.words import called, counted, grouped, inside, sentence, sign, spoken
from frosty_piston.job.afterwards.shift import last_shift
from frosty_piston.job.judging.result import place
from frosty_piston.job.repair.countdown import countdown_of
from frosty_piston.job.repair.resets import latched_says
from frosty_piston.job.repair.road import brakes_hard
from frosty_piston.job.stages import STAGES, TITLES
from frosty_piston.job.units import convert
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.exercises import is_training
from frosty_piston.store.pictures import Pictures
from frosty_piston.store.timestamps import now
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.training.sessions import help_open
from frosty_piston.web.drawing.verdict_marks import MARKS
from frosty_piston.web.job.cells import reaches_speed, read_places, unread_places

from .forms import Form
from .heat import heat_view
from .links import next_view, place_link
from .shown_pictures import thumbs
from .signed_in import person_of
from .tape_rows import tape_view
from .unit_spacing import UnitSpacing, tied, untied

HERE = Path(__file__).parents[1]
WORK_BEGINS = re.compile(r'<main id="work"[^>]*>')


def assets_version() -> str:
    """The version of what ships beside the pages: another one as soon as one sign of it is another."""
    files = sorted(path for path in (HERE / "static").rglob("*") if path.is_file())
    return hashlib.sha256(b"".join(path.read_bytes() for path in files)).hexdigest()[:10]


@lru_cache(maxsize=1)
def templates() -> Environment:
    env = Environment(
        loader=FileSystemLoader(HERE / "templates"),
        autoescape=select_autoescape(default=True, default_for_string=True),
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        auto_reload=False,
        extensions=[UnitSpacing],
        finalize=tied,
    )
    env.filters |= {
        "plain": plain,
        "percent": percent,
        "exact": exact,
        "hours": hours_said,
        "grouped": grouped,
        "pm": plus_minus,
        "in_unit": in_unit,
        "when": when,
        "dated": dated,
        "ago": ago,
        "money": money,
        "coins": coins,
        "words": called,
        "lower_first": inside,
        "capital": sentence,
        "counted": counted,
        "spot": place,
        "sign": sign,
        "untied": untied,
    }
    env.globals |= {
        "version": f"{__version__}-{assets_version()}",
        "sprite": f"/static/marks.svg?{__version__}-{assets_version()}",
        "stages": STAGES,
        "stage_titles": TITLES,
        "marks": MARKS,
        "new_id": lambda: str(uuid4()),
        "unread_places": unread_places,
        "read_places": read_places,
        "reaches_speed": reaches_speed,
        "now": now,
    }
    return env


def in_unit(value: float, unit: str, other: str) -> str:
    """A figure as it stands in another unit of its kind."""
    return plain(round(convert(value, unit, other), 1))


def local(at: datetime) -> datetime:
    return at.astimezone()


def when(at: datetime | None) -> str:
    """A moment as a workshop says it: today 14:05, yesterday 07:10, Tue 3 Nov 09:00."""
    return _said_on(at, local(now()).date()) if at else ""


@lru_cache(maxsize=1024)
def _said_on(moment: datetime, today: date) -> str:
    at = local(moment)
    days = (at.date() - today).days
    day = {0: "today", -1: "yesterday", 1: "tomorrow"}.get(days) or f"{at:%a} {at.day} {at:%b}" + (
        f" {at.year}" if at.year != today.year else ""
    )
    return f"{day} {at:%H:%M}"


def dated(at: datetime | None) -> str:
    """A moment as it must stand on paper: 23 Nov 2026 19:34."""
    return f"{local(at).day} {local(at):%b %Y %H:%M}" if at else ""


def ago(until: datetime) -> str:
    """How long until a moment, in hours and minutes."""
    minutes = max(0, round((until - now()).total_seconds() / 60))
    return f"{minutes // 60} h {minutes % 60:02d} min" if minutes >= 60 else f"{minutes} min"


def money(amount: int | None, currency: str = "kr") -> str:
    """An amount in the smallest coin as people read it: 3 800 kr."""
    if amount is None:
        return ""
    whole, coins = divmod(amount, 100)
    return f"{grouped(whole)}{f',{coins:02d}' if coins else ''} {currency}"


@dataclass
class Kept:
    """What a refused form gives back: which form, what was typed, what was wrong."""

    form: str = ""
    values: dict[str, str] = field(default_factory=dict)
    faults: dict[str, str] = field(default_factory=dict)

    @classmethod
    def of(cls, form: str, error: BadInput, typed: dict[str, str]) -> "Kept":
        return cls(form, error.kept or typed, {f.path: f.says for f in error.faults})

    def value(self, form: str, name: str, default: Any = "") -> Any:
        return self.values.get(name, default) if form == self.form else default

    def fault(self, form: str, name: str) -> str:
        return self.faults.get(name, "") if form == self.form else ""

    def rest(self, form: str, *names: str) -> list[str]:
        """Faults that belong to no single field of the form; a whole sentence stands by itself."""
        if form != self.form:
            return []
        others = {path: says for path, says in self.faults.items() if path not in names}
        return [
            says if not path or says[:1].isupper() else f"{spoken(path)}: {says}"
            for path, says in others.items()
        ]


STATUS: dict[type[Exception], int] = {
    BadInput: 422,
    NotHere: 404,
    NotAllowed: 403,
    Conflict: 409,
    Busy: 503,
    NoSpace: 507,
    Damaged: 503,
}


def status_of(error: Exception) -> int:
    """The status that an error answers with."""
    return next((code for kind, code in STATUS.items() if isinstance(error, kind)), 500)


def person(request: Request) -> str:
    """Who is at work: who signed in, or who said so on this device."""
    if (me := person_of(request)) is not None:
        return me.name
    return unquote(request.cookies.get("piston_who", ""))[:80]


def writer(request: Request, form: Form) -> str | None:
    """Whose name an entry carries: who pressed, where that was kept until it could be sent."""
    pressed_by = form.text("pressed_by", 80)
    me = person_of(request)
    if me is not None and pressed_by not in (None, me.name):
        raise NotAllowed(f"This was pressed by {pressed_by}, and you are signed in as {me.name}.")
    return pressed_by or person(request) or None


def coins(amount: int | None) -> str:
    """An amount in the smallest coin as it is typed into a field."""
    return "" if not amount else exact(amount / 100)


def is_htmx(request: Request) -> bool:
    return request.headers.get("HX-Request") == "true"


POSTS = re.compile(r'<form\b[^>]{0,2000}\bmethod="post"[^>]{0,2000}>')


def render(request: Request, template: str, status: int = 200, **context: Any) -> HTMLResponse:
    workshop: Workshop = request.app.state.workshop
    me = person_of(request)
    page: str = (
        templates()
        .get_template(template)
        .render(
            request=request,
            who=person(request),
            me=me,
            workshop_id=workshop.id,
            here=request.url.path + (f"?{request.url.query}" if request.url.query else ""),
            people=workshop.settings.people()[:8],
            k=workshop.knowledge,
            htmx=is_htmx(request),
            **context,
        )
    )
    if me is not None and me.seal:
        page = POSTS.sub(rf'\g<0><input type="hidden" name="seal" value="{me.seal}">', page)
    return HTMLResponse(page, status)


def refused(
    request: Request,
    status: int,
    says: str,
    ways: list[tuple[str, str]],
    faults: list[dict[str, str]] | None = None,
) -> Response:
    """What is answered in place of what was asked for: why, and where to go."""
    if request.url.path.startswith("/api/"):
        return JSONResponse({"error": says, "faults": faults or []}, status)
    return render(
        request,
        "refused.html",
        status,
        code=status,
        says=says,
        faults=faults or [],
        request_id=request.state.request_id,
        ways=ways,
    )


def piece(record: JobRecord, template: str, key: str, view: Callable[[], dict[str, Any]]) -> Markup:
    """A part of a page that shows nothing but the state of a job, drawn once for each state and key."""

    def drawn() -> Markup:
        status = record.standing.proof.status
        return Markup(
            templates().get_template(template).render(job=record.job, proof_status=status, **view())
        )

    return record.view(f"{template} {key}", drawn)


def handed_view(record: JobRecord) -> dict[str, Any] | None:
    """What the last person left, until somebody takes it over."""
    last = last_shift(record.job)
    if last is None:
        return None
    d = last.data
    return {"id": last.id, "by": last.by, "at": last.at or record.written.get(last.id), "data": d}


def count_view(record: JobRecord) -> dict[str, Any] | None:
    """The countdown as a strip: what is left of what the dash showed, what is planned, what is kept back."""
    found = countdown_of(record.assessed, record.standing.proof)
    if found is None:
        return None
    most = max(found.said, found.floor, 1.0)

    def share(value: float) -> float:
        return round(min(max(value / most, 0.0), 1.0) * 100, 1)

    left = share(found.budget.left)
    after = share(found.budget.after)
    return {
        "state": found.state,
        "left": found.amount(found.budget.left),
        "says": found.says,
        "since": found.entry.data.since,
        "left_share": left,
        "planned_from": after,
        "planned_share": round(left - after, 1),
        "floor_at": share(found.floor),
        "floor": found.amount(found.floor),
        "planned": [
            (
                change.what,
                place_link(record.assessed.knowledge, record.job.id, change.where),
                found.amount(change.amount),
            )
            for change in found.planned
        ],
        "latched": latched_says(record.assessed),
    }


def zones(record: JobRecord, knowledge: Knowledge, pictures: Pictures) -> dict[str, Any]:
    """What the zones beside and below the work show."""
    tape = record.view("tape", lambda: tape_view(record, knowledge))
    pictured = thumbs(record, pictures)
    return {
        "record": record,
        "job": record.job,
        "standing": record.standing,
        "next": next_view(record),
        "road_bar": brakes_hard(record.job),
        "handed": handed_view(record),
        "count": record.view("countdown", lambda: count_view(record)),
        "heat_list": piece(record, "job/_heat_list.html", "", lambda: {"heat": heat_view(record)}),
        "tape": tape,
        "tape_rows": piece(
            record,
            "job/_tape_rows.html",
            f"{local(now()):%d}",
            lambda: {"shown": tape, "pictured": pictured, "fixed": is_training(record.job.id)},
        ),
        "pictured": pictured,
    }


def training_view(workshop: Workshop, job_id: str) -> dict[str, bool] | None:
    """Whether a page of a training vehicle may show the suspects, and whether its exercise is over; None for
    a real job."""
    if not is_training(job_id):
        return None
    exercise = workshop.training.exercises.get(job_id)
    return {"open": help_open(exercise), "over": exercise.ended_at is not None}


def job_page(
    request: Request,
    record: JobRecord,
    stage: str,
    work: str,
    view: dict[str, Any],
    kept: Kept | None = None,
    status: int = 200,
    said: str = "",
) -> Response:
    """Render a job's page, or only its zones when the page asked for a part."""
    workshop: Workshop = request.app.state.workshop
    context = {
        **zones(record, workshop.knowledge, workshop.pictures),
        "stage": stage,
        "work": work,
        "oob": False,
        "kept": kept or Kept(),
        "said": said,
        "training": training_view(workshop, record.job.id),
        "currency": workshop.settings.prices().currency,
        **view,
    }
    answer = render(request, "job/_zones.html" if is_htmx(request) else "job/page.html", status, **context)
    return _with_every_fault(answer, kept or Kept())


def _with_every_fault(answer: Response, kept: Kept) -> Response:
    """A page that says everything that was refused: what none of its forms showed stands at its top."""
    html = bytes(answer.body).decode()
    plainly = html.replace("\u00a0", " ") if kept.faults else ""
    unsaid = [says for says in kept.faults.values() if str(escape(says)) not in plainly]
    if not unsaid:
        return answer
    notes = "".join(
        f'<p class="fault notice" role="alert" tabindex="-1">{escape(says)}</p>' for says in unsaid
    )
    whole = WORK_BEGINS.sub(lambda begins: begins.group(0) + notes, html, count=1)
    headers = {k: v for k, v in answer.headers.items() if k != "content-length"}
    return HTMLResponse(whole, answer.status_code, headers)
