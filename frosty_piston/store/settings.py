"""What the workshop has set, and who works there."""

from typing import Any

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from frosty_piston.job.repair.decide import Prices

from .database import write_session
from .tables import PersonRow, SettingRow


class Settings:
    """Keeps settings by key, and the people by name."""

    def __init__(self, engine: Engine):
        self.engine = engine
        self._people: list[str] | None = None
        self._known: dict[str, dict[str, Any]] = {}

    def people(self) -> list[str]:
        if self._people is None:
            with Session(self.engine) as session:
                self._people = list(session.scalars(select(PersonRow.name).order_by(PersonRow.name)))
        return self._people

    def add_person(self, name: str) -> None:
        with write_session(self.engine) as session:
            if session.scalar(select(PersonRow).where(PersonRow.name == name)) is None:
                session.add(PersonRow(name=name))
        self._people = None

    def get(self, key: str) -> dict[str, Any]:
        if key not in self._known:
            with Session(self.engine) as session:
                row = session.get(SettingRow, key)
                self._known[key] = row.value if row else {}
        return self._known[key]

    def save(self, key: str, value: dict[str, Any]) -> None:
        with write_session(self.engine) as session:
            if row := session.get(SettingRow, key):
                row.value = value
            else:
                session.add(SettingRow(key=key, value=value))
        self._known.pop(key, None)

    def prices(self) -> Prices:
        s = self.get("prices")
        return Prices(
            int(s.get("rate", Prices.rate)),
            float(s.get("tax_percent", Prices.tax_percent)),
            str(s.get("currency", Prices.currency)),
        )
