"""What was measured, as it was measured: the figures of a pair stay two figures."""

from frosty_piston.core.quantity import exact, plus_minus
from frosty_piston.core.words import listed, spoken

from .result import Result
from .tape import Job

UNIT_WORDS = {"ohm": "Ω", "degC": "°C", "percent": "%"}


def measured_says(job: Job, v: Result) -> str:
    """Answer a verdict as the figures it rests on: 4.8 s and 2.9 s, not the share between them. Where one
    reading was corrected, its worth with the doubt; where there is no figure, the class in words."""
    j, known = v.judgement, {x.id: x for x in job.live}
    readings = [known[i] for i in v.entries if i in known and known[i].kind == "reading"]
    if len(readings) > 1 or readings and readings[0].data.unit != j.unit and j.unit == "percent":
        return listed([_figure(x.data.value, x.data.unit) for x in readings])
    if j.value is None or not j.unit:
        return spoken(j.cls)
    return f"{plus_minus(j.value, j.uncertainty)} {UNIT_WORDS.get(j.unit, j.unit)}"


def _figure(value: float | str, unit: str) -> str:
    return "OL" if isinstance(value, str) else f"{exact(value)} {UNIT_WORDS.get(unit, unit)}"
