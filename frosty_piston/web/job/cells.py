"""Entry cells of a bench: what stands in each, what it is worth, and how a typed value becomes an entry."""

import re
from collections.abc import Container
from dataclasses import dataclass, field, replace
from typing import Annotated, Any
from urllib.parse import parse_qs, urlencode
from uuid import uuid4

from pydantic import ValidationError

from frosty_piston.core.errors import BadInput, Fault
from frosty_piston.core.quantity import exact
from frosty_piston.core.words import inside, sign, spoken
from frosty_piston.job.entries import Conditions, Entry, Outcome, Reading, Where
from frosty_piston.job.entries.kind import out_of_reach
from frosty_piston.job.entries.measuring import NEVER, NOT_POSSIBLE
from frosty_piston.job.judging.result import Result, where_of
from frosty_piston.job.repair.fit import barred
from frosty_piston.job.units import typed
from frosty_piston.job.weighing.stopping import stop_bar
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Fields, Form, figure, line

# The conditions that a cell or its reader sends along: figures with unit and bounds, and what holds or not.
CONDITION_FIGURES = {
    "after_s": ("", 0, 600),
    "part_c": ("degC", -60, 150),
    "soaked_h": ("", 0, 1000),
    "battery_v": ("", 0, 60),
    "oil_c": ("degC", -60, 200),
}
CONDITION_FLAGS = ("loaded", "wires_off", "part_hot", "key_off", "engine_running", "present", "energised")
FLAG_WORDS = {"yes": True, "no": False}
PLACE_NAMES = ("point", "channel", "bank", "node", "pin")
CYLINDER = re.compile(r"[0-9]{1,3}")
FIGURE = re.compile(r"-?[0-9]{1,9}([.][0-9]{1,6})?")
IN_SET = "read, judged with the others"
NOT_READ = "not tested"


@dataclass(frozen=True)
class Cell:
    """One entry cell: the test and place it records, its unit, and the conditions its bench sends along."""

    test: str
    label: str
    unit: str
    where: dict[str, Any]
    hint: str = ""
    conditions: dict[str, Any] = field(default_factory=dict)

    @property
    def fields(self) -> list[tuple[str, str]]:
        """The hidden fields that its form sends along: its place and its conditions, as `cell_of` and
        `conditions_of` read them."""
        words = {held: word for word, held in FLAG_WORDS.items()}
        placed = [(name, str(value)) for name, value in self.where.items()]
        return placed + [
            (name, words[value] if isinstance(value, bool) else exact(value))
            for name, value in self.conditions.items()
        ]

    @property
    def place(self) -> str:
        """Its label as it stands in a list, where no heading says that the part was hot."""
        return f"{inside(self.label)}{', hot' if self.conditions.get('part_hot') else ''}"

    @property
    def id(self) -> str:
        return "-".join(
            [
                self.test,
                *(f"{v}" for v in self.where.values()),
                *(f"{k}{v:g}" for k, v in self.conditions.items() if k in ("after_s", "part_hot")),
            ]
        ).replace(" ", "_")


@dataclass(frozen=True)
class Filled:
    """A cell with what was read last, and its own verdict; `says`: what stands in its place when the value is
    judged with others."""

    cell: Cell
    text: str
    verdict: Result | None
    entry: Entry | None
    earlier: int
    says: str = NOT_READ


def _same_conditions(entry: Entry, cell: Cell) -> bool:
    """Whether a reading belongs in a cell: inrush and steady, hot and cold stand apart."""
    wanted = cell.conditions.get("after_s")
    had = entry.data.conditions
    return (wanted is None or had is not None and had.after_s == wanted) and bool(
        cell.conditions.get("part_hot")
    ) == bool(had and had.part_hot)


def fill(record: JobRecord, cells: list[Cell]) -> list[Filled]:
    """Put the latest readings and their verdicts into the cells. After a repair they are empty again, with
    what was read before beside them."""
    filled = []
    judged = record.assessed.judged[-1]
    verdicts = {i: v for v in judged for i in (v.entries if len(v.entries) == 1 else ())}
    in_sets = {i for v in judged for i in (v.entries if len(v.entries) > 1 else ())}
    tests = {c.test for c in cells}
    now = len(record.job.times) - 1
    readings = [(x, where_of(x.data.where)) for x in record.job.of(Reading) if x.data.test in tests]
    for cell in cells:
        every = [
            entry
            for entry, where in readings
            if entry.data.test == cell.test and where == cell.where and _same_conditions(entry, cell)
        ]
        mine = [x for x in every if record.job.time_of[x.id] == now]
        last = mine[-1] if mine else None
        if every and last is None:
            cell = replace(cell, hint=f"before: {_as_typed(every[-1], cell)}")
        filled.append(
            Filled(
                cell,
                _as_typed(last, cell) if last else "",
                verdicts.get(last.id) if last else None,
                entry=last,
                earlier=len(mine),
                says=_says(last, in_sets),
            )
        )
    return filled


def _says(last: Entry | None, in_sets: Container[str]) -> str:
    """What stands in a cell without a verdict of its own."""
    if last is None:
        return NOT_READ
    return IN_SET if last.id in in_sets else "read"


