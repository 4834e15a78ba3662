"""The day plan: who does what when, what waits, what rings next, and why it stands where it does."""

import hmac
import re
import secrets
from datetime import date, datetime, time
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import ValidationError

from frosty_piston.core.day import SOLVER, why
from frosty_piston.core.errors import BadInput, FrostyPistonError, NotHere
from frosty_piston.core.quantity import percent
from frosty_piston.formats.calendar import Event, calendar
from frosty_piston.job.day import solver
from frosty_piston.job.day.setup import WEEKDAYS, BayKept, Break, DaySetup, Hours
from frosty_piston.job.day.steps import BAY_KINDS, TASKS
from frosty_piston.store.day import Laid
from frosty_piston.store.timestamps import now
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.drawing.day_picture import clock, drawn, numbers
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.frame.links import place_link
from frosty_piston.web.frame.page import Kept, person, render, status_of

router = APIRouter()
FOLLOWING = 2
MOST_BAYS = 12
FEED = "day_feed"
_CLOCK = re.compile(r"^([01]?\d|2[0-3])[:.]?([0-5]\d)$")


def _links(workshop: Workshop, laid: Laid) -> dict[str, str]:
    """The address of the place where each piece is done."""
    knowledge = workshop.knowledge
    return {
        piece: place_link(knowledge, job, where)
        for job, made in laid.jobs.items()
        for piece, where in made.places.items()
        if where is not None
    }


def _row(laid: Laid, placed: Any, links: dict[str, str], number: dict[str, int]) -> dict[str, Any]:
    piece = laid.day.pieces[placed.piece]
    whole = piece.block or piece.id
    parts = [p for i, p in laid.plan.of.items() if (laid.day.pieces[i].block or i) == whole]
    minutes = sum(p.end - p.start for p in parts)
    spread = sum(laid.day.pieces[p.piece].spread_min ** 2 for p in parts) ** 0.5
    start = laid.moment(placed.start)
    end = laid.moment(max(p.end for p in parts))
    pin = laid.day.pin_of.get(piece.id)
    return {
        "id": piece.id,
        "number": number[piece.job],
        "job": laid.day.work_of[piece.job].name,
        "job_id": piece.job,
        "title": piece.title,
        "minutes": minutes,
        "span": f"{max(1, round(minutes - spread))} to {round(minutes + spread)}" if spread >= 2 else "",
        "start": start,
        "end": end,
        "begins": clock(laid, placed.start),
        "ends": clock(laid, laid.minute(end)),
        "person": placed.person,
        "bay": placed.bay,
        "wait": piece.wait,
        "link": links.get(whole, f"/jobs/{piece.job}"),
        "why": why(laid.day, laid.plan, piece.id),
        "begun": piece.id in laid.begun,
        "over": piece.id in laid.over,
        "pinned": pin is not None and pin.lasts is None and piece.id in laid.pinned,
    }


def _rows(laid: Laid, workshop: Workshop) -> list[dict[str, Any]]:
    """Everything on the time line, by when it begins; parts of the same once."""
    links = _links(workshop, laid)
    number = numbers(laid)
    first = (p for p in laid.plan.placed if laid.day.pieces[p.piece].block in ("", p.piece))
    return laid.view("rows", lambda: [_row(laid, p, links, number) for p in first])


def _people(laid: Laid, rows: list[dict[str, Any]], at: datetime, me: str) -> list[dict[str, Any]]:
    """For each person what is done now and what comes next, oneself first."""
    people = []
    for one in laid.day.people:
        mine = [r for r in rows if r["person"] == one.name and r["end"] > at]
        running = next((r for r in mine if r["start"] <= at), None)
        following = [r for r in mine if r is not running][:FOLLOWING]
        if running is not None:
            running = {**running, "left": max(0, round((running["end"] - at).total_seconds() / 60))}
        people.append({"name": one.name, "me": one.name == me, "now": running, "next": following})
    return sorted(people, key=lambda p: not p["me"])


