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
            knowledge.systems[knowledge.fault_system[fault]],
            f"/shelf/faults/{fault}",
            f"{s.title} {fault} {s.shows} {knowledge.systems[knowledge.fault_system[fault]]}".lower(),
        )
        for fault, s in knowledge.faults.items()
    ]
    tests = [
        Hit(
            "Tests",
            test.title,
            knowledge.systems[test.system],
            f"/shelf/tests/{t}",
            f"{test.title} {t} {test.how} {knowledge.systems[test.system]}".lower(),
        )
        for t, test in knowledge.tests.items()
    ]
    codes = [
        Hit(
            "Codes",
            code.code,
            code.title,
            f"/shelf/codes#{code.code}",
            f"{code.code} {code.title} {knowledge.systems[code.system]}".lower(),
        )
        for code in knowledge.codes.values()
    ]
    cautions = [
        Hit(
            "Cautions",
            caution.title,
            caution.says,
            f"/shelf/cautions#{key}",
            f"{caution.title} {caution.says}".lower(),
        )
        for key, caution in knowledge.cautions.items()
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
            code.code,
            f"{code.text} (this workshop's)",
            f"/shelf/codes#{code.code}",
            f"{code.code} {code.text}".lower(),
        )
        for code in workshop.shelf.experience.codes.values()
    ]
    jobs = [
        Hit("Jobs", row.title, f"{row.vehicle_name}, {row.stage}", f"/jobs/{row.id}", "")
        for row in workshop.yard.find(words, MOST_OF_KIND)
    ]
    vehicles = [
        Hit("Vehicles", vehicle.name, "newest job", f"/search/vehicle/{vehicle.id}", vehicle.name.lower())
        for vehicle in workshop.garage.vehicles()
    ]
    hits = [
        h for h in (*own, *vehicles, *of_knowledge(workshop.knowledge)) if all(w in h.text for w in words)
    ]
    groups: dict[str, list[Hit]] = {"Jobs": jobs}
    for hit in sorted(
        hits,
        key=lambda h: (
            not h.title.lower().startswith(words[0]),
            not all(w in h.title.lower() for w in words),
        ),
    ):
        groups.setdefault(hit.kind, []).append(hit)
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
                        row.title,
                        f"{row.stage}, {'handed over' if row.closed else 'open'}",
                        f"/jobs/{row.id}",
                        "",
                    )
                    for row in rows
                ],
                "more": 0,
            }
        ]
        if rows
        else []
    )
    return render(request, "search/page.html", asked=name, found=known)