def _as_typed(entry: Entry, cell: Cell) -> str:
    if isinstance(entry.data.value, str):
        return "OL" if entry.data.value == "OL" else spoken(entry.data.value)
    return exact(entry.data.value) + ("" if entry.data.unit == cell.unit else f" {sign(entry.data.unit)}")


def cell_of(form: Form) -> Cell:
    """The cell a form speaks of, from its hidden fields."""
    where: dict[str, Any] = {name: form.raw(name) for name in PLACE_NAMES if form.raw(name)}
    if cylinder := form.raw("cylinder"):
        where["cylinder"] = int(cylinder) if CYLINDER.fullmatch(cylinder) else cylinder[:20]
    quiet = Form(form.values)  # what is wrong with a condition is said where it is written
    return Cell(form.raw("test"), "", form.raw("unit"), where, conditions=conditions_of(quiet) or {})


def read_value(form: Form, cell: Cell, knowledge: Knowledge) -> tuple[float | str, str]:
    """Read what was typed into a cell. Raises BadInput at `value` with what is allowed."""
    shape = knowledge.tests.get(cell.test)
    if shape is None or not shape.units:
        raise BadInput([Fault("value", "this test records no figure")], form.kept)
    unit = cell.unit if cell.unit in shape.units else shape.units[0]
    try:
        if form.raw("value").lower() == NEVER and shape.never is not None:
            return NEVER, unit
        value, got = typed(form.raw("value"), unit, shape.overload)
    except ValueError as error:
        raise BadInput([Fault("value", str(error))], form.kept) from None
    if not isinstance(value, str) and (wrong := out_of_reach(knowledge, "value", float(value), got)):
        raise BadInput([Fault(*wrong[0])], form.kept)
    return value, got


def conditions_of(form: Form) -> dict[str, Any] | None:
    """The conditions that come with a cell: its own, and what its bench or its reader says beside it. What is
    wrong with one is a fault of the form."""
    held: dict[str, Any] = {}
    for name in CONDITION_FLAGS:
        word = form.raw(name)
        if word in FLAG_WORDS:
            held[name] = FLAG_WORDS[word]
        elif word:
            form.wrong("value", f"{word[:20]!r} is no word for {spoken(name)}: yes or no")
    for name, (unit, low, high) in CONDITION_FIGURES.items():
        value = form.figure(name, unit, low, high)
        if value is not None:
            held[name] = value
    return held or None


