"""Vehicles and engine cards."""

from typing import Any

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from frosty_piston.job.engine import EngineCard

from .tables import EngineCardRow, VehicleRow


class Garage:
    """Keeps and finds vehicles and engine cards by their names."""

    def __init__(self, engine: Engine):
        self.engine = engine
        self._writing = engine.execution_options(writing=True)

    def cards(self) -> list[tuple[int, EngineCard]]:
        with Session(self.engine) as session:
            return [
                (r.id, EngineCard.model_validate(r.data))
                for r in session.scalars(select(EngineCardRow).order_by(EngineCardRow.name))
            ]

    def save_card(self, data: dict[str, Any]) -> int:
        with Session(self._writing) as session, session.begin():
            row = session.scalar(
                select(EngineCardRow).where(EngineCardRow.name == data["name"])
            ) or EngineCardRow(name=data["name"])
            row.data = data
            session.add(row)
            session.flush()
            return row.id

    def vehicles(self) -> list[VehicleRow]:
        with Session(self.engine) as session:
            rows = list(session.scalars(select(VehicleRow).order_by(VehicleRow.name)))
            session.expunge_all()
        return rows

    def save_vehicle(self, data: dict[str, Any], card_id: int | None) -> int:
        with Session(self._writing) as session, session.begin():
            row = session.scalar(select(VehicleRow).where(VehicleRow.name == data["name"])) or VehicleRow(
                name=data["name"]
            )
            row.data, row.engine_card_id = data, card_id if card_id is not None else row.engine_card_id
            session.add(row)
            session.flush()
            return row.id
