"""Checks entries on their way in, so that all faults show at once, each with its path."""

import re
from collections.abc import Collection, Iterator, Mapping
from datetime import datetime
from typing import Any

from pydantic import BaseModel, TypeAdapter, ValidationError

from frosty_piston.core.errors import Fault
from frosty_piston.core.words import inside
from frosty_piston.knowledge import Knowledge

from .engine import Moment
from .entries import KINDS, Against, Condition, Entry, EntryEnvelope, Tick, Unreadable
from .entries.kind import one_of, unit_fault
from .repair.reset_order import ResetOrder
from .repair.road import Road
from .weighing import stopping

MOST_DEPTH = 32
MOST_TEXT = 10_000
MOST_WALKED_FAULTS = 50


PLAIN = {
    "float_type": "must be a figure",
    "float_parsing": "must be a figure",
    "int_type": "must be a whole number",
    "string_type": "must be text",
    "int_from_float": "must be a whole number",
    "bool_type": "must be true or false",
    "list_type": "must be a list",
    "tuple_type": "must be a list",
    "dict_type": "must be an object",
    "model_type": "must be an object",
    "finite_number": "must be a usable figure",
    "timezone_aware": "must be a time with its zone, as 2026-01-14T06:40:00Z",
    "datetime_from_date_parsing": "must be a time, as 2026-01-14T06:40:00Z",
    "datetime_parsing": "must be a time, as 2026-01-14T06:40:00Z",
    "datetime_type": "must be a time, as 2026-01-14T06:40:00Z",
}


def path_of(loc: tuple[Any, ...], base: str = "") -> str:
    """Write a location as ``entries[6].data.unit``."""
    path = base
    for part in loc:
        if isinstance(part, int):
            path += f"[{part}]"
        else:
            path += f".{part}" if path else str(part)
    return path


def said(error: ValidationError, base: str = "") -> list[Fault]:
    """Turn a model's complaints into faults, in plain words."""
    faults: dict[str, Fault] = {}
    for one in error.errors(include_url=False, include_input=False):
        loc = tuple(p for p in one["loc"] if not _is_branch(p))
        kind = one["type"]
        context = one.get("ctx", {})
        if kind == "extra_forbidden":
            says = "unknown key"
        elif kind == "missing":
            says = "is missing"
        elif kind == "literal_error":
            says = f"must be {context.get('expected', 'one of the allowed words')}"
        elif kind == "value_error":
            says = str(context.get("error", one["msg"]))
            head, colon, tail = says.partition(": ")
            if colon and " " not in head:
                loc = (*loc, *head.split("."))
                says = tail
        else:
            says = PLAIN.get(kind) or inside(one["msg"]).replace("Input should", "must")
        path = path_of(loc, base)
        says = says.replace("input should", "must")
        told = faults.get(path)
        if told is None:
            faults[path] = Fault(path, says)
        elif says not in told.says:
            faults[path] = Fault(path, f"{told.says} or {says.removeprefix('must be ')}")
    return list(faults.values())


def _is_branch(part: Any) -> bool:
    return isinstance(part, str) and (
        part.startswith(("function-", "constrained-", "literal[", "list["))
        or part in ("float", "int", "bool", "str")
    )


def walk(value: Any, path: str = "") -> list[Fault]:
    """Check a parsed JSON value for what no part of a job file may hold: depth, endless numbers, broken
    text. One level after the other, so that it holds no more than the way it came."""
    faults: list[Fault] = []
    way: list[str] = [path]
    levels: list[Iterator[tuple[str, Any]]] = [iter((("", value),))]
    while levels and len(faults) < MOST_WALKED_FAULTS:
        step, node = next(levels[-1], (None, None))
        if step is None:
            levels.pop()
            way.pop()
            continue
        if len(levels) > MOST_DEPTH:
            return [Fault(_where(way, step)[:200], f"nested deeper than {MOST_DEPTH} levels")]
        if isinstance(node, dict):
            levels.append(((f".{key[:60]}", inner) for key, inner in node.items()))
            way.append(step)
            if any(not printable(key) for key in node):
                faults.append(Fault(_where(way, "") or "top", "a key holds signs that are no text"))
        elif isinstance(node, list):
            levels.append(((f"[{i}]", inner) for i, inner in enumerate(node)))
            way.append(step)
        elif says := _unusable(node):
            faults.append(Fault(_where(way, step), says))
    return faults


def _where(way: list[str], step: str) -> str:
    return "".join((*way, step)).lstrip(".")


def _unusable(node: Any) -> str:
    """Why a value cannot be kept; empty when it can."""
    if isinstance(node, str):
        if len(node) > MOST_TEXT:
            return f"{len(node)} signs long; at most {MOST_TEXT} are kept"
        return "" if printable(node) else "holds control signs or broken text"
    endless = isinstance(node, float) and (node != node or node in (float("inf"), float("-inf")))
    return "is no usable figure" if endless or isinstance(node, int) and abs(node) > 1e15 else ""


_UNPRINTABLE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff\ufffe\uffff]")


def printable(text: str) -> bool:
    """Whether a text holds nothing but signs that can be written, read and sent on.

    >>> printable("øre"), printable("a\\x00b")
    (True, False)
    """
    return not _UNPRINTABLE.search(text)


