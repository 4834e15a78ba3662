"""Reads the tables of repairs: what each cures, its options, work plan and proof, filled up from the kind of
its part."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from frosty_piston.core.cached import cached_property
from frosty_piston.core.errors import BadKnowledge
from frosty_piston.core.words import sentence

from .reader import Reader
from .repair_shapes import (
    ActShape,
    CompareShape,
    KindShape,
    OptionShape,
    PieceStep,
    ProofPieces,
    RepairShape,
    StepShape,
)

KINDS = "part_kinds.toml"
PIECES = "fit_pieces.toml"
PROOFS = "proof_pieces.toml"
ACTS = "acts.toml"
TEMPORARY = "temporary"


@dataclass(frozen=True, eq=False)
class Option:
    """One way to do a repair, with everything left out filled in. `cures`: the faults that it takes away."""

    id: str
    repair: str
    shape: OptionShape
    repairs: tuple[str, ...]
    cures: tuple[str, ...]
    takes: float

    @property
    def title(self) -> str:
        return self.shape.title


@dataclass(frozen=True, eq=False)
class Repair:
    """One repair: what it cures, how it can be done, its work plan, its proof."""

    id: str
    system: str
    shape: RepairShape
    options: dict[str, Option]
    compare: tuple[CompareShape, ...]
    steps: tuple[StepShape, ...]
    checks: tuple[str, ...]
    resets: tuple[str, ...]
    own_steps: bool

    @property
    def title(self) -> str:
        return self.shape.title

    @property
    def cures(self) -> tuple[str, ...]:
        return tuple(self.shape.cures)

    @cached_property
    def step_ids(self) -> tuple[str, ...]:
        return tuple(step.id for step in self.steps)

    def steps_for(self, act: str | None) -> tuple[StepShape, ...]:
        """The steps of one way to do it; all of them while the way is not known."""
        return tuple(x for x in self.steps if not x.acts or act is None or act in x.acts)


@dataclass(frozen=True)
class RepairTables:
    repairs: dict[str, Repair]
    options: dict[str, Option]
    repair_of: dict[str, str]
    acts: dict[str, ActShape]
    proofs: ProofPieces


def read_repairs(reader: Reader, faults: dict[str, Any], known: dict[str, Any]) -> RepairTables:
    """Read all repairs. `known`: what their names may refer to, by kind. Raises BadKnowledge with file and
    key."""
    acts = reader.read(ACTS, dict[str, ActShape])
    pieces = {
        key: StepShape(id=key, **piece.model_dump())
        for key, piece in reader.read(PIECES, dict[str, PieceStep]).items()
    }
    proofs = reader.read(PROOFS, ProofPieces)
    kinds = dict(reader.read(KINDS, dict[str, Any]))
    compares = {key: CompareShape(id=key, **row) for key, row in kinds.pop("compare").items()}
    for key, shape in kinds.items():
        try:
            kinds[key] = KindShape.model_validate(shape)
        except ValueError as error:
            raise BadKnowledge(f"{KINDS}, {key}: {error}") from None
    shapes: dict[str, tuple[str, RepairShape]] = {}
    for name in reader.many("repairs"):
        for key, shape in reader.read(name, dict[str, RepairShape]).items():
            if key in shapes:
                raise BadKnowledge(reader.says(name, [key], "the repair stands in two files"))
            shapes[key] = (name, shape)
    builder = _Builder(reader, acts, pieces, proofs, kinds, compares, shapes, known)
    repairs = {key: builder.repair(key) for key in shapes}
    repair_of = _cured_by(reader, shapes, faults)
    options = {}
    for repair in repairs.values():
        for option in repair.options.values():
            if option.id in options:
                raise BadKnowledge(
                    reader.says(shapes[repair.id][0], [repair.id, option.id], "the option stands twice")
                )
            options[option.id] = option
    for option in options.values():
        path = [option.repair, "options", option.id, "usually_with"]
        reader.all_known(shapes[option.repair][0], path, option.shape.usually_with, options)
    return RepairTables(repairs, options, repair_of, acts, proofs)


def _cured_by(
    reader: Reader, shapes: dict[str, tuple[str, RepairShape]], faults: dict[str, Any]
) -> dict[str, str]:
    repair_of: dict[str, str] = {}
    for key, (name, shape) in shapes.items():
        for fault in shape.cures:
            reader.known(name, [key, "cures"], fault, faults)
            if fault in repair_of:
                raise BadKnowledge(
                    reader.says(name, [key, fault], f"the fault is cured by {repair_of[fault]} already")
                )
            repair_of[fault] = key
    for fault in faults:
        if fault not in repair_of:
            raise BadKnowledge(f"repairs/: no repair cures {fault!r}; name it in `cures` of one")
    return {fault: repair_of[fault] for fault in faults}


@dataclass(frozen=True)
class _Builder:
    r: Reader
    acts: dict[str, ActShape]
    pieces: dict[str, StepShape]
    proofs: ProofPieces
    kinds: dict[str, KindShape]
    compares: dict[str, CompareShape]
    shapes: dict[str, tuple[str, RepairShape]]
    known: dict[str, Any]

    def repair(self, key: str) -> Repair:
        name, shape = self.shapes[key]
        self.r.known(name, [key, "kind"], shape.kind, self.kinds)
        kind = self.kinds[shape.kind]
        for one in shape.access:
            self.r.known(name, [key, "access"], one, self.known["access"])
        for one in (*shape.remeasure, *(shape.at_part.tests if shape.at_part else ())):
            self.r.known(name, [key, "tests"], one, self.known["tests"])
        written: list[str | StepShape] = list(kind.steps if shape.steps is None else shape.steps)
        steps = self._steps(name, key, written, shape.part)
        compare = tuple(
            self._compare(name, key, row)
            for row in (shape.compare if shape.compare is not None else kind.compare)
        )
        checks = tuple(shape.checks if shape.checks is not None else kind.checks)
        resets = tuple(shape.resets if shape.resets is not None else kind.resets)
        for what, given, allowed in (
            ("checks", checks, self.proofs.checks),
            ("resets", resets, self.proofs.resets),
        ):
            for one in given:
                self.r.known(name, [key, what], one, allowed)
        options = {o.id: o for o in self._options(name, key, shape, kind)}
        for what, known in (("options", options), ("a work plan", steps)):
            if not known:
                raise BadKnowledge(
                    self.r.says(name, [key], f"the repair has no {what.removeprefix('a ')}: give it {what}")
                )
        return Repair(
            key,
            Path(name).stem,
            shape,
            options=options,
            compare=compare,
            steps=steps,
            checks=checks,
            resets=resets,
            own_steps=shape.steps is not None,
        )

    def _steps(self, name: str, key: str, given: list[str | StepShape], part: str) -> tuple[StepShape, ...]:
        steps = []
        own = set()
        for step in given:
            if isinstance(step, StepShape):
                own.add(step.id)
            else:
                self.r.known(name, [key, "steps"], step, self.pieces)
                step = self.pieces[step]
            step = step.model_copy(update={"does": step.does.replace("{part}", part)})
            for one in step.cautions:
                self.r.known(name, [key, step.id], one, self.known["cautions"])
            if step.torque:
                self.r.known(name, [key, step.id, "torque"], step.torque, self.known["figures"])
            steps.append(step)
        ids = [x.id for x in steps]
        if len(set(ids)) < len(ids):
            raise BadKnowledge(
                self.r.says(
                    name, [key], f"the step {next(i for i in ids if ids.count(i) > 1)!r} stands twice"
                )
            )
        shared = {piece.id for piece in self.pieces.values()}
        for step in steps:
            allowed = set(ids) if step.id in own else {*ids, *shared}
            self.r.all_known(name, [key, step.id, "refits"], step.refits, allowed)
        # A shared step puts back what its other plans take off: here it refits what this plan holds of it.
        return tuple(x.model_copy(update={"refits": [t for t in x.refits if t in ids]}) for x in steps)

    def _compare(self, name: str, key: str, row: str | CompareShape) -> CompareShape:
        if isinstance(row, CompareShape):
            return row
        self.r.known(name, [key, "compare"], row, self.compares)
        return self.compares[row]

    def _options(self, name: str, key: str, shape: RepairShape, kind: KindShape) -> list[Option]:
        own = {o: x for o, x in shape.options.items()}
        for one in shape.kind_options:
            self.r.known(name, [key, "kind_options"], one, kind.options)
        taken = {o: x for o, x in kind.options.items() if not own or o in shape.kind_options}
        words = {"{part}": shape.parts_word or shape.part}
        words["{Part}"] = sentence(words["{part}"])
        options = []
        for option, value in (own | taken).items():
            title = value.title
            for word, says in words.items():
                title = title.replace(word, says)
            options.append(self._option(name, key, shape, option, value.model_copy(update={"title": title})))
        return options

    def _option(
        self, name: str, key: str, shape: RepairShape, option: str, option_shape: OptionShape
    ) -> Option:
        repairs = tuple(dict.fromkeys([key, *option_shape.also, *shape.also.get(option_shape.act, [])]))
        for one in repairs:
            self.r.known(name, [key, option, "also"], one, self.shapes)
        if option_shape.plan:
            self.r.known(name, [key, option, "plan"], option_shape.plan, self.shapes)
        for figure in filter(
            None, (option_shape.minutes_figure, option_shape.access_figure, option_shape.break_figure)
        ):
            self.r.known(name, [key, option], figure, self.known["figures"])
        cures = tuple(
            cure
            for one in repairs
            for cure in self.shapes[one][1].cures
            if cure not in _left(self.shapes[one][1], option_shape.act)
        )
        cures = tuple(f for f in cures if f not in option_shape.leaves)
        most = min(
            self.acts[TEMPORARY if option_shape.temporary else option_shape.act].takes,
            self.acts[option_shape.act].takes,
        )
        takes = min(most, option_shape.takes or shape.takes.get(option_shape.act, most))
        if option_shape.takes and option_shape.takes > most:
            raise BadKnowledge(
                self.r.says(
                    name,
                    [key, option, "takes"],
                    f"{option_shape.takes:g} is more than {most:g}, which this act takes at most",
                )
            )
        return Option(option_shape.id or f"{key}_{option}", key, option_shape, repairs, cures, takes)


def _left(shape: RepairShape, act: str) -> list[str]:
    return next((faults for name, faults in shape.leaves.items() if name == act), [])


class Tables(Protocol):
    """Whatever holds the repairs, their options and the acts."""

    @property
    def repairs(self) -> Mapping[str, Repair]: ...

    @property
    def options(self) -> Mapping[str, Option]: ...

    @property
    def acts(self) -> Mapping[str, ActShape]: ...


def act_of(
    tables: Tables, repair: str, act: str, option: str | None, temporary: bool
) -> tuple[tuple[str, ...], float]:
    """Return which faults an act on the tape takes away, and with what chance: by its option when that is
    known, else by what such an act does to this repair. Nothing for an unknown repair."""
    known = tables.options.get(option or "")
    if known and known.repair == repair and known.shape.act == act:
        cures = known.cures
        takes = known.takes
    elif repair in tables.repairs:
        shape = tables.repairs[repair].shape
        repairs = (repair, *shape.also.get(act, []))  # type: ignore[call-overload]
        cures = tuple(
            cure
            for one in repairs
            for cure in tables.repairs[one].cures
            if cure not in _left(tables.repairs[one].shape, act)
        )
        most = tables.acts[act].takes if act in tables.acts else 0.0
        takes = min(most, shape.takes.get(act, most))  # type: ignore[call-overload]
    else:
        return (), 0.0
    return cures, min(takes, tables.acts[TEMPORARY].takes) if temporary else takes
