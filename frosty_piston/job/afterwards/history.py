"""The history of one vehicle: its visits, what was found and repaired, how long a repair held, what was
warned of, and readings over the time."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from frosty_piston.core.filter_flow import fitted
from frosty_piston.core.quantity import percent, plain
from frosty_piston.core.words import inside, listed
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Complaint, History, Outcome, Reading, Warning_
from frosty_piston.job.judging.result import place
from frosty_piston.job.repair.prove import Proof
from frosty_piston.job.units import convert

MOST_FOUND = 6


@dataclass(frozen=True)
class Mended:
    """A repair: its id and title, when, at which distance, how proven it left."""

    repair: str
    title: str
    proven: str


@dataclass(frozen=True)
class Visit:
    """One visit of the vehicle, as it is told years later."""

    job: str
    title: str
    at: datetime
    km: float | None
    complaint: str
    found: tuple[str, ...]
    mended: tuple[Mended, ...]
    warned: tuple[str, ...]
    complaints: frozenset[str]
    lately: tuple[str, ...] = ()


@dataclass(frozen=True)
class Held:
    """How long a repair held: until the same was repaired or complained of again, or to this day."""

    mended: Mended
    visit: Visit
    until: Visit | None
    days: int
    km: float | None

    @property
    def says(self) -> str:
        span = f"{self.days} {'day' if self.days == 1 else 'days'}"
        span += f", {plain(round(self.km))} km" if self.km is not None else ""
        if self.until is None:
            return f"holds, {span} until now"
        again = self.mended.repair in {m.repair for m in self.until.mended}
        return f"{span}, then {'repaired again' if again else 'the same complaint again'}"


@dataclass(frozen=True)
class Line:
    """A reading over the visits: what it is, its unit, and when it was what."""

    title: str
    unit: str
    points: tuple[tuple[datetime, float], ...]


def visit_of(assessed: Assessed, proof: Proof, at: datetime) -> Visit:
    """One visit, folded from its tape."""
    job = assessed.job
    knowledge = assessed.knowledge
    complaint = job.last(Complaint)
    symptoms = listed([inside(knowledge.symptoms[s].title) for s in job.complaints])
    bad = [v for v in assessed.diagnosis if v.judgement.verdict == "failed"]
    found = [f"{knowledge.tests[v.test].short_title}{', ' + place(v) if place(v) else ''}" for v in bad]
    sure = f", sure to {percent(proof.sure)}" if proof.sure is not None else ""
    repairs = dict.fromkeys(x.data.repair for x in job.repairs if x.data.repair in knowledge.repairs)
    warnings = [
        f"{x.data.text.rstrip('. ')}. Owner: {x.data.owner.replace('_', ' ')}" for x in job.of(Warning_)
    ]
    return Visit(
        job.id,
        job.title,
        at,
        km=assessed.job.odometer_km,
        complaint=complaint.data.text if complaint else symptoms,
        found=tuple(dict.fromkeys(found))[:MOST_FOUND],
        mended=tuple(Mended(r, knowledge.repairs[r].title, f"{proof.word.lower()}{sure}") for r in repairs),
        warned=tuple(warnings),
        complaints=frozenset(job.complaints),
        lately=tuple(x.data.says(knowledge, {}).partition(": ")[2] for x in job.of(History)),
    )


def held(visits: Sequence[Visit], now: datetime) -> list[Held]:
    """How long each repair held; `visits` in their order."""
    rows = []
    for n, visit in enumerate(visits):
        for mended in visit.mended:
            again = next((v for v in visits[n + 1 :] if _same(visit, mended, v)), None)
            end = again or visits[-1]
            days = ((again.at if again else now) - visit.at).days
            rows.append(Held(mended, visit, again, days, _driven(visit, end)))
    return rows


def _same(visit: Visit, mended: Mended, later: Visit) -> bool:
    """Whether a later visit says that a repair did not hold."""
    return mended.repair in {x.repair for x in later.mended} or bool(visit.complaints & later.complaints)


def _driven(first: Visit, last: Visit) -> float | None:
    """The distance between two visits, where both were read."""
    if first is last or first.km is None or last.km is None or last.km <= first.km:
        return None
    return last.km - first.km


def lines_of(visits: Sequence[tuple[datetime, Assessed]]) -> list[Line]:
    """Readings that were made at more than one visit, as lines over the time."""
    found: dict[tuple[str, str], list[tuple[datetime, float]]] = {}
    for at, assessed in visits:
        for key, value in _read(assessed).items():
            found.setdefault(key, []).append((at, value))
    return [Line(title, unit, tuple(points)) for (title, unit), points in found.items() if len(points) > 1]


def _read(assessed: Assessed) -> dict[tuple[str, str], float]:
    """The last figures of a visit that are worth following."""
    read: dict[tuple[str, str], float] = {}
    for reading in assessed.job.of(Reading):
        if not reading.data.is_figure:
            continue
        if reading.data.test == "battery_rest":
            read[("Battery at rest", "V")] = convert(float(reading.data.value), reading.data.unit, "V")
        elif reading.data.test == "injector_leakoff":
            key = ("Return flow, the most of all cylinders", "ml")
            read[key] = max(read.get(key, 0.0), convert(float(reading.data.value), reading.data.unit, "ml"))
        elif reading.data.test == "dpf_state" and reading.data.where.channel == "ash_mass":
            read[("Ash in the filter", "g")] = convert(float(reading.data.value), reading.data.unit, "g")
    points = [
        (float(f["q_m3h"]), float(f["dp_kpa"]))
        for outcome in assessed.job.of(Outcome)
        if outcome.data.test == "dpf_pressure" and {"q_m3h", "dp_kpa"} <= set(f := outcome.data.figures or {})
    ]
    if (fit := fitted(points)) is not None:
        read[("Filter, drop at 100 m³/h", "kPa")] = fit.drop_kpa
    return read
