"""Search over codes, faults, tests, cautions, vehicles and jobs."""

from functools import lru_cache
from typing import Any, NamedTuple

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.knowledge import Knowledge
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.frame.dependencies import GivenWorkshop, Number
from frosty_piston.web.frame.page import is_htmx, render

router = APIRouter()
MOST_OF_KIND = 8
MOST_ASKED = 80


class Hit(NamedTuple):
    kind: str
    title: str
    says: str
    link: str
    text: str


@lru_cache(maxsize=2)
def of_knowledge(knowledge: Knowledge) -> tuple[Hit, ...]:
    """Everything the knowledge files can be searched for."""
    faults = [
        Hit(
            "Faults",
            s.title,
            knowledge.systems[knowledge.fault_system[f]],
            f"/shelf/faults/{f}",
            f"{s.title} {f} {s.shows} {knowledge.systems[knowledge.fault_system[f]]}".lower(),
        )
        for f, s in knowledge.faults.items()
    ]
    tests = [
        Hit(
            "Tests",
            s.title,
            knowledge.systems[s.system],
            f"/shelf/tests/{t}",
            f"{s.title} {t} {s.how} {knowledge.systems[s.system]}".lower(),
        )
        for t, s in knowledge.tests.items()
    ]
    codes = [
        Hit(
            "Codes",
            c.code,
            c.title,
            f"/shelf/codes#{c.code}",
            f"{c.code} {c.title} {knowledge.systems[c.system]}".lower(),
        )
        for c in knowledge.codes.values()
    ]
    cautions = [
        Hit("Cautions", c.title, c.says, f"/shelf/cautions#{key}", f"{c.title} {c.says}".lower())
        for key, c in knowledge.cautions.items()
    ]
    return (*codes, *faults, *tests, *cautions)


def find(workshop: Workshop, asked: str) -> list[dict[str, Any]]:
    """What holds every word that was typed, by kind; a title that begins with the words stands first."""
    words = asked.lower().replace("_", " ").split()
    if not words:
        return []
    own = [
        Hit(
            "Codes",
            c.code,
            f"{c.text} (this workshop's)",
            f"/shelf/codes#{c.code}",
            f"{c.code} {c.text}".lower(),
        )
        for c in workshop.shelf.experience.codes.values()
    ]
    jobs = [
        Hit("Jobs", row.title, f"{row.vehicle_name}, {row.stage}", f"/jobs/{row.id}", "")
        for row in workshop.yard.find(words, MOST_OF_KIND)
    ]
    vehicles = [
        Hit("Vehicles", v.name, "newest job", f"/search/vehicle/{v.id}", v.name.lower())
        for v in workshop.garage.vehicles()
    ]
    hits = [
        h for h in (*own, *vehicles, *of_knowledge(workshop.knowledge)) if all(w in h.text for w in words)
    ]
    groups: dict[str, list[Hit]] = {"Jobs": jobs}
    for h in sorted(
        hits,
        key=lambda h: (
            not h.title.lower().startswith(words[0]),
            not all(w in h.title.lower() for w in words),
        ),
    ):
        groups.setdefault(h.kind, []).append(h)
    return [
        {"kind": kind, "hits": rows[:MOST_OF_KIND], "more": max(0, len(rows) - MOST_OF_KIND)}
        for kind, rows in groups.items()
        if rows
    ]


@router.get("/search")
def search(request: Request, workshop: GivenWorkshop, q: str = "") -> Response:
    asked = q.strip()[:MOST_ASKED]
    return render(
        request,
        "search/_found.html" if is_htmx(request) else "search/page.html",
        asked=asked,
        found=find(workshop, asked),
    )


@router.get("/search/vehicle/{vehicle_id}")
def of_vehicle(request: Request, vehicle_id: Number, workshop: GivenWorkshop) -> Response:
    """The jobs of one vehicle, newest first."""
    rows = workshop.yard.visits(vehicle_id, "")
    name = next((v.name for v in workshop.garage.vehicles() if v.id == vehicle_id), "")
    known = (
        [
            {
                "kind": f"Jobs of {name}",
                "hits": [
                    Hit(
                        "Jobs",
                        r.title,
                        f"{r.stage}, {'handed over' if r.closed else 'open'}",
                        f"/jobs/{r.id}",
                        "",
                    )
                    for r in rows
                ],
                "more": 0,
            }
        ]
        if rows
        else []
    )
    return render(request, "search/page.html", asked=name, found=known)
