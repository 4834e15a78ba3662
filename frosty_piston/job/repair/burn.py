"""A burn of the particulate filter, watched: what bars it, what stops it, what it brought."""

from dataclasses import dataclass

from frosty_piston.core.aftertreatment import FilterLimits
from frosty_piston.core.codes import decode
from frosty_piston.core.filter_flow import diluted_l
from frosty_piston.core.quantity import plain
from frosty_piston.core.words import inside
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Code, CodeClear, Entry, Reading, SootCause, Wait
from frosty_piston.job.units import convert

from .waits import open_waits

LEAST_FUEL_PERCENT = 20.0
WATCHED_LOW_C = 550.0
WATCHED_HIGH_C = 650.0
STOPS_C = 700.0
OIL_MOST_L = 1.0
BARRED_BY = ("scr", "egr")
SEEN = (
    "Outdoors, or extraction with a hose rated for it",
    "Clear ground: no dry grass, nothing that burns, nothing behind the tail",
    "Extinguisher at hand",
    "Nobody behind it or under it, and somebody stays with it",
    "Oil level is not over the mark",
)


@dataclass(frozen=True)
class Bar:
    """A condition of a burn: what, whether it bars, and why or what is not known."""

    what: str
    state: str
    says: str


@dataclass(frozen=True)
class Burn:
    """Where a burn stands: what bars it, the wait that runs, the last inlet temperature, whether it must
    stop."""

    bars: tuple[Bar, ...]
    running: Entry[Wait] | None
    inlet_c: float | None
    stop: str
    soot_before: float | None
    soot_now: float | None

    @property
    def barred(self) -> list[Bar]:
        return [b for b in self.bars if b.state in ("bars", "unknown")]


def soot_read(assessed: Assessed) -> list[tuple[Entry[Reading], float]]:
    """The soot masses that were read, in g, in their order."""
    return [
        (reading, convert(float(reading.data.value), reading.data.unit, "g"))
        for reading in assessed.job.of(Reading)
        if reading.data.test == "dpf_state"
        and reading.data.where.channel == "soot_mass"
        and reading.data.is_figure
    ]


def burn_of(assessed: Assessed) -> Burn:
    """What is known for a burn of this vehicle now."""
    job = assessed.job
    soot = soot_read(assessed)
    open_now = {x.id for x in open_waits(job)}
    begun = [x for x in job.of(Wait) if x.data.wait == "burn" and x.data.state == "started"]
    running = next((x for x in reversed(begun) if x.id in open_now), None)
    at = job.position
    since = job.position[running.id] if running else -1
    inlet = [
        convert(float(reading.data.value), reading.data.unit, "degC")
        for reading in job.of(Reading)
        if reading.data.test == "exhaust_temps" and at[reading.id] > since and reading.data.is_figure
    ]
    inlet_c = inlet[-1] if running and inlet else None
    stop = ""
    if inlet_c is not None and inlet_c > STOPS_C:
        stop = f"{plain(inlet_c)} °C: stop it now. Over {plain(STOPS_C)} °C the filter melts."
    elif inlet_c is not None and inlet_c > WATCHED_HIGH_C:
        stop = f"{plain(inlet_c)} °C: over {plain(WATCHED_HIGH_C)}; let the speed fall, and watch it."
    before = [g for x, g in soot if begun and at[x.id] < at[begun[-1].id]]
    return Burn(
        tuple(_bars(assessed, soot[-1][1] if soot else None)),
        running,
        inlet_c,
        stop=stop,
        soot_before=before[-1] if before else None,
        soot_now=soot[-1][1] if soot else None,
    )


def _bars(assessed: Assessed, soot_g: float | None) -> list[Bar]:
    knowledge = assessed.knowledge
    job = assessed.job
    limits = assessed.readings.limits(FilterLimits)
    bars = []
    if soot_g is None:
        bars.append(Bar("Soot mass", "unknown", "read it first: over the limit a burn melts the filter"))
    elif soot_g > limits.soot_most_g:
        bars.append(Bar("Soot mass", "bars", f"{plain(soot_g)} g: no burn at all, clean it off the vehicle"))
    elif soot_g >= limits.soot_care_g:
        says = (
            f"{plain(soot_g)} g: only by the maker's own procedure, watched all the time, and not from here"
        )
        bars.append(Bar("Soot mass", "bars", says))
    else:
        bars.append(Bar("Soot mass", "held", f"{plain(soot_g)} g, under {plain(limits.soot_care_g)}"))
    cleared = job.last(CodeClear)
    codes = {
        code.data.code
        for code in job.of(Code)
        if (known := knowledge.codes.get(decode(code.data.code).code))
        and known.system in BARRED_BY
        and code.data.status != "history"
        and (cleared is None or job.position[code.id] > job.position[cleared.id])
    }
    if codes:
        bars.append(Bar("Codes", "bars", f"{', '.join(sorted(codes))}: DEF or EGR first, and cleared"))
    else:
        bars.append(Bar("Codes", "held", "none of DEF or EGR stands"))
    fuel = job.condition("fuel_level")
    if fuel is None:
        bars.append(Bar("Fuel", "unknown", "write down the level"))
    elif float(fuel.data.value) < LEAST_FUEL_PERCENT:
        bars.append(Bar("Fuel", "bars", f"{plain(float(fuel.data.value))} %: fill it first"))
    else:
        bars.append(Bar("Fuel", "held", f"{plain(float(fuel.data.value))} %"))
    failed = job.condition("failed_burns")
    if failed is not None:
        low, high = diluted_l(int(failed.data.value))
        state = "bars" if low > OIL_MOST_L else "held"
        says = f"{plain(low)} to {plain(high)} l of fuel in it by failed burns"
        bars.append(Bar("Oil", state, f"{says}: change it first" if state == "bars" else says))
    bars.append(_why(assessed))
    return bars


def _why(assessed: Assessed) -> Bar:
    """Whether it was asked why it loaded: what made the soot makes it again."""
    knowledge = assessed.knowledge
    said = {x.data.cause: x.data.found for x in assessed.job.of(SootCause)}
    found = [inside(knowledge.soot.causes[c].title) for c, there in said.items() if there]
    if found:
        return Bar("Why it loaded", "held", f"{', '.join(found)}: mend it, or it loads again")
    if said:
        return Bar(
            "Why it loaded", "held", f"{len(said)} of {len(knowledge.soot.causes)} asked, none found yet"
        )
    return Bar("Why it loaded", "unknown", "ask first: what made the soot makes it again")
