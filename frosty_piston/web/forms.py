"""Reads form fields: everything wrong is gathered, everything typed is kept."""

from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any
from uuid import uuid4

from frosty_piston.core.errors import BadInput, Fault
from frosty_piston.core.quantity import plain
from frosty_piston.core.words import sign
from frosty_piston.job.check import MOST_TEXT
from frosty_piston.job.units import typed


@dataclass
class Form:
    """The fields of a posted form. Faults are gathered while reading; `done` raises them together."""

    values: dict[str, list[str]]
    faults: list[Fault] = field(default_factory=list)

    @property
    def kept(self) -> dict[str, str]:
        return {key: given[-1] for key, given in self.values.items()}

    def wrong(self, name: str, says: str) -> None:
        self.faults.append(Fault(name, says))

    def done(self) -> None:
        if self.faults:
            raise BadInput(self.faults, self.kept)

    def all(self, name: str) -> list[str]:
        return [v.strip() for v in self.values.get(name, []) if v.strip()]

    def raw(self, name: str) -> str:
        return self.values.get(name, [""])[-1].strip()

    def text(self, name: str, most: int = 200, needed: str | None = None) -> str | None:
        """Read a text; `needed` is what to say when it is empty."""
        text = self.raw(name)
        if not text:
            if needed:
                self.wrong(name, needed)
            return None
        if len(text) > min(most, MOST_TEXT):
            self.wrong(name, f"{len(text)} signs; at most {most} are kept")
            return None
        if any(c < " " and c not in "\r\n\t" or "\ud800" <= c <= "\udfff" for c in text):
            self.wrong(name, "holds control signs; type it again")
            return None
        return text

    def figure(self, name: str, unit: str, low: float, high: float, needed: bool = False) -> float | None:
        """Read a figure in a unit, within limits that are named when it is not."""
        from frosty_piston.job.units import convert, number

        text = self.raw(name)
        if not text:
            if needed:
                self.wrong(
                    name,
                    f"a figure from {plain(low)} to {plain(high)}{f' {sign(unit)}' if unit else ''} is"
                    " wanted",
                )
            return None
        try:
            read, got = typed(text, unit) if unit else (number(text), "")
        except ValueError as error:
            self.wrong(
                name,
                str(error) if unit else f"{text[:20]!r} is no figure; from {plain(low)} to {plain(high)}",
            )
            return None
        value = convert(float(read), got, unit) if unit else float(read)
        if not low <= value <= high:
            span = f"{plain(low)} to {plain(high)} {sign(unit)}".rstrip()
            self.wrong(name, f"{text[:20]} is out of reach; {span} is allowed")
            return None
        return value

    def whole(self, name: str, low: int, high: int) -> int | None:
        value = self.figure(name, "", low, high)
        if value is not None and value != int(value):
            self.wrong(name, f"a whole number from {low} to {high} is wanted")
            return None
        return int(value) if value is not None else None

    def money(self, name: str, needed: bool = False) -> int | None:
        """Read money as typed (1 250,50) into the smallest coin."""
        text = self.raw(name).replace(" ", "").replace(" ", "").replace("kr", "")
        if not text:
            if needed:
                self.wrong(name, "an amount is wanted, as 1250 or 1250,50")
            return None
        try:
            amount = float(text.replace(",", "."))
        except ValueError:
            amount = -1.0
        if not 0 <= amount <= 10_000_000:
            self.wrong(name, f"{text[:20]!r} is no amount; from 0 to 10 000 000, as 1250 or 1250,50")
            return None
        return round(amount * 100)

    def choice(self, name: str, allowed: Any, needed: bool = True) -> str | None:
        text = self.raw(name)
        if not text and not needed:
            return None
        if text not in allowed:
            self.wrong(name, f"choose one of: {', '.join(str(a).replace('_', ' ') for a in allowed)}")
            return None
        return text

    def moment(self, name: str, needed: str | None = None) -> datetime | None:
        """Read a date and time as a browser sends it, in the workshop's own time."""
        text = self.raw(name)
        if not text:
            if needed:
                self.wrong(name, needed)
            return None
        try:
            moment = datetime.fromisoformat(text)
        except ValueError:
            self.wrong(name, f"{text[:20]!r} is no date and time, as 2026-11-24T16:00")
            return None
        if not 2000 <= moment.year <= 2100:
            self.wrong(name, "a date between 2000 and 2100 is wanted")
            return None
        return moment.astimezone(UTC)

    def entry(self, kind: str, data: dict[str, Any], part: str = "") -> dict[str, Any]:
        """Make an entry; its id comes from the page, so that sending twice writes once."""
        base = self.raw("entry_id")
        entry_id = (
            f"{base}{'-' + part if part else ''}"
            if base and len(base) <= 40 and base.replace("-", "").isalnum()
            else str(uuid4())
        )
        return {"id": entry_id, "kind": kind, "data": {k: v for k, v in data.items() if v is not None}}
