"""The vehicles on the Shelf, and the whole history of each on one page."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.errors import NotHere
from frosty_piston.job.afterwards.history import held, lines_of, visit_of
from frosty_piston.store.timestamps import now, utc
from frosty_piston.web.drawing.time_line import time_line
from frosty_piston.web.frame.dependencies import GivenWorkshop, Number
from frosty_piston.web.frame.page import render

router = APIRouter()
MOST_VISITS = 40


@router.get("/shelf/vehicles")
def vehicles(request: Request, workshop: GivenWorkshop) -> Response:
    rows = [
        (v.id, v.name, v.data.get("plate", ""), v.data.get("owner", "")) for v in workshop.garage.vehicles()
    ]
    return render(request, "shelf/vehicles.html", title="Vehicles", shelf="vehicles", rows=rows)


@router.get("/shelf/vehicles/{vehicle_id}")
def vehicle(request: Request, vehicle_id: Number, workshop: GivenWorkshop) -> Response:
    """Visits, findings, repairs with how proven and how long they held, warnings, readings over the time."""
    row = next((v for v in workshop.garage.vehicles() if v.id == vehicle_id), None)
    if row is None:
        raise NotHere("There is no such vehicle.")
    records = [
        (utc(visit.opened_at), workshop.tapes.job(visit.id))
        for visit in workshop.yard.visits(vehicle_id, "", MOST_VISITS)
    ]
    records.sort(key=lambda r: r[0])
    visits = [visit_of(record.assessed, record.standing.proof, at) for at, record in records]
    lines = lines_of([(at, record.assessed) for at, record in records])
    return render(
        request,
        "shelf/vehicle.html",
        title=row.name,
        shelf="vehicles",
        row=row,
        known="".join(f", {row.data[key]}" for key in ("plate", "owner") if row.data.get(key)),
        visits=visits[::-1],
        held={(h.visit.job, h.mended.repair): h.says for h in held(visits, now())},
        lines=[(x.title, x.unit, time_line(x.points)) for x in lines],
    )
