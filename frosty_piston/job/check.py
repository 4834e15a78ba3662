"""Checks entries on their way in, so that all faults show at once, each with its path."""

import re
from dataclasses import dataclass, field
from typing import Any

from pydantic import BaseModel, TypeAdapter, ValidationError

from frosty_piston.core.codes import decode
from frosty_piston.core.errors import Fault
from frosty_piston.core.words import inside
from frosty_piston.knowledge import Knowledge

from . import entries as e
from .engine import Moment
from .units import UNITS, allowed, same_kind

MOST_DEPTH = 32
MOST_TEXT = 10_000


PLAIN = {
    "float_type": "must be a figure",
    "float_parsing": "must be a figure",
    "int_type": "must be a whole number",
    "string_type": "must be text",
    "int_from_float": "must be a whole number",
    "bool_type": "must be true or false",
    "list_type": "must be a list",
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
        path += f"[{part}]" if isinstance(part, int) else f".{part}" if path else str(part)
    return path


def said(error: ValidationError, base: str = "") -> list[Fault]:
    """Turn a model's complaints into faults, in plain words."""
    faults: dict[str, Fault] = {}
    for one in error.errors(include_url=False, include_input=False):
        loc = tuple(p for p in one["loc"] if not _is_branch(p))
        kind, context = one["type"], one.get("ctx", {})
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
                loc, says = (*loc, *head.split(".")), tail
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
    text."""
    faults: list[Fault] = []
    todo: list[tuple[Any, str, int]] = [(value, path, 1)]
    while todo and len(faults) < 50:
        node, where, depth = todo.pop()
        if depth > MOST_DEPTH:
            return [Fault(where[:200], f"nested deeper than {MOST_DEPTH} levels")]
        if isinstance(node, dict):
            for key, inner in node.items():
                if not _printable(key):
                    faults.append(Fault(where or "top", "a key holds signs that are no text"))
                    continue
                todo.append((inner, f"{where}.{key[:60]}" if where else key[:60], depth + 1))
        elif isinstance(node, list):
            todo += [(inner, f"{where}[{i}]", depth + 1) for i, inner in enumerate(node)]
        elif isinstance(node, str):
            if len(node) > MOST_TEXT:
                faults.append(Fault(where, f"{len(node)} signs long; at most {MOST_TEXT} are kept"))
            elif not _printable(node):
                faults.append(Fault(where, "holds control signs or broken text"))
        elif (
            isinstance(node, float)
            and (node != node or node in (float("inf"), float("-inf")))
            or isinstance(node, int)
            and abs(node) > 1e15
        ):
            faults.append(Fault(where, "is no usable figure"))
    return faults


_UNPRINTABLE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff\ufffe\uffff]")


def _printable(text: str) -> bool:
    return not _UNPRINTABLE.search(text)


@dataclass
class Checker:
    """Checks the entries of one job in order, remembering ids, so that corrections and repeats are seen."""

    knowledge: Knowledge
    cylinders: int | None = None
    known_ids: set[str] = field(default_factory=set)
    faults: list[Fault] = field(default_factory=list)

    def entry(self, raw: Any, path: str) -> e.Entry | None:
        """Check one entry; faults are gathered, the entry is returned when it has none."""
        before = len(self.faults)
        if not isinstance(raw, dict):
            self.faults.append(Fault(path, "an entry is an object with id, kind and data"))
            return None
        envelope = data = None
        try:
            envelope = e.EntryEnvelope.model_validate(raw)
        except ValidationError as error:
            self.faults += said(error, path)
        kind, model = raw.get("kind"), None
        if isinstance(kind, str):
            model = e.KINDS.get(kind)
            if model is None:
                self.faults.append(
                    Fault(f"{path}.kind", f"{kind[:40]!r} is no kind of entry; allowed: {', '.join(e.KINDS)}")
                )
        if model and isinstance(raw.get("data"), dict):
            try:
                data = model.model_validate(raw["data"])
            except ValidationError as error:
                self.faults += said(error, f"{path}.data")
        for sub, says in self._trade(data) if data is not None else self._names(model, raw.get("data")):
            self.faults.append(Fault(f"{path}.data.{sub}", says))
        if envelope is not None:
            if envelope.id in self.known_ids:
                self.faults.append(
                    Fault(f"{path}.id", f"{envelope.id!r} stands twice; every entry has its own id")
                )
            self.known_ids.add(envelope.id)
        if len(self.faults) > before or envelope is None or data is None:
            return None
        return e.Entry(envelope.id, envelope.kind, envelope.at, envelope.by, data)

    def _trade(self, data: BaseModel) -> list[tuple[str, str]]:
        """What only the knowledge of the trade can check: ids, units, points, cylinders."""
        k = self.knowledge
        match data:
            case e.Symptom(symptom=name):
                return _one_of("symptom", name, k.symptoms)
            case e.Context(context=name):
                return _one_of("context", name, k.contexts)
            case e.Code(code=code):
                return _code("code", code)
            case e.Drive(codes_back=codes):
                return [f for i, c in enumerate(codes) for f in _code(f"codes_back[{i}]", c)]
            case e.Condition(unit=unit) | e.Instrument(unit=str(unit)):
                return _unit(unit)
            case e.Tick(caution=name):
                return _one_of("caution", name, k.cautions)
            case e.SootCause(cause=name):
                return _one_of("cause", name, k.soot.causes)
            case e.Action():
                return self._action(data)
            case e.OptionPicked(option=option) | e.Consent(option=str(option)):
                return [f for one in option.split("+") for f in _one_of("option", one, k.options)]
            case e.Trim(cylinder=cylinder) if self.cylinders and cylinder > self.cylinders:
                return [("cylinder", f"this engine has {self.cylinders} cylinders")]
            case e.Circuit():
                return _circuit(data)
            case e.Reading():
                return self._reading(data)
            case e.Outcome():
                return self._outcome(data)
            case e.Trace(test=str(test)):
                return _one_of("test", test, k.tests)
            case e.Trace(file=None, columns=None):
                return [("file", "a recording names a file or carries its columns")]
            case e.FitStep(plan=plan):
                return _one_of("plan", plan, k.repairs) or self._fit(data)
            case e.ProofStep():
                return self._proof(data)
            case e.Correction(corrects=target) if target not in self.known_ids:
                return [("corrects", f"no entry {target!r} stands before this one")]
            case e.Wait(ends=str(ends)) if ends not in self.known_ids:
                return [("ends", f"no entry {ends!r} stands before this one")]
        return []

    def _names(self, model: type[BaseModel] | None, raw: Any) -> list[tuple[str, str]]:
        """The names inside data whose shape is wrong already, so that those faults show in the same
        answer."""
        if model is None or not isinstance(raw, dict):
            return []
        known = {
            "test": self.knowledge.tests,
            "symptom": self.knowledge.symptoms,
            "context": self.knowledge.contexts,
        }
        given = {
            key: raw[key]
            for key in (*known, "unit")
            if key in model.model_fields and isinstance(raw.get(key), str)
        }
        return [
            f
            for key, name in given.items()
            for f in (_unit(name) if key == "unit" else _one_of(key, name[:60], known[key]))
        ]

    def _where(self, test: str, where: e.Where) -> list[tuple[str, str]]:
        shape, faults = self.knowledge.tests[test], []
        if where.point is not None and shape.points and where.point not in shape.points:
            faults.append(("where.point", f"must be one of {', '.join(shape.points)}"))
        if where.cylinder is not None and self.cylinders and where.cylinder > self.cylinders:
            faults.append(("where.cylinder", f"this engine has {self.cylinders} cylinders"))
        return faults

    def _reading(self, data: e.Reading) -> list[tuple[str, str]]:
        if missing := _one_of("test", data.test, self.knowledge.tests):
            return missing + _unit(data.unit)
        shape, faults = self.knowledge.tests[data.test], _unit(data.unit)
        if not shape.units:
            given = ", ".join(shape.outcomes) or ", ".join(shape.figures)
            faults.append(("test", f"{data.test} is recorded as an outcome, not as a reading: {given}"))
        elif not faults and not any(same_kind(data.unit, u) for u in shape.units):
            faults.append(("unit", f"{data.test} is read in {' or '.join(shape.units)}, not in {data.unit}"))
        if data.value == "OL" and not shape.overload:
            faults.append(("value", f"OL cannot be read in {data.test}; a figure is wanted"))
        return faults + self._where(data.test, data.where)

    def _outcome(self, data: e.Outcome) -> list[tuple[str, str]]:
        if missing := _one_of("test", data.test, self.knowledge.tests):
            return missing
        shape, faults = self.knowledge.tests[data.test], []
        if data.outcome is None and not data.figures:
            faults.append(
                (
                    "outcome",
                    (
                        "an outcome or figures are wanted:"
                        f" {', '.join(shape.outcomes) or ', '.join(shape.figures)}"
                    ),
                )
            )
        if data.blocked is not None and data.test != "vacuum_section":
            faults.append(("blocked", "only a section of a circuit is tested with parts blocked off"))
        if data.outcome is not None and data.outcome not in shape.outcomes:
            faults.append(
                (
                    "outcome",
                    (
                        f"must be one of {', '.join(shape.outcomes)}"
                        if shape.outcomes
                        else f"{data.test} has no named outcomes"
                    ),
                )
            )
        for key in data.figures or {}:
            if key not in shape.figures:
                faults.append(
                    (
                        f"figures.{key}",
                        f"unknown figure; {data.test} records {', '.join(shape.figures) or 'none'}",
                    )
                )
        return faults + self._where(data.test, data.where)

    def _fit(self, data: e.FitStep) -> list[tuple[str, str]]:
        steps = self.knowledge.repairs[data.plan].step_ids
        faults = [] if data.step in steps else [("step", f"must be one of {', '.join(steps)}")]
        return faults + [
            (f"ticks[{i}]", "no such caution")
            for i, c in enumerate(data.ticks or [])
            if c not in self.knowledge.cautions
        ]

    def _action(self, data: e.Action) -> list[tuple[str, str]]:
        k = self.knowledge
        faults = _one_of("cleaning.way", data.cleaning.way, k.cleaning) if data.cleaning else []
        faults += _one_of("repair", data.repair, k.repairs) if data.repair else []
        faults += _one_of("option", data.option, k.options) if data.option else []
        wrong = [c for c in data.cylinders or [] if self.cylinders and c > self.cylinders]
        return faults + [("cylinders", f"this engine has {self.cylinders} cylinders") for _ in wrong[:1]]

    def _proof(self, data: e.ProofStep) -> list[tuple[str, str]]:
        k = self.knowledge
        steps = [*k.proofs.checks, *k.proofs.resets, *k.proofs.conditions]
        faults = [] if data.step in steps else [("step", f"must be one of {', '.join(steps)}")]
        faults += [] if data.repair == "general" else _one_of("repair", data.repair, k.repairs)
        faults += _one_of("about", data.about, k.faults) if data.about else []
        faults += _one_of("why", data.why, k.proofs.reasons) if data.why else []
        if data.result == "could_not" and not data.reason:
            faults.append(("reason", "say why it could not be done"))
        return faults


_MOMENT = TypeAdapter(Moment)


def kept(raw: dict[str, Any]) -> e.Entry:
    """Read back an entry that passed every check when it was written."""
    at = raw.get("at")
    return e.Entry(
        raw["id"],
        raw["kind"],
        _MOMENT.validate_python(at) if at else None,
        raw.get("by"),
        e.KINDS[raw["kind"]].model_validate(raw["data"]),
    )


def _one_of(key: str, given: str, known: Any) -> list[tuple[str, str]]:
    if given in known:
        return []
    near = [name for name in known if given[:4] and given[:4] in name][:6]
    return [
        (
            key,
            f"{given!r} is not known here"
            + (f"; near: {', '.join(near)}" if near else f"; known: {', '.join(list(known)[:8])} ..."),
        )
    ]


def _circuit(data: e.Circuit) -> list[tuple[str, str]]:
    """Ids stand once, and every hose runs between ports of parts that are there."""
    ids = [x.id for x in (*data.parts, *data.hoses)]
    faults = [("parts", f"{one!r} stands twice") for one in dict.fromkeys(i for i in ids if ids.count(i) > 1)]
    parts = {x.id for x in data.parts}
    for n, hose in enumerate(data.hoses):
        for key, end in (("from", hose.from_), ("to", hose.to)):
            if end.partition(".")[0] not in parts:
                faults.append((f"hoses[{n}].{key}", f"{end!r} is no port of a part that is named"))
    return faults


def _unit(unit: str) -> list[tuple[str, str]]:
    return [] if unit in UNITS else [("unit", f"{unit[:20]!r} is not accepted; allowed: {allowed()}")]


def _code(key: str, code: str) -> list[tuple[str, str]]:
    try:
        decode(code)
    except ValueError as error:
        return [(key, str(error))]
    return []
