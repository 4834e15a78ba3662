"""Forms: Pydantic models at the door. Everything wrong is gathered, everything typed is kept."""

import hashlib
import json
from collections.abc import Callable, Collection
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import Any, TypeVar
from uuid import uuid4

from pydantic import BaseModel, BeforeValidator, ConfigDict, ValidationError, ValidationInfo
from pydantic_core import PydanticCustomError

from frosty_piston.core.errors import BadInput, Fault
from frosty_piston.core.quantity import plain
from frosty_piston.core.words import sign
from frosty_piston.job.check import MOST_TEXT, printable
from frosty_piston.job.engine import parse_happened
from frosty_piston.job.units import convert, number, typed
from frosty_piston.store.timestamps import stamp
from frosty_piston.store.workshop import Act, JobRecord, Workshop

MOST_KEY = 40
OF_THE_PRESS = ("entry_id", "pressed_at", "pressed_by", "seal")
M = TypeVar("M", bound="Fields")
T = TypeVar("T")


class Fields(BaseModel):
    """The fields of one form, each read by its own rule. What was left empty, or was wrong, is None."""

    model_config = ConfigDict(extra="ignore", frozen=True)


@dataclass(frozen=True)
class Asking:
    """What a field may be held against: the job and the workshop. `lenient`: a wrong one is passed over."""

    record: JobRecord
    workshop: Workshop
    lenient: bool = False


def _field(read: Callable[[str], T | None]) -> Any:
    return _asking(lambda text, asking: read(text))


def _asking(read: Callable[[str, Asking | None], T | None]) -> Any:
    def validated(text: str, info: ValidationInfo) -> T | None:
        asking: Asking | None = info.context
        try:
            return read(text, asking)
        except ValueError as error:
            if asking is not None and asking.lenient:
                return None
            raise PydanticCustomError("form", "{says}", {"says": str(error)}) from None

    return BeforeValidator(validated)


def line(most: int = 200, needed: str = "") -> Any:
    """A text; `needed` is what to say when it is empty."""
    return _field(lambda text: read_text(text, most, needed))


def figure(unit: str, low: float, high: float, needed: bool = False) -> Any:
    """A figure in a unit, within limits that are named when it is not."""
    return _field(lambda text: read_figure(text, unit, low, high, needed))


def whole(low: int, high: int) -> Any:
    return _field(lambda text: read_whole(text, low, high))


def money(needed: bool = False) -> Any:
    """An amount as typed (1 250,50), in the smallest coin."""
    return _field(lambda text: read_money(text, needed))


def moment(needed: str = "") -> Any:
    """A date and time as a browser sends it."""
    return _field(lambda text: read_moment(text, needed))


def one_of(*allowed: str, needed: bool = True) -> Any:
    return _field(lambda text: read_choice(text, allowed, needed))


def known(allowed: Callable[[Asking], Collection[str]], needed: bool = True) -> Any:
    """One of what the job or the workshop knows."""

    def read(text: str, asking: Asking | None) -> str | None:
        assert asking is not None
        return read_choice(text, allowed(asking), needed)

    return _asking(read)


def read_text(text: str, most: int, needed: str = "") -> str | None:
    if not text:
        if needed:
            raise ValueError(needed)
        return None
    if len(text) > min(most, MOST_TEXT):
        raise ValueError(f"{len(text)} signs; at most {most} are kept")
    if not printable(text):
        raise ValueError("holds control signs; type it again")
    return text


def read_figure(text: str, unit: str, low: float, high: float, needed: bool = False) -> float | None:
    span = f"{plain(low)} to {plain(high)} {sign(unit)}".rstrip()
    if not text:
        if needed:
            raise ValueError(f"a figure from {span} is wanted")
        return None
    if unit:
        read, got = typed(text, unit)
        value = convert(float(read), got, unit)
    else:
        try:
            value = number(text)
        except ValueError:
            raise ValueError(f"{text[:20]!r} is no figure; from {span}") from None
    if not low <= value <= high:
        raise ValueError(f"{text[:20]} is out of reach; {span} is allowed")
    return value


def read_whole(text: str, low: int, high: int) -> int | None:
    value = read_figure(text, "", low, high)
    if value is not None and value != int(value):
        raise ValueError(f"a whole number from {low} to {high} is wanted")
    return int(value) if value is not None else None


def read_money(text: str, needed: bool = False) -> int | None:
    text = text.replace(" ", "").replace("\u00a0", "").replace("kr", "")
    if not text:
        if needed:
            raise ValueError("an amount is wanted, as 1250 or 1250,50")
        return None
    try:
        amount = float(text.replace(",", "."))
    except ValueError:
        amount = -1.0
    if not 0 <= amount <= 10_000_000:
        raise ValueError(f"{text[:20]!r} is no amount; from 0 to 10 000 000, as 1250 or 1250,50")
    return round(amount * 100)


