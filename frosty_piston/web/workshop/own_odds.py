"""What the workshop's own jobs taught: odds by engine card, test times, repairs that took; the switch, and
the file for pooling. And the figures of a year."""

import csv
import io
import json
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.errors import BadInput, NotHere
from frosty_piston.core.quantity import percent, plain
from frosty_piston.job.afterwards.learned import Line, comebacks_learned, repairs_learned, tests_learned
from frosty_piston.job.afterwards.year import Year, year_of
from frosty_piston.job.engine import EngineCard
from frosty_piston.job.weighing.own_odds import capped
from frosty_piston.store.timestamps import now
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.drawing.reliability import reliability_drawn
from frosty_piston.web.frame.dependencies import GivenForm, GivenUpload, GivenWorkshop
from frosty_piston.web.frame.page import Kept, person, render
from frosty_piston.web.job.papers import letterhead

router = APIRouter()
MOST_FAULTS = 14
SAYS_FROM = 0.02
MOST_LINES = 20
BAR_WIDE = 300


def _cards(workshop: Workshop) -> list[dict[str, Any]]:
    """For each engine card what was learned of it, what differs most first."""
    knowledge = workshop.knowledge
    own = workshop.cases.own
    kept = dict((card.name, card) for _, card in workshop.garage.cards())
    rows = []
    for name in own.cards:
        card = kept.get(name) or EngineCard(name=name)
        learned = own.learned(card, knowledge)
        told = [(f, x) for f, x in learned.items() if x.own >= SAYS_FROM or x.general >= SAYS_FROM]
        told.sort(key=lambda item: -abs(item[1].own - item[1].general))
        most = max([x.high for _, x in told[:MOST_FAULTS]], default=1.0)
        counts = own.counts(name)
        rows.append(
            {
                "name": name,
                "jobs": round(sum(sum(c.jobs.values()) for c in counts)),
                "pooled": sorted({c.pooled for c in counts if c.pooled}),
                "faults": [
                    {
                        "id": fault,
                        "title": knowledge.faults[fault].title,
                        "system": knowledge.systems[knowledge.fault_system[fault]],
                        "general": percent(x.general),
                        "own": percent(x.own),
                        "span": f"{percent(x.low)} to {percent(x.high)}",
                        "times": f"{capped(x.times):.2g}",
                        "jobs": round(x.jobs),
                        "bar": _bar(x.general, x.own, x.low, x.high, most),
                    }
                    for fault, x in told[:MOST_FAULTS]
                ],
            }
        )
    return rows


def _bar(general: float, own: float, low: float, high: float, most: float) -> dict[str, float]:
    return {
        key: round(min(value / most, 1.0) * BAR_WIDE, 1)
        for key, value in (("general", general), ("own", own), ("low", low), ("high", high))
    }


def _lines(lines: list[Line], shown: Any) -> list[dict[str, Any]]:
    return [
        {
            "title": line.title,
            "general": shown(line.learned.general),
            "own": shown(line.learned.own),
            "span": f"{shown(line.learned.low)} to {shown(line.learned.high)}",
            "jobs": round(line.learned.jobs),
        }
        for line in lines[:MOST_LINES]
    ]


def _minutes(value: float) -> str:
    return f"{plain(round(value, 1) if value < 10 else round(value))} min"


def _page(request: Request, workshop: Workshop, kept: Kept | None = None, status: int = 200) -> Response:
    left = workshop.cases.read()
    cases = workshop.cases.all()
    return render(
        request,
        "shelf/own_odds.html",
        status,
        title="Own odds",
        shelf="own",
        on=workshop.cases.on,
        switched=workshop.cases.switched,
        count=len(cases),
        proven=sum(c.proven for c in cases),
        made_up=workshop.cases.made_up(),
        left=left,
        cards=_cards(workshop),
        tests=_lines(tests_learned(cases, workshop.knowledge), _minutes),
        repairs=_lines(repairs_learned(cases, workshop.knowledge), percent),
        comebacks=_lines([Line("", "Comes back within a year", comebacks_learned(cases))], percent)[0],
        pooled=workshop.cases.pooled,
        kept=kept or Kept(),
    )


@router.get("/shelf/own")
def own_odds(request: Request, workshop: GivenWorkshop) -> Response:
    return _page(request, workshop)


