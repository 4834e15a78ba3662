"""What a judge may ask: the latest readings of a test, the engine card, the instruments, the figures."""

from collections.abc import Callable, Iterable, Mapping
from typing import TypeVar

from frosty_piston.core.cached import cached_property
from frosty_piston.core.glow import GENERAL_KIND, GlowLimits
from frosty_piston.core.quantity import Judgement, plain
from frosty_piston.core.words import sign
from frosty_piston.job.entries import Entry
from frosty_piston.job.entries.measuring import NEVER, NOT_POSSIBLE
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.units import convert, same_kind
from frosty_piston.knowledge import Knowledge

from .instruments import Instruments
from .result import Result, where_of

GENERAL_SYSTEM_V = 12
L = TypeVar("L")


class Readings:
    """The readings and outcomes among some entries of a job, as judges ask for them. `verdicts`: what another
    test of the same entries came to."""

    def __init__(
        self,
        job: Job,
        knowledge: Knowledge,
        entries: Iterable[Entry],
        verdicts: Callable[[str], list[Result]],
    ):
        self.job = job
        self.knowledge = knowledge
        self.entries = tuple(entries)
        self.verdicts = verdicts

    @cached_property
    def instruments(self) -> Instruments:
        return Instruments(self.job)

    def with_these(self, others: Mapping[str, Entry]) -> "Readings":
        """The same readings with some entries in the place of those of their ids."""
        entries = (others.get(x.id, x) for x in self.entries)
        readings = Readings(self.job, self.knowledge, entries, self.verdicts)
        readings.__dict__["instruments"] = self.instruments
        return readings

    @property
    def glow_kind(self) -> str:
        glow = self.job.engine.glow
        return glow if glow and glow in self.limits(GlowLimits).kinds else GENERAL_KIND

    @property
    def system_v(self) -> int:
        return self.job.engine.system_voltage or GENERAL_SYSTEM_V

    @property
    def battery_v(self) -> int:
        """The voltage of one battery: two in a row make the system's."""
        return 12 if self.job.engine.batteries == 2 else self.system_v

    @property
    def tests(self) -> tuple[str, ...]:
        """The tests that anything was recorded of, in the order of the entries."""
        return tuple(self._by_test)

    def all_of(self, test: str) -> list[Entry]:
        """Every reading and outcome of a test that stands, not only the latest of each place."""
        return self._by_test.get(test, [])

    @cached_property
    def _by_test(self) -> dict[str, list[Entry]]:
        by_test: dict[str, list[Entry]] = {}
        for x in self.entries:
            if x.kind in ("reading", "outcome"):
                by_test.setdefault(x.data.test, []).append(x)
        return by_test

    @cached_property
    def notes(self) -> dict[str, str]:
        """What was written beside readings and outcomes, by their entries."""
        return {x.id: x.data.note for x in self.entries if x.kind in ("reading", "outcome") and x.data.note}

    @cached_property
    def units(self) -> dict[str, str]:
        """The unit in which each reading was typed, by its entry."""
        return {x.id: x.data.unit for x in self.entries if x.kind == "reading"}

    @cached_property
    def powered(self) -> dict[str, bool]:
        """Whether the solenoid before a place had power, by the entries that say so."""
        said = ((x.id, x.data.conditions) for x in self.entries if x.kind in ("reading", "outcome"))
        return {i: held.energised for i, held in said if held and held.energised is not None}

    def latest(self, test: str) -> list[Entry]:
        """The last entry of each place of a test, in the order of the tape. One look may find several
        things at a place: each counts, and a place at which something was found was not found sound."""
        by_place: dict[tuple[object, ...], Entry] = {}
        look = self.knowledge.tests[test].look
        for x in self.all_of(test):
            place = (self._place(x), x.data.outcome if look and x.kind == "outcome" else None)
            by_place.pop(place, None)
            by_place[place] = x
        if not look:
            return list(by_place.values())
        bad = {place for (place, _), x in by_place.items() if not self._found_sound(x)}
        return [x for (place, _), x in by_place.items() if place not in bad or not self._found_sound(x)]

    def _found_sound(self, entry: Entry) -> bool:
        return (
            entry.kind == "outcome"
            and self.knowledge.tests[entry.data.test].outcomes.get(entry.data.outcome) == "sound"
        )

    def limits(self, area: type[L]) -> L:
        """The limits of an area for this engine: its card's, or the general ones."""
        return self.knowledge.limits(area, self.job.engine.limits)

    def value(self, entry: Entry, unit: str) -> float | None:
        value = entry.data.value
        return None if isinstance(value, str) else convert(value, entry.data.unit, unit)

    def figure(self, entry: Entry, unit: str) -> float:
        """The figure of a reading that no meter can overload on."""
        value = self.value(entry, unit)
        assert value is not None, entry.data.test
        return value

    def ambient_c(self) -> float | None:
        entry = self.job.condition("ambient")
        return convert(entry.data.value, entry.data.unit, "degC") if entry else None

    def impossible(self, entry: Entry) -> Result | None:
        """The verdict on a figure that no vehicle can give at this test; None when it can be."""
        shape = self.knowledge.tests[entry.data.test]
        if entry.kind != "reading" or isinstance(entry.data.value, str) or not shape.range:
            return None
        unit = shape.units[0]
        (low, high) = shape.range
        if not same_kind(unit, entry.data.unit):
            return None
        figure = convert(entry.data.value, entry.data.unit, unit)
        if low <= figure <= high:
            return None
        span = f"{plain(low)} to {plain(high)} {sign(unit)} is what this test can give"
        because = f"{plain(figure)} {sign(unit)} cannot be here: {span}. Check range and probes, read again."
        judged = Judgement("implausible", "implausible", figure, unit=unit, uncertainty=None, because=because)
        return Result(entry.data.test, where_of(entry.data.where), judged, (entry.id,))

    def said(self, entry: Entry) -> Result | None:
        """The verdict on a reading that came to no figure: never reached, or not to be measured; None where a
        figure or an overload was read. What could not be measured speaks for nothing."""
        if entry.kind != "reading" or entry.data.value not in (NEVER, NOT_POSSIBLE):
            return None
        where = where_of(entry.data.where)
        unit = entry.data.unit
        held = entry.data.conditions
        never = self.knowledge.tests[entry.data.test].never
        if entry.data.value == NEVER and never is not None:
            reached = held.reached_rpm if held else None
            got = f" It got to {plain(reached)} per minute." if reached is not None else ""
            judged = Judgement(
                never.verdict, never.cls, None, unit=unit, uncertainty=None, because=never.because + got
            )
        else:
            why = (held.because if held else None) or "nobody said why"
            judged = Judgement(
                "unclear",
                NOT_POSSIBLE,
                None,
                unit=unit,
                uncertainty=None,
                because=f"Could not be measured: {why}.",
            )
        return Result(entry.data.test, where, judged, (entry.id,))

    def unworkable(self, entry: Entry) -> Result:
        """The verdict on figures that nothing can be worked out from."""
        because = "Nothing can be worked out from these figures together: look at each, and read again."
        judged = Judgement("implausible", "implausible", None, unit=None, uncertainty=None, because=because)
        return Result(entry.data.test, where_of(entry.data.where), judged, (entry.id,))

    def as_recorded(self, entry: Entry) -> Result:
        """The verdict that an outcome means by itself; a figure without a known limit is only kept."""
        shape = self.knowledge.tests[entry.data.test]
        data = entry.data
        where = where_of(data.where)
        if entry.kind == "outcome" and data.outcome:
            because = f"{shape.title}: {data.outcome.replace('_', ' ')}."
            meant = Judgement(
                shape.outcomes[data.outcome], data.outcome, None, unit=None, uncertainty=None, because=because
            )
            return Result(data.test, where, meant, (entry.id,), beside=shape.look)
        value, unit = (data.value, data.unit) if entry.kind == "reading" else (None, None)
        because = "Recorded as it is. No limit for it is known here: hold it against your service data."
        number = None if isinstance(value, str) else value
        return Result(
            data.test,
            where,
            Judgement("unclear", "recorded", number, unit=unit, uncertainty=None, because=because),
            (entry.id,),
        )

    def _place(self, entry: Entry) -> tuple[object, ...]:
        """What makes two entries of a test one place; inrush and steady current are two."""
        where = entry.data.where
        conditions = entry.data.conditions
        settled_s = self.limits(GlowLimits).settled_s
        inrush = conditions is not None and conditions.after_s is not None and conditions.after_s < settled_s
        kind = inrush if entry.data.test == "glow_current" else entry.kind
        dosing = entry.kind == "outcome" and (entry.data.figures or {}).get("dosing")
        hot = bool(conditions and conditions.part_hot)
        powered, present = (conditions.energised, conditions.present) if conditions else (None, None)
        each = entry.id if self.knowledge.tests[entry.data.test].repeats > 1 else None
        return (
            where.point,
            where.cylinder,
            where.bank,
            where.node,
            where.pin,
            where.channel,
            kind,
            hot,
            dosing,
            powered,
            present,
            each,
        )