class Checker:
    """Checks the entries of one job in order, remembering ids, so that corrections and repeats are seen.
    `ticked`: the cautions ticked on the job so far; None where no ticks are asked for, as in files.
    `stop_open`: whether nothing is known yet that stops the engine; `road`: what bars a drive;
    `latch_bars`: why nothing is unlatched, or no counter set back, yet; `order`: that of the reset plans."""

    def __init__(
        self,
        knowledge: Knowledge,
        cylinders: int | None = None,
        known_ids: set[str] | None = None,
        ticked: set[str] | None = None,
        stop_open: bool = False,
        road: Road | None = None,
        latch_bars: Mapping[str, str] | None = None,
        order: ResetOrder | None = None,
    ):
        self.road = road
        self.order = order
        self.against = Against(
            knowledge,
            cylinders,
            known_ids or set(),
            ticked=ticked,
            stop_open=stop_open,
            road_bar=road.bar if road else "",
            latch_bars=latch_bars or {},
        )
        self.faults: list[Fault] = []

    def entry(self, raw: Any, path: str) -> Entry | None:
        """Check one entry; faults are gathered, the entry is returned when it has none."""
        before = len(self.faults)
        if not isinstance(raw, dict):
            self.faults.append(Fault(path, "an entry is an object with id, kind and data"))
            return None
        envelope = data = None
        try:
            envelope = EntryEnvelope.model_validate(raw)
        except ValidationError as error:
            self.faults += said(error, path)
        kind = raw.get("kind")
        model = None
        if isinstance(kind, str):
            model = KINDS.get(kind)
            if model is None:
                self.faults.append(
                    Fault(f"{path}.kind", f"{kind[:40]!r} is no kind of entry; allowed: {', '.join(KINDS)}")
                )
        if model and isinstance(raw.get("data"), dict):
            try:
                data = model.model_validate(raw["data"])
            except ValidationError as error:
                self.faults += said(error, f"{path}.data")
        if data is not None:
            ordered = self.order.wrong(data) if self.order else []
            wrong = data.wrong(self.against) or [*self.against.unticked(data), *ordered]
        else:
            wrong = self._names(model, raw.get("data"))
        self.faults += [Fault(f"{path}.data.{sub}", says) for sub, says in wrong]
        if envelope is not None:
            self._remember(envelope.id, path)
        if len(self.faults) > before or envelope is None or data is None:
            return None
        entry = Entry(envelope.id, envelope.kind, envelope.at, envelope.by, data)
        self._takes_in(entry)
        return entry

    def _takes_in(self, entry: Entry) -> None:
        """What the entries after this one are held against."""
        if isinstance(entry.data, Tick) and self.against.ticked is not None:
            self.against.ticked.add(entry.data.caution)
        if self.road is not None:
            self.road.after(entry)
            self.against.road_bar = self.road.bar
        if self.order is not None:
            self.order.after(entry)
        self.against.stop_open = stopping.open_after(self.against.stop_open, entry)

    def _remember(self, entry_id: str, path: str) -> None:
        if entry_id in self.against.known_ids:
            says = f"{entry_id!r} stands twice; every entry has its own id"
            self.faults.append(Fault(f"{path}.id", says))
        self.against.known_ids.add(entry_id)

    def _names(self, model: type[BaseModel] | None, raw: Any) -> list[tuple[str, str]]:
        """The names inside data whose shape is wrong already, so that those faults show in the same
        answer."""
        if model is None or not isinstance(raw, dict):
            return []
        knowledge = self.against.knowledge
        known: dict[str, Collection[str]] = {
            "test": knowledge.tests,
            "symptom": knowledge.symptoms,
            "context": knowledge.contexts,
        }
        fields = [key for key in (*known, "unit") if key in model.model_fields]
        named = {key: raw[key] for key in fields if isinstance(raw.get(key), str)}
        return [
            fault
            for key, name in named.items()
            for fault in (unit_fault(name) if key == "unit" else one_of(key, name[:60], known[key]))
        ]


_MOMENT = TypeAdapter(Moment)


def kept(raw: dict[str, Any]) -> Entry:
    """Read back an entry that passed every check when it was written. One that this program cannot read is
    an entry all the same: it stands on the tape, and the rest of the job works."""
    at = raw.get("at")
    kind = str(raw.get("kind"))
    try:
        when = _MOMENT.validate_python(at) if at else None
        data = KINDS[kind].model_validate(raw["data"])
        if isinstance(data, Condition) and (wrong := data.of_another_kind()):
            return _unreadable(raw, kind, when, wrong[0][1])
        return Entry(raw["id"], kind, when, raw.get("by"), data)
    except KeyError:
        return _unreadable(raw, kind, None, "no kind of entry that is known here")
    except ValidationError as error:
        return _unreadable(raw, kind, None, said(error)[0].says)


def _unreadable(raw: dict[str, Any], kind: str, at: datetime | None, why: str) -> Entry:
    data = Unreadable(was=kind[:40], why=why[:200])
    return Entry(str(raw["id"]), "unreadable", at, raw.get("by"), data)