@router.post("/shelf/own/switch")
def switch(request: Request, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Let the own jobs move odds, or not."""
    workshop.cases.switch(form.raw("on") == "yes", person(request))
    return RedirectResponse("/shelf/own", 303)


@router.get("/shelf/own.json")
def out(workshop: GivenWorkshop) -> Response:
    """The own counts as an open file."""
    workshop.cases.read()
    given = workshop.cases.export(letterhead(workshop)["workshop"])
    return Response(
        json.dumps(given, indent=2, sort_keys=True, ensure_ascii=False) + "\n",
        media_type="application/json",
        headers={"Content-Disposition": 'attachment; filename="own-odds.json"'},
    )


@router.post("/shelf/own/pool")
def pool(request: Request, upload: GivenUpload, workshop: GivenWorkshop) -> Response:
    """Bring in what another workshop counted."""
    try:
        if upload is None or not upload.data:
            raise BadInput("choose the file that another workshop sent")
        workshop.cases.bring_in(upload.data)
    except BadInput as error:
        return _page(request, workshop, Kept("pool", {}, {"file": error.faults[0].says}), 422)
    return RedirectResponse("/shelf/own", 303)


@router.post("/shelf/own/drop")
def drop(form: GivenForm, workshop: GivenWorkshop) -> Response:
    workshop.cases.drop(form.raw("workshop"))
    return RedirectResponse("/shelf/own", 303)


# the year


def _asked_year(workshop: Workshop, text: str) -> tuple[Year, list[int]]:
    workshop.cases.read()
    cases = workshop.cases.all()
    years = sorted({c.closed_at.year for c in cases} | {now().astimezone().year}, reverse=True)
    if text and (not text.isdigit() or int(text) not in years):
        raise NotHere("Nothing was finished in that year.")
    return year_of(cases, int(text) if text else years[0], workshop.knowledge), years


def _drawn(year: Year) -> dict[str, Any]:
    """The pictures of a year: bars of systems, of months, of stages, and the curve of the odds."""
    most = max([s.jobs for s in year.systems], default=1)
    top = max([*year.months, 1])
    longest = max([m for _, m in year.stages], default=0.0) or 1.0
    return {
        "systems": [
            (system, round(system.jobs / most * BAR_WIDE, 1), round(system.first_time / most * BAR_WIDE, 1))
            for system in year.systems
        ],
        "months": [(24 + n * 38, round(96 * m / top, 1), m) for n, m in enumerate(year.months)],
        "stages": [(s, round(m), round(m / longest * BAR_WIDE, 1)) for s, m in year.stages],
        "bins": reliability_drawn(year.bins),
    }


@router.get("/year")
def year_page(request: Request, workshop: GivenWorkshop, y: str = "") -> Response:
    year, years = _asked_year(workshop, y[:4])
    return render(
        request,
        "shelf/year.html",
        title=f"The year {year.year}",
        shelf="year",
        year=year,
        years=years,
        drawn=_drawn(year),
        letterhead=letterhead(workshop),
        made_up=workshop.cases.made_up(),
    )


@router.get("/year.csv")
def year_csv(workshop: GivenWorkshop, y: str = "") -> Response:
    """Every finished job of a year as a line."""
    year, _ = _asked_year(workshop, y[:4])
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(
        ["closed", "vehicle", "engine", "system", "proven", "first_time", "stated", "repair"]
        + [f"{s}_min" for s, _ in year.stages]
    )
    for case in workshop.cases.all():
        if case.closed_at.year == year.year:
            stated = "" if case.stated is None else f"{case.stated:.3f}"
            rows.writerow(
                [
                    f"{case.closed_at:%Y-%m-%d}",
                    *map(_cell, (case.vehicle, case.engine)),
                    case.system,
                    case.proven,
                    case.right,
                    stated,
                ]
                + [_cell(case.said), *(f"{case.stages.get(s, 0.0):.0f}" for s, _ in year.stages)]
            )
    return Response(
        out.getvalue(),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="year-{year.year}.csv"'},
    )


def _cell(text: str) -> str:
    """A text that no table program takes for a formula."""
    return f"'{text}" if text[:1] in "=+-@\t\r" else text