def _in_time(chance: float | None) -> str:
    """How a job is coloured by its chance to be ready in time."""
    if chance is None:
        return ""
    if chance < 0.5:
        return "late"
    return "soon" if chance < 0.9 else "good"


def _jobs(laid: Laid, workshop: Workshop) -> list[dict[str, Any]]:
    """How each job stands: when it is ready, how sure that is, what is not laid out."""
    rows = []
    number = numbers(laid)
    stands = laid.stands
    for work in laid.day.works:
        sure = laid.ready.get(work.id)
        left = [why for piece, why in laid.plan.left.items() if piece.startswith(f"{work.id}/")]
        chance = sure.chance if sure else None
        rows.append(
            {
                "id": work.id,
                "number": number[work.id],
                "name": work.name,
                "ready": clock(laid, sure.middle) if sure else "",
                "late": clock(laid, sure.late) if sure else "",
                "due": clock(laid, work.deadline) if work.deadline is not None else "",
                "chance": percent(chance) if chance is not None else "",
                "state": _in_time(chance),
                "notes": [*laid.jobs[work.id].notes, *left[:1]],
                "stands": stands.get(work.id, ""),
            }
        )
    return rows


def view(workshop: Workshop, me: str, piece: str = "") -> dict[str, Any]:
    """What the day page shows: the drawing, the lists, and one piece that was asked for."""
    laid = workshop.day.look()
    at = now()
    links = _links(workshop, laid)
    rows = _rows(laid, workshop)
    return {
        "picture": laid.view(f"lanes {laid.minute(at)}", lambda: drawn(laid, at, links)),
        "people_now": _people(laid, rows, at, me),
        "rows": [r for r in rows if r["end"] > at],
        "rings": sorted(
            (r for r in rows if r["wait"] and r["start"] <= at < r["end"]), key=lambda r: r["end"]
        ),
        "jobs": _jobs(laid, workshop),
        "left_out": laid.left_out,
        "bays": [b.name for b in laid.day.bays],
        "names": [p.name for p in laid.day.people],
        "laid_at": laid.at,
        "by": _laid_by(laid),
        "asked": next((r for r in rows if r["id"] == piece), None),
        "me_name": me,
    }


def _laid_by(laid: Laid) -> str:
    if laid.plan.by == SOLVER:
        return "by the solver"
    if not solver.installed():
        return "by the plain rule, since no solver is installed here: what is due first goes first"
    return "by the plain rule"


def _page(
    request: Request, workshop: Workshop, piece: str = "", kept: Kept | None = None, status: int = 200
) -> Response:
    shown = view(workshop, person(request), piece)
    return render(request, "day/page.html", status, **shown, kept=kept or Kept(), feed=_feed(workshop))


@router.get("/day")
def day_page(request: Request, workshop: GivenWorkshop, piece: str = "") -> Response:
    return _page(request, workshop, piece[:200])


@router.get("/day/strip")
def day_strip(request: Request, workshop: GivenWorkshop) -> Response:
    """The day on top of the yard."""
    laid = workshop.day.look()
    at = now()
    links = _links(workshop, laid)
    rows = _rows(laid, workshop)
    picture = laid.view(f"strip {laid.minute(at)}", lambda: drawn(laid, at, links, people_only=True))
    return render(
        request,
        "day/strip.html",
        picture=picture,
        people_now=_people(laid, rows, at, person(request)),
        late=[j for j in _jobs(laid, workshop) if j["state"] in ("late", "soon")],
    )


@router.get("/day/print")
def day_print(request: Request, workshop: GivenWorkshop) -> Response:
    return render(request, "day/print.html", **view(workshop, ""))


# what is said of it


def _pin(form: Form, workshop: Workshop) -> None:
    piece = form.raw("piece")
    names = [p.name for p in workshop.day.look().day.people]
    who = form.choice("person", names, needed=False)
    at = form.moment("at")
    if not who and not at and not form.faults:
        form.wrong("person", "say who does it, or from when on")
    form.done()
    workshop.day.pin(piece, who or "", at)


