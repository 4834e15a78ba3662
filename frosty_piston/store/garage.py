"""Vehicles and engine cards: each with its version, and every version kept."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from frosty_piston.core.errors import BadInput, Conflict, Fault
from frosty_piston.job.engine import EngineCard
from frosty_piston.job.entries import CardChange, Entry
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge.reset_shapes import ResetPlanShape

from .database import write_session
from .tables import CardCircuitRow, CardPlanRow, CardVersionRow, EngineCardRow, JobRow, VehicleRow
from .timestamps import now, utc

Card = VehicleRow | EngineCardRow
KNOWN = "a {} of this name is known already: take it from the list, or give this one another name"


@dataclass(frozen=True)
class CardPlan:
    """A reset plan that worked on an engine card: who kept it, when, and on which job."""

    plan: ResetPlanShape
    by: str
    at: datetime
    job_id: str


@dataclass(frozen=True)
class Seen:
    """What a page showed: the changes of cards on the job so far, the versions of its vehicle and card."""

    changes: int = 0
    vehicle: int = 0
    card: int = 0

    def __str__(self) -> str:
        return f"{self.changes}-{self.vehicle}-{self.card}"

    @classmethod
    def read(cls, text: str) -> "Seen":
        parts = text.split("-")
        usable = len(parts) == 3 and all(p.isascii() and p.isdigit() and len(p) < 9 for p in parts)
        return cls(*map(int, parts)) if usable else cls()


class CardsChanged(Conflict):
    """Somebody else changed the vehicle or the card since the page was shown. `now`: by field what stands."""

    def __init__(self, now: dict[str, Any]):
        self.now = now
        super().__init__("This was changed meanwhile: see both values, then press again for yours.")


@dataclass(frozen=True)
class NewCards:
    """The vehicle and engine card that a job shall have, and which of them is kept for other jobs too.
    `shown`: what the page showed of it."""

    vehicle: dict[str, Any]
    engine: dict[str, Any]
    vehicle_id: int | None
    seen: Seen
    keeps: str = ""
    by: str = ""

    def look(self, job: Job) -> None:
        """Raises CardsChanged when the job was given another vehicle or card since the page was shown."""
        if len(card_changes(job)) > self.seen.changes:
            stands = both(*cards_of(job))
            new = both(self.vehicle, self.engine)
            raise CardsChanged({k: v for k, v in stands.items() if v != new.get(k)})

    def title(self, job: Job) -> str:
        """A job that was never given a title of its own is called after its vehicle."""
        name: str = self.vehicle["name"]
        return name if job.title in ("New job", job.vehicle.name) else job.title

    def keep(self, session: Session, row: JobRow) -> None:
        """Write the kept card in the transaction of the job, and tie vehicle and card together."""
        vehicle_id = self.vehicle_id
        if self.keeps == "vehicle":
            before = (row.vehicle, row.vehicle_id)
            vehicle_id = _kept(
                session, VehicleRow, "vehicle", self.vehicle, before, self.seen.vehicle, self.by
            )
        elif self.keeps == "card":
            of_job = select(EngineCardRow.id).where(EngineCardRow.name == row.engine.get("name"))
            before = (row.engine, session.scalar(of_job))
            _kept(session, EngineCardRow, "card", self.engine, before, self.seen.card, self.by)
        row.vehicle_id = vehicle_id
        card_id = session.scalar(
            select(EngineCardRow.id).where(EngineCardRow.name == self.engine.get("name"))
        )
        if vehicle_id is not None and card_id is not None:
            session.get_one(VehicleRow, vehicle_id).engine_card_id = card_id


def card_changes(job: Job) -> list[Entry]:
    """Every change of vehicle and card on a tape, those taken back too."""
    return [x for x in job.tape if isinstance(x.data, CardChange)]


def cards_of(job: Job) -> tuple[dict[str, Any], dict[str, Any]]:
    """The vehicle and the engine card of a job, as they are written."""
    return job.vehicle.model_dump(exclude_unset=True), job.engine.model_dump(exclude_unset=True)


def both(vehicle: dict[str, Any], engine: dict[str, Any]) -> dict[str, Any]:
    """The fields of a vehicle and of its engine card, whose name is called the card."""
    return {**vehicle, **{"card" if key == "name" else key: value for key, value in flat(engine).items()}}


def flat(card: Mapping[str, Any]) -> dict[str, Any]:
    """A card with its limits beside its other fields, as its form has them."""
    limits = card.get("limits") or {}
    rest = {key: value for key, value in card.items() if key != "limits"}
    return rest | {f"limit_{key}": value for key, value in limits.items()}


def _kept(
    session: Session,
    table: type[Card],
    called: str,
    new: dict[str, Any],
    before: tuple[dict[str, Any], int | None],
    seen: int,
    by: str,
) -> int:
    """Keep a vehicle or card under its name. `before`: what the job had, and which row that is. What others
    wrote into fields that this page did not touch stays. Raises CardsChanged, BadInput for a name that is
    another's."""
    shown, own = before
    row: Any = session.scalar(select(table).where(table.name == new["name"]))
    if row is not None and row.id != own:
        raise BadInput([Fault("name", KNOWN.format(called))])
    if row is None:
        row = table(name=new["name"], version=1, data=new)
        session.add(row)
    else:
        if row.version != seen:
            stands = flat(row.data)
            mine = flat(new)
            old = flat(_version(session, table, row.id, seen))
            raise CardsChanged(
                {k: stands.get(k) for k in {**old, **stands} if old.get(k) != stands.get(k)} or mine
            )
        merged = _merged(row.data, shown, new)
        if merged == row.data:
            return int(row.id)
        row.data = merged
        row.version = row.version + 1
    session.flush()
    _keep_version(session, row, by)
    return int(row.id)