def with_presence(form: Form, raws: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """What a form measured, with whether the complaint was there at that moment, where that was said."""
    if form.raw("present") not in FLAG_WORDS:
        return raws
    present = {"present": FLAG_WORDS[form.raw("present")]}
    said = []
    for raw in raws:
        if raw["kind"] in ("reading", "outcome"):
            held = {**(raw["data"].get("conditions") or {}), **present}
            raw = {**raw, "data": {**raw["data"], "conditions": held}}
        said.append(raw)
    return said


def unread_places(knowledge: Knowledge, filled: list[Filled]) -> list[tuple[str, str]]:
    """The places at which a figure may not have come: what a form says of one, and its words."""
    return [
        (
            urlencode([("test", x.cell.test), ("unit", x.cell.unit), *x.cell.fields]),
            f"{knowledge.tests[x.cell.test].short_title}: {x.cell.place}",
        )
        for x in filled
    ]


def read_places(knowledge: Knowledge, filled: list[Filled]) -> list[tuple[str, str]]:
    """The figures that were read, by their entries, with their words: a note can be put to each."""
    return [
        (
            x.entry.id,
            f"{knowledge.tests[x.cell.test].short_title}: {x.cell.place}, {x.entry.data.came_to}",
        )
        for x in filled
        if x.entry is not None
    ]


class CellNoteForm(Fields):
    note: Annotated[str | None, line(400, "write what was seen")]


def cell_note(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A note to a figure that was read: its entry is written anew with it."""
    fields = form.read(CellNoteForm, record, workshop)
    had = next((x for x in record.job.of(Reading) if x.id == form.raw("of")), None)
    if had is None:
        form.wrong("of", "choose one of the figures read on this bench")
    form.done()
    assert had is not None
    data = {**had.data.model_dump(exclude_none=True), "note": fields.note}
    why = {"corrects": had.id, "reason": "written anew with a note"}
    return [form.entry("correction", why, "old"), form.entry("reading", data)]


def reaches_speed(knowledge: Knowledge, filled: list[Filled]) -> bool:
    """Whether one of the places asks how far the engine got."""
    return any("reached_rpm" in knowledge.tests[x.cell.test].asked_with for x in filled)


class UnreadForm(Fields):
    because: Annotated[str | None, line(400)]
    reached_rpm: Annotated[float | None, figure("rpm", 0, 20_000)]


def unread(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A place at which no figure came: the mark was never reached, or it could not be measured, and why."""
    knowledge = workshop.knowledge
    came = form.choice("came", (NOT_POSSIBLE, NEVER))
    fields = form.read(UnreadForm, record, workshop)
    cell = cell_of(Form(parse_qs(form.raw("cell"))))
    shape = knowledge.tests.get(cell.test)
    if shape is None or not shape.units:
        form.wrong("cell", "choose which figure did not come")
    elif bar := bar_to(
        record, knowledge, cell.test, str(cell.where.get("node", "")), str(cell.where.get("pin", ""))
    ):
        form.wrong("cell", bar)
    elif came == NEVER and shape.never is None:
        form.wrong("came", "this one always comes to a figure, or could not be measured")
    if came == NOT_POSSIBLE and not fields.because:
        form.wrong("because", "say why it could not be measured, as: terminal snapped off")
    form.done()
    held = {
        **cell.conditions,
        **({"because": fields.because} if fields.because else {}),
        **({"reached_rpm": fields.reached_rpm} if fields.reached_rpm is not None else {}),
    }
    data = {
        "test": cell.test,
        "where": cell.where,
        "value": came,
        "unit": cell.unit,
        "conditions": held or None,
    }
    return [form.entry("reading", data)]


def bar_to(record: JobRecord, knowledge: Knowledge, test: str, node: str = "", pin: str = "") -> str:
    """Why a test cannot be written down yet, in words: a piece is missing, nothing is known that stops the
    engine, or a caution was not ticked. Empty when it can."""
    if bar := barred(record.job, knowledge, test) or stop_bar(record.job, knowledge, [test]):
        return bar
    unticked = record.job.unticked(knowledge.ticks_at(test, node, pin))
    return (
        f"Tick the caution above first: {inside(knowledge.cautions[unticked[0]].title)}" if unticked else ""
    )


def cell_entries(form: Form, record: JobRecord, knowledge: Knowledge) -> list[dict[str, Any]]:
    """Turn a cell into entries: a reading; a correction when it was emptied; nothing when it is as before."""
    cell = cell_of(form)
    filled = fill(record, [cell])[0]
    if not form.raw("value"):
        if filled.entry is None:
            raise BadInput([Fault("value", f"type a figure in {sign(cell.unit)}")], form.kept)
        return [form.entry("correction", {"corrects": filled.entry.id, "reason": "emptied in the cell"})]
    node = str(cell.where.get("node", ""))
    pin = str(cell.where.get("pin", ""))
    if cell.test in knowledge.tests and (bar := bar_to(record, knowledge, cell.test, node, pin)):
        raise BadInput([Fault("value", bar)], form.kept)
    value, unit = read_value(form, cell, knowledge)
    conditions = conditions_of(form)
    form.done()
    if (
        filled.entry is not None
        and (filled.entry.data.value, filled.entry.data.unit) == (value, unit)
        and not form.raw("again")
    ):
        kept = (
            filled.entry.data.conditions.model_dump(exclude_none=True)
            if filled.entry.data.conditions
            else None
        )
        if kept == conditions:
            return []
    return [
        form.entry(
            "reading",
            {"test": cell.test, "where": cell.where, "value": value, "unit": unit, "conditions": conditions},
        )
    ]


def judge_figures(form: Form, record: JobRecord, knowledge: Knowledge) -> list[Result]:
    """Judge the figures of one act as if they stood on the tape already; nothing is written. What is no
    figure is left out."""
    test = form.raw("test")
    names = [
        n
        for n in (knowledge.tests[test].figures if test in knowledge.tests else ())
        if FIGURE.fullmatch(form.raw(n))
    ]
    given = {name: float(form.raw(name)) for name in names}
    if not given:
        return []
    where = {key: form.raw(key) for key in ("node", "pin") if form.raw(key)}
    if CYLINDER.fullmatch(form.raw("cylinder")):
        where["cylinder"] = int(form.raw("cylinder"))  # type: ignore[assignment]
    try:
        seen = Outcome(test=test, where=Where(**where), figures=given)  # type: ignore[arg-type]
    except ValidationError:
        return []
    draft = Entry(str(uuid4()), "outcome", None, None, seen)
    return [v for v in record.assessed.verdicts_with(draft) if v.entries == (draft.id,)]


def judge_typed(form: Form, record: JobRecord, knowledge: Knowledge) -> tuple[Result | None, list[Result]]:
    """Judge what is being typed as if it stood on the tape already; nothing is written. The verdict on it
    alone, and those of its test that rest on several values."""
    cell = cell_of(form)
    value, unit = read_value(form, cell, knowledge)
    conditions = conditions_of(form)
    form.done()
    try:
        reading = Reading(
            test=cell.test,
            where=Where(**cell.where),
            value=value,  # type: ignore[arg-type]
            unit=unit,
            conditions=Conditions(**conditions) if conditions else None,
        )
    except ValidationError:
        raise BadInput([Fault("value", "there is no such cell: take one of the page")], form.kept) from None
    draft = Entry(str(uuid4()), "reading", None, None, reading)
    judged = record.assessed.verdicts_with(draft)
    alone = next((v for v in judged if v.entries == (draft.id,)), None)
    return alone, [v for v in judged if len(v.entries) > 1]