def read_choice(text: str, allowed: Collection[str], needed: bool = True) -> str | None:
    if not text and not needed:
        return None
    if text not in allowed:
        raise ValueError(f"choose one of: {', '.join(str(a).replace('_', ' ') for a in allowed)}")
    return text


def read_moment(text: str, needed: str = "") -> datetime | None:
    """Read a date and time in the workshop's own time."""
    if not text:
        if needed:
            raise ValueError(needed)
        return None
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        raise ValueError(f"{text[:20]!r} is no date and time, as 2026-11-24T16:00") from None
    if not 2000 <= at.year <= 2100:
        raise ValueError("a date between 2000 and 2100 is wanted")
    return at.astimezone(UTC)


@dataclass
class Form:
    """A posted form. `read` takes its fields by their model; faults are gathered, `done` raises them."""

    values: dict[str, list[str]]
    faults: list[Fault] = field(default_factory=list)

    @property
    def kept(self) -> dict[str, str]:
        return {key: given[-1] for key, given in self.values.items()}

    @property
    def first(self) -> str:
        """The first field that was typed into."""
        return next((key for key, given in self.values.items() if key != "entry_id" and any(given)), "")

    def wrong(self, name: str, says: str) -> None:
        self.faults.append(Fault(name, says))

    def done(self) -> None:
        if self.faults:
            raise BadInput(self.faults, self.kept)

    def all(self, name: str) -> list[str]:
        return [v.strip() for v in self.values.get(name, []) if v.strip()]

    def raw(self, name: str) -> str:
        return self.values.get(name, [""])[-1].strip()

    def read(self, model: type[M], record: JobRecord, workshop: Workshop) -> M:
        """The fields of a model, all read; what is wrong with one stands among the faults."""
        given = {name: self.raw(name) for name in model.model_fields}
        asking = Asking(record, workshop)
        try:
            return model.model_validate(given, context=asking)
        except ValidationError as error:
            for one in error.errors():
                self.wrong(str(one["loc"][0]), one["msg"])
            return model.model_validate(given, context=replace(asking, lenient=True))

    def _one(self, name: str, read: Callable[[str], T | None]) -> T | None:
        try:
            return read(self.raw(name))
        except ValueError as error:
            self.wrong(name, str(error))
            return None

    def text(self, name: str, most: int = 200, needed: str = "") -> str | None:
        return self._one(name, lambda text: read_text(text, most, needed))

    def figure(self, name: str, unit: str, low: float, high: float, needed: bool = False) -> float | None:
        return self._one(name, lambda text: read_figure(text, unit, low, high, needed))

    def whole(self, name: str, low: int, high: int) -> int | None:
        return self._one(name, lambda text: read_whole(text, low, high))

    def money(self, name: str, needed: bool = False) -> int | None:
        return self._one(name, lambda text: read_money(text, needed))

    def choice(self, name: str, allowed: Collection[str], needed: bool = True) -> str | None:
        return self._one(name, lambda text: read_choice(text, allowed, needed))

    def moment(self, name: str, needed: str = "") -> datetime | None:
        return self._one(name, lambda text: read_moment(text, needed))

    @property
    def key(self) -> str:
        """The key of this press, from the page; empty when there is no usable one."""
        base = self.raw("entry_id")
        return base if len(base) <= MOST_KEY and base.isascii() and base.replace("-", "").isalnum() else ""

    @property
    def pressed_at(self) -> datetime | None:
        """When it was pressed, where that was kept until it could be sent. Raises BadInput."""
        text = self.raw("pressed_at")
        if not text:
            return None
        try:
            return parse_happened(text).astimezone(UTC)
        except ValueError:
            raise BadInput([Fault("pressed_at", f"{text[:30]!r} is no time of a press")], self.kept) from None

    def act(self, where: str) -> Act | None:
        """This press: its key, and all that came with it."""
        if not self.key:
            return None
        given = sorted((key, values) for key, values in self.values.items() if key not in OF_THE_PRESS)
        content = hashlib.sha256(json.dumps([where, given]).encode()).hexdigest()
        return Act(self.key, content[:40])

    def entry(self, kind: str, data: dict[str, Any], part: str = "") -> dict[str, Any]:
        """Make an entry; its id comes from the page, so that sending twice writes once."""
        entry_id = f"{self.key}{'-' + part if part else ''}" if self.key else str(uuid4())
        at = {"at": stamp(pressed)} if (pressed := self.pressed_at) else {}
        return {"id": entry_id, "kind": kind, **at, "data": {k: v for k, v in data.items() if v is not None}}
