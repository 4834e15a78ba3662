"""The figures that judge: one row each in `figures/`, handed to the core as the limits of an area."""

from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar, get_args, get_origin, get_type_hints

from frosty_piston.core import (
    actuators,
    aftertreatment,
    air,
    air_recorded,
    battery,
    boost,
    countdown,
    day,
    glow,
    injection,
    plug_life,
    relay,
    running,
    starting,
    telling,
    vacuum,
    waiting,
    wiring,
)
from frosty_piston.core.errors import BadKnowledge
from frosty_piston.core.limits import CARD, GENERAL, Limit, Points

from .reader import Reader
from .shapes import FigureShape, TableShape

L = TypeVar("L")

# The figures file of every set of limits; the rows of a file are the fields of its class.
AREAS: dict[type, str] = {
    battery.BatteryLimits: "battery",
    glow.GlowLimits: "glow",
    relay.RelayLimits: "relay",
    starting.StartLimits: "cold_start",
    plug_life.PlugLifeLimits: "plug_life",
    injection.InjectionLimits: "injection",
    wiring.WiringLimits: "wiring",
    air.AirLimits: "air",
    air_recorded.RecordedLimits: "recorded",
    boost.BoostLimits: "boost",
    actuators.ActuatorLimits: "actuators",
    vacuum.VacuumLimits: "vacuum",
    running.RunningLimits: "running",
    aftertreatment.FilterLimits: "filter",
    aftertreatment.HeatLimits: "exhaust_heat",
    aftertreatment.NoxLimits: "nox",
    aftertreatment.DefLimits: "def",
    waiting.WaitLimits: "waiting",
    countdown.CountdownLimits: "countdown",
    day.DayLimits: "day",
    telling.TellingLimits: "telling",
}
OF_AREA = {area: cls for cls, area in AREAS.items()}
PLAIN = "work"
CARD_ONLY = Limit | None  # a figure that only a card can have: nothing is judged by it in general


class Figures:
    """All rows of `figures/`, checked against the classes of the core that they fill."""

    def __init__(self, reader: Reader):
        self.rows: dict[str, FigureShape] = {}
        self.tables: dict[str, list[TableShape]] = {}
        self.titles: dict[str, str] = {}
        self._files: dict[str, dict[str, Any]] = {}
        for area in (*AREAS.values(), PLAIN):
            name = f"figures/{area}.toml"
            file = dict(reader.raw(name)[0])
            self.titles[area] = str(file.pop("title", area))
            self._files[area] = self._read(reader, name, area, file, ())
        for cls, area in AREAS.items():
            _check(reader, f"figures/{area}.toml", cls, self._files[area], ())
        self._own = lru_cache(maxsize=256)(self._of_card)
        self._general = {cls: _build(cls, self._files[area], {}) for cls, area in AREAS.items()}
        self._cards = {
            cls: frozenset(row.card for row in self.rows.values() if row.area == area)
            for cls, area in AREAS.items()
        }

    def _read(
        self, reader: Reader, name: str, area: str, table: dict[str, Any], path: tuple[str, ...]
    ) -> dict[str, Any]:
        """Rows, tables and kinds of one file, nested as they stand."""
        rows: dict[str, Any] = {}
        for key, value in table.items():
            where = (*path, key)
            if not isinstance(value, dict):
                rows[key] = value
            elif "table" in value:
                rows[key] = reader.shaped(name, list(where), value, TableShape)
                self.tables.setdefault(area, []).append(rows[key])
            elif "general" in value or "title" in value:
                row = reader.shaped(name, list(where), value, FigureShape)
                card = row.card or (key if area == PLAIN else "_".join((area, *where)))
                if card in self.rows:
                    raise BadKnowledge(reader.says(name, list(where), f"the figure {card!r} stands twice"))
                rows[key] = self.rows[card] = row.model_copy(update={"card": card, "area": area})
            else:
                rows[key] = self._read(reader, name, area, value, where)
        return rows

    def of(self, cls: type[L], card: Mapping[str, object] | None = None) -> L:
        """The limits of an area: general figures, and the engine card's where it has its own."""
        own = self._cards[cls] & card.keys() if card else ()
        limits: L = (
            self._own(AREAS[cls], tuple(sorted((key, card[key]) for key in own)))
            if card and own
            else self._general[cls]
        )
        return limits

    def one(self, figure: str, card: Mapping[str, object]) -> Limit:
        """One figure by its key on the card."""
        return _limit(self.rows[figure], card)

    def _of_card(self, area: str, own: tuple[tuple[str, object], ...]) -> Any:
        return _build(OF_AREA[area], self._files[area], dict(own))


def _limit(row: FigureShape, card: Mapping[str, object]) -> Limit:
    own = card.get(row.card)
    if isinstance(own, int | float) and not isinstance(own, bool):
        return Limit(own, row.unit, CARD)
    return Limit(row.general if row.general is not None else 0.0, row.unit, row.standard or GENERAL)


def _build(cls: Any, rows: Mapping[str, Any], card: Mapping[str, object]) -> Any:
    hints = get_type_hints(cls)
    return cls(**{f.name: _value(hints[f.name], rows[f.name], card) for f in fields(cls)})


def _value(hint: Any, row: Any, card: Mapping[str, object]) -> Any:
    if get_origin(hint) is Mapping:
        return {kind: _value(get_args(hint)[1], rows, card) for kind, rows in row.items()}
    if is_dataclass(hint):
        return _build(hint, row, card)
    if isinstance(row, FigureShape):
        return (
            None if hint == CARD_ONLY and row.card not in card and row.general is None else _limit(row, card)
        )
    if isinstance(row, TableShape):
        return tuple(row.table)
    return row


def _check(reader: Reader, name: str, cls: Any, rows: Mapping[str, Any], path: tuple[str, ...]) -> None:
    """Every field has its row and every row its field, of the kind that the class asks for."""
    hints = get_type_hints(cls)
    if gap := set(hints) ^ set(rows):
        key = min(gap)
        says = "no rule asks for this figure" if key in rows else f"the figure {key!r} is missing"
        raise BadKnowledge(reader.says(name, [*path, key], says))
    for key, hint in hints.items():
        row = rows[key]
        if get_origin(hint) is Mapping:
            inner = get_args(hint)[1]
            for kind, of_kind in row.items():
                if is_dataclass(inner):
                    _check(reader, name, inner, of_kind, (*path, key, kind))
        elif is_dataclass(hint) and not isinstance(row, FigureShape):
            _check(reader, name, hint, row, (*path, key))
        elif hint == CARD_ONLY and isinstance(row, FigureShape):
            continue
        elif hint is Limit and (not isinstance(row, FigureShape) or row.general is None):
            raise BadKnowledge(reader.says(name, [*path, key], "a figure with its general value is wanted"))
        elif hint == Points and not isinstance(row, TableShape):
            raise BadKnowledge(reader.says(name, [*path, key], "a table of pairs is wanted"))


@lru_cache(maxsize=1)
def _shipped() -> Figures:
    return Figures(Reader(Path(__file__).parent))


def general(cls: type[L]) -> L:
    """The general limits of an area, as they ship.

    >>> from frosty_piston.core.relay import RelayLimits
    >>> general(RelayLimits).feed_drop_v
    0.3
    """
    return _shipped().of(cls)
