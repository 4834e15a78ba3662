"""The air outside, said once for the job: by the barometer, by altitude, by the weather, or unknown."""

from frosty_piston.core.vacuum import Ambient, ambient_of
from frosty_piston.job.units import convert

from .readings import Readings

LEAST_KPA = 45.0
MOST_KPA = 110.0


def ambient_air(readings: Readings, altitude_m: float | None = None) -> Ambient:
    """The air around this vehicle: a barometer that was read, else the altitude, with the weather's pressure
    where it is known. `altitude_m`: noted with the test itself."""
    weather = _said(readings, "sea_level", "kPa")
    return ambient_of(_barometer_kpa(readings), _altitude_m(readings, altitude_m), weather)


def _said(readings: Readings, name: str, unit: str) -> float | None:
    said = readings.job.condition(name)
    return convert(said.data.value, said.data.unit, unit) if said else None


def _altitude_m(readings: Readings, noted: float | None) -> float | None:
    if noted is not None:
        return noted
    said = readings.job.condition("altitude_m") or readings.job.condition("altitude")
    known = said is not None and said.data.unit in ("km", "mm", "m")
    return convert(said.data.value, said.data.unit, "km") * 1000 if said and known else None


def _barometer_kpa(readings: Readings) -> float | None:
    """What was written down, else what the sensor read with the key on, unless it stood out."""
    said = _said(readings, "barometer", "kPa")
    if said is not None and _is_air(said):
        return said
    read = [
        verdict
        for verdict in readings.verdicts("key_on_pressures")
        if verdict.where.get("channel") == "barometer" and verdict.judgement.verdict in ("sound", "unclear")
    ]
    found = read[-1].judgement.value if read else None
    return found if found is not None and _is_air(found) else None


def _is_air(kpa: float) -> bool:
    """Whether it can be the air where vehicles go."""
    return LEAST_KPA <= kpa <= MOST_KPA