def _unpin(form: Form, workshop: Workshop) -> None:
    workshop.day.unpin(form.raw("piece"))


def _not_begun(form: Form, workshop: Workshop) -> None:
    workshop.day.not_begun(form.raw("piece"))


def _stands(form: Form, workshop: Workshop) -> None:
    bay = form.choice("bay", [b.name for b in workshop.day.setup.bays], needed=False)
    form.done()
    workshop.day.stands(workshop.tapes.job(form.raw("job")).job.id, bay or "")


def _put(form: Form, workshop: Workshop) -> None:
    on = form.choice("on", ("yes", "no"))
    form.done()
    workshop.day.put(workshop.tapes.job(form.raw("job")).job.id, on == "yes")


FORMS = {"pin": _pin, "unpin": _unpin, "not_begun": _not_begun, "stands": _stands, "put": _put}


@router.post("/day/do/{name}")
def day_form(request: Request, name: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    try:
        FORMS[name](form, workshop)
    except BadInput as error:
        return _page(request, workshop, form.raw("piece"), Kept.of(name, error, form.kept), 422)
    except FrostyPistonError as error:
        kept = Kept(name, form.kept, {"": str(error)})
        return _page(request, workshop, form.raw("piece"), kept, status_of(error))
    return RedirectResponse("/day", 303)


# who is there, bays and tools


def _setup_page(
    request: Request, workshop: Workshop, kept: Kept | None = None, status: int = 200
) -> Response:
    setup = workshop.day.setup
    people = [(n, setup.hours_of(name), name) for n, name in enumerate(workshop.settings.people())]
    return render(
        request,
        "day/setup.html",
        status,
        setup=setup,
        everybody=people,
        weekdays=list(enumerate(WEEKDAYS)),
        tasks=list(TASKS.items()),
        kinds=list(BAY_KINDS.items()),
        kept=kept or Kept(),
        spare=range(len(setup.bays), min(len(setup.bays) + 2, MOST_BAYS)),
    )


@router.get("/day/setup")
def setup_page(request: Request, workshop: GivenWorkshop) -> Response:
    return _setup_page(request, workshop)


def _time_of_day(form: Form, name: str) -> time | None:
    text = form.raw(name)
    if found := _CLOCK.match(text):
        return time(int(found[1]), int(found[2]))
    form.wrong(
        name, f"{text[:10]!r} is no time of day, as 07:30" if text else "a time of day is wanted, as 07:30"
    )
    return None


def _breaks(form: Form, name: str) -> tuple[Break, ...]:
    """Breaks as they are typed: 09:30-09:45, 12:00-12:45."""
    found = []
    for text in filter(None, (x.strip() for x in form.raw(name).split(","))):
        ends = [_CLOCK.match(x.strip()) for x in text.replace("–", "-").split("-")]
        if len(ends) != 2 or not all(ends):
            form.wrong(name, f"{text[:20]!r} is no break, as 12:00-12:45; more are parted by a comma")
            return ()
        since, until = (time(int(x[1]), int(x[2])) for x in ends if x)
        found.append(Break(since=since, until=until))
    return tuple(found)


def _dates(form: Form, name: str) -> tuple[date, ...]:
    """Days off as they are typed: 2026-12-24, 2026-12-27."""
    found = []
    for text in filter(None, (x.strip() for x in form.raw(name).split(","))):
        try:
            found.append(date.fromisoformat(text))
        except ValueError:
            form.wrong(name, f"{text[:20]!r} is no day, as 2026-12-24; more are parted by a comma")
    return tuple(found)


def _hours(form: Form, workshop: Workshop) -> DaySetup:
    """The hours of one person."""
    name = form.choice("name", workshop.settings.people())
    since = _time_of_day(form, "since")
    until = _time_of_day(form, "until")
    breaks = _breaks(form, "breaks")
    off = _dates(form, "off")
    days = tuple(int(d) for d in form.all("days") if d in "0123456" and len(d) == 1)
    may = tuple(t for t in TASKS if t in form.all("may"))
    form.done()
    try:
        hours = Hours.model_validate(
            {
                "since": since,
                "until": until,
                "breaks": breaks,
                "off": off,
                "days": days,
                "may": may,
                "there": form.raw("there") == "yes",
            }
        )
    except ValidationError as error:
        form.wrong("until", str(error.errors()[0]["msg"]).removeprefix("Value error, "))
    form.done()
    setup = workshop.day.setup
    return setup.model_copy(update={"hours": {**setup.hours, str(name): hours}})


def _bays(form: Form, workshop: Workshop) -> DaySetup:
    """The bays: those without a name are gone."""
    bays: list[dict[str, str]] = []
    for number in range(MOST_BAYS):
        name = form.text(f"bay-{number}", 40)
        if name:
            kind = form.choice(f"kind-{number}", BAY_KINDS)
            if any(name == b["name"] for b in bays):
                form.wrong(f"bay-{number}", "another bay has this name")
            bays.append({"name": name, "kind": kind or "floor"})
    form.done()
    return workshop.day.setup.model_copy(update={"bays": tuple(BayKept.model_validate(b) for b in bays)})


def _tools(form: Form, workshop: Workshop) -> DaySetup:
    tools = tuple(t for t in workshop.knowledge.tools if t in form.all("tools"))
    return workshop.day.setup.model_copy(update={"tools": tools})


SETUPS = {"hours": _hours, "bays": _bays, "tools": _tools}


@router.post("/day/setup/{name}")
def setup_form(request: Request, name: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    if name not in SETUPS:
        raise NotHere("There is no such form.")
    try:
        workshop.day.keep_setup(SETUPS[name](form, workshop))
    except BadInput as error:
        which = f"hours-{form.raw('name')}" if name == "hours" else name
        return _setup_page(request, workshop, Kept.of(which, error, form.kept), 422)
    return RedirectResponse("/day/setup", 303)


# the calendar


def _feed(workshop: Workshop) -> dict[str, str]:
    """The secret of the calendar's address, and where it was made; empty while there is none."""
    return {key: str(value) for key, value in workshop.settings.get(FEED).items()}


@router.post("/day/setup-feed")
def new_feed(request: Request, workshop: GivenWorkshop) -> Response:
    """A new address for the calendar: the old one is of no use any more."""
    # Its links lead to where it was made: whoever asks for it may name any host.
    root = str(request.base_url).rstrip("/")
    workshop.settings.save(FEED, {"token": secrets.token_urlsafe(24), "root": root})
    return RedirectResponse("/day#calendar", 303)


@router.get("/day/feed/{token}.ics")
def feed(request: Request, token: str, workshop: GivenWorkshop, who: str = "") -> Response:
    """The plan as a calendar. Whoever has the address can read it; nothing else can be reached by it."""
    known = _feed(workshop)
    if not known or not hmac.compare_digest(token.encode(), known["token"].encode()):
        raise NotHere("There is no such calendar.")
    laid = workshop.day.look()
    root = known.get("root", "")
    events = [
        Event(
            f"{re.sub(r'[^A-Za-z0-9.-]+', '-', row['id'])}@{workshop.id}",
            f"{'Rings: ' if row['wait'] else ''}{row['job']}: {row['title']}",
            row["end"] if row["wait"] else row["start"],
            end=row["end"],
            place=row["bay"],
            text=f"{row['person'] or 'a wait'}. {row['why']}",
            link=root + row["link"],
        )
        for row in _rows(laid, workshop)
        if not who or row["person"] == who or row["wait"]
    ]
    name = f"Day plan, {who}" if who else "Day plan"
    return Response(calendar(name, events, laid.at), media_type="text/calendar; charset=utf-8")
