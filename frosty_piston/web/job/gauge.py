"""The vacuum gauge: what it is read in, and slips between its units caught where they are typed."""

from typing import Any

from frosty_piston.core.quantity import plain
from frosty_piston.core.words import sign
from frosty_piston.job.entries import Instrument
from frosty_piston.job.judging.ambient import ambient_air
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.units import convert, typed
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Form

GAUGE = "vacuum_gauge"
UNITS = ("kPa", "mbar", "inHg", "mmHg")
READ_BY_GAUGE = ("kpa", "start_kpa", "end_kpa", "flicker_kpa")
ASKED_ONCE = {"vacuum_at_pump": ("kpa",), "vacuum_hold": ("start_kpa",), "vacuum_section": ("start_kpa",)}
PERHAPS_INHG = (15.0, 30.5)


def gauge_said(job: Job, workshop: Workshop) -> str:
    """What the gauge of this job is read in, else that of the workshop; empty while nobody said."""
    said = [x.data.unit for x in job.of(Instrument) if x.data.instrument == GAUGE and x.data.unit]
    return said[-1] if said else str(workshop.settings.get(GAUGE).get("unit", ""))


def gauge_entry(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The unit of the gauge, when it was chosen anew: kept for the job and the workshop."""
    unit = form.choice("gauge_unit", UNITS, needed=False)
    if form.faults or unit is None or unit == gauge_said(record.job, workshop):
        return []
    workshop.settings.save(GAUGE, {"unit": unit})
    return [form.entry("instrument", {"instrument": GAUGE, "unit": unit}, "gauge")]


def read_vacuum(form: Form, name: str, record: JobRecord, workshop: Workshop) -> float | None:
    """A figure of the gauge in kPa below ambient, as typed in the gauge's unit or with a unit behind it. What
    cannot be is answered with what it would be in another unit."""
    text = form.raw(name)
    if not text:
        return None
    asked = form.raw("gauge_unit")
    known = asked if asked in UNITS else gauge_said(record.job, workshop)
    try:
        value, got = typed(text, known or "kPa")
    except ValueError as error:
        form.wrong(name, str(error))
        return None
    figure = abs(float(value))
    kpa = convert(figure, got, "kPa")
    around = ambient_air(record.assessed.readings)
    if kpa > around.kpa:
        others = [
            f"{plain(figure)} {unit} is {plain(round(other, 1))} kPa"
            for unit in UNITS
            if unit != got and 5 < (other := convert(figure, unit, "kPa")) <= around.kpa
        ]
        air = plain(round(around.kpa, 1))
        form.wrong(
            name,
            f"{plain(figure)} {sign(got)} below ambient cannot be, the air is {air} kPa"
            + (f"; {' or '.join(others)}: choose what the gauge is read in" if others else ""),
        )
        return None
    unsure = not known and got == "kPa" and text.strip().lower().endswith(tuple("0123456789"))
    if (
        unsure
        and name in ASKED_ONCE.get(form.raw("test"), ())
        and PERHAPS_INHG[0] <= figure <= PERHAPS_INHG[1]
    ):
        mercury = plain(round(convert(figure, "inHg", "kPa"), 1))
        form.wrong(
            name,
            f"{plain(figure)} kPa, or {plain(figure)} inHg, which is {mercury} kPa? Choose what the gauge is"
            " read in; it is asked once.",
        )
        return None
    return kpa