def _merged(stands: dict[str, Any], shown: dict[str, Any], new: dict[str, Any]) -> dict[str, Any]:
    """What stands, with the fields changed that differ between what was shown and what was sent."""
    whole = dict(stands)
    for key in {**shown, **new}:
        if shown.get(key) == new.get(key):
            continue
        if key == "limits":
            whole[key] = _merged(stands.get(key) or {}, shown.get(key) or {}, new.get(key) or {})
        elif key in new:
            whole[key] = new[key]
        else:
            whole.pop(key, None)
    return whole


def _version(session: Session, table: type[Card], card_id: int, version: int) -> dict[str, Any]:
    row = session.get(CardVersionRow, (table.__tablename__, card_id, version))
    return row.data if row else {}


def _keep_version(session: Session, row: Card, by: str) -> None:
    kept = CardVersionRow(
        kind=row.__tablename__, card_id=row.id, version=row.version, data=row.data, by=by, at=now()
    )
    session.add(kept)


class Garage:
    """Keeps and finds vehicles and engine cards by their names."""

    def __init__(self, engine: Engine):
        self.engine = engine

    def cards(self) -> list[tuple[int, EngineCard]]:
        with Session(self.engine) as session:
            return [
                (row.id, EngineCard.model_validate(row.data))
                for row in session.scalars(select(EngineCardRow).order_by(EngineCardRow.name))
            ]

    def vehicles(self) -> list[VehicleRow]:
        with Session(self.engine) as session:
            rows = list(session.scalars(select(VehicleRow).order_by(VehicleRow.name)))
            session.expunge_all()
        return rows

    def keep_circuit(self, card_name: str, data: dict[str, Any], by: str = "") -> None:
        """Copy a vacuum circuit to an engine card, by its name."""
        with write_session(self.engine) as session:
            session.merge(CardCircuitRow(card_name=card_name, data=data, by=by, at=now()))

    def circuit_of(self, card_name: str) -> dict[str, Any] | None:
        """The vacuum circuit that was copied to an engine card."""
        with Session(self.engine) as session:
            row = session.get(CardCircuitRow, card_name)
            return row.data if row else None

    def keep_plan(self, card_name: str, key: str, plan: ResetPlanShape, job_id: str, by: str) -> None:
        """Keep a reset plan as the one that worked last on an engine card, by its name."""
        row = CardPlanRow(
            card_name=card_name,
            plan=key,
            data=plan.model_dump(exclude_defaults=True),
            job_id=job_id,
            by=by,
            at=now(),
        )
        with write_session(self.engine) as session:
            session.merge(row)

    def plans_of(self, card_name: str) -> dict[str, CardPlan]:
        """The reset plans that worked last on an engine card."""
        with Session(self.engine) as session:
            rows = session.scalars(select(CardPlanRow).where(CardPlanRow.card_name == card_name))
            return {
                row.plan: CardPlan(ResetPlanShape.model_validate(row.data), row.by, utc(row.at), row.job_id)
                for row in rows
            }

    def seen(self, job: Job, vehicle_id: int | None) -> Seen:
        """What a page of a job shows now."""
        with Session(self.engine) as session:
            vehicle = select(VehicleRow.version).where(VehicleRow.id == vehicle_id)
            card = select(EngineCardRow.version).where(EngineCardRow.name == job.engine.name)
            return Seen(len(card_changes(job)), session.scalar(vehicle) or 0, session.scalar(card) or 0)

    def add_card(self, data: dict[str, Any], by: str = "") -> int:
        """Keep a new engine card. Raises BadInput when its name is known."""
        with write_session(self.engine) as session:
            return _kept(session, EngineCardRow, "card", data, ({}, None), 0, by)

    def add_vehicle(self, data: dict[str, Any], card_id: int | None, by: str = "") -> int:
        """Keep a new vehicle. Raises BadInput when its name is known."""
        with write_session(self.engine) as session:
            vehicle_id = _kept(session, VehicleRow, "vehicle", data, ({}, None), 0, by)
            session.get_one(VehicleRow, vehicle_id).engine_card_id = card_id
            return vehicle_id
