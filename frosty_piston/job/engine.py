"""The engine card and the vehicle as a job file carries them."""

import re
from collections.abc import Collection, Mapping
from datetime import UTC, datetime, timedelta
from difflib import get_close_matches
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, AwareDatetime, BaseModel, BeforeValidator, ConfigDict, Field, TypeAdapter

from frosty_piston.core.errors import Fault
from frosty_piston.core.quantity import plain
from frosty_piston.core.words import sign
from frosty_piston.job.units import convert
from frosty_piston.knowledge import Knowledge

Name = Annotated[str, Field(min_length=1, max_length=120)]
Figure = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=-1e12, le=1e12)]
Flag = Annotated[bool, Field(strict=True)]


def _written_time(value: Any) -> Any:
    if not isinstance(value, str) or not re.match(r"\d{4}-\d\d-\d\d[Tt ]\d\d:\d\d", value):
        raise ValueError("must be a time with its zone, as 2026-01-14T06:40:00Z")
    return value


MECHANICAL = ("inline_pump", "rotary_pump")
FIRST_YEAR = 1970
LAST_YEAR = 2200


def _in_our_time(value: datetime) -> datetime:
    if not FIRST_YEAR <= value.year <= LAST_YEAR:
        raise ValueError(f"must lie between {FIRST_YEAR} and {LAST_YEAR}")
    return value


Moment = Annotated[AwareDatetime, BeforeValidator(_written_time), AfterValidator(_in_our_time)]


FAR = timedelta(days=366)


def _happened(value: datetime) -> datetime:
    if value > datetime.now(UTC) + FAR:
        raise ValueError("lies more than a year ahead, and this is a time when something happened")
    return value


Happened = Annotated[Moment, AfterValidator(_happened)]


_HAPPENED: TypeAdapter[datetime] = TypeAdapter(Happened)


def parse_happened(text: str) -> datetime:
    """Read a time when something happened. Raises ValueError.

    >>> parse_happened("2026-01-14T06:40:00Z").hour
    6
    """
    return _HAPPENED.validate_python(text)


def _within(low: float, high: float) -> Any:
    return Field(strict=True, allow_inf_nan=False, ge=low, le=high)


class EngineCard(BaseModel):
    """What is fitted, and the limits that override the general figures. What is left out is unknown, not
    absent."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: Name = "Engine not named"
    cylinders: Annotated[int, Field(strict=True, ge=1, le=16)] | None = None
    arrangement: Literal["inline", "vee", "flat"] | None = None
    combustion: Literal["direct", "prechamber"] | None = None
    displacement_l: Annotated[float, _within(0.1, 100)] | None = None
    compression_ratio: Annotated[float, _within(8, 30)] | None = None
    injection: (
        Literal[
            "rail_solenoid", "rail_piezo", "unit_injector", "hydraulic_unit", "inline_pump", "rotary_pump"
        ]
        | None
    ) = None
    glow: Literal["rod_12v", "fast_7v", "fast_5v", "ceramic", "none"] | None = None
    glow_control: Literal["timer_relay", "relay_module", "electronic_module", "none"] | None = None
    glow_nominal_ohm: Annotated[float, _within(0.05, 10)] | None = None
    intake_heater: Flag | None = None
    stop: Literal["electric", "vacuum", "cable"] | None = None
    turbo: Literal["none", "wastegate", "vgt_vacuum", "vgt_electric"] | None = None
    egr: Annotated[list[Literal["high_pressure", "low_pressure"]], Field(max_length=2)] | None = None
    egr_drive: Literal["vacuum", "solenoid", "motor"] | None = None
    egr_cooler_bypass: Literal["none", "vacuum", "electric"] | None = None
    inlet_flap: Literal["none", "vacuum", "motor"] | None = None
    swirl_flaps: Literal["none", "vacuum", "motor"] | None = None
    vacuum_pump: Flag | None = None
    vacuum_mounts: Flag | None = None
    dpf: Flag | None = None
    scr: Flag | None = None
    batteries: Annotated[int, Field(strict=True, ge=1, le=2)] | None = None
    system_voltage: Literal[12, 24] | None = None
    limits: dict[str, Figure | str] = {}

    def limit(self, figure: str) -> float | None:
        value = self.limits.get(figure)
        return value if isinstance(value, float) else None

    def choice(self, key: str) -> str | None:
        value = self.limits.get(key)
        return value if isinstance(value, str) else None

    @property
    def vacuum_consumers(self) -> bool | None:
        """Whether anything but the brakes is driven by vacuum; None while the card does not say."""
        drives = (
            self.turbo and ("vacuum" if self.turbo == "vgt_vacuum" else "other"),
            self.egr_drive if self.egr != [] else "none",
            self.egr_cooler_bypass,
            self.inlet_flap,
            self.swirl_flaps,
            self.stop,
            "vacuum" if self.vacuum_mounts else "none",
        )
        if "vacuum" in drives:
            return True
        return None if None in drives else False

    @property
    def stop_unsure(self) -> bool:
        """Whether it may run on when the key is off: by vacuum or cable, or nobody said, where no control
        unit switches its fuel off anyway."""
        if self.stop is None:
            return self.injection in (None, "inline_pump", "rotary_pump")
        return self.stop != "electric"

    @property
    def keeps_codes(self) -> bool:
        """Whether a control unit of the engine keeps codes; a pump that is only mechanical has none."""
        return self.injection not in MECHANICAL

    def rules_out(self, needs: Mapping[str, Collection[Any]]) -> str | None:
        """The field by which this card rules something out that needs other fittings; None when it may be
        there."""
        for field, allowed in needs.items():
            value = getattr(self, field)
            fitted = value if isinstance(value, list) else [value]
            if value is not None and not any(v in allowed for v in fitted):
                return field
        return None


class Vehicle(BaseModel):
    """The vehicle as a job file carries it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: Name = "Vehicle not named"
    odometer_km: Annotated[float, _within(0, 10_000_000)] | None = None
    odometer_unit: Literal["km", "mi"] | None = None
    plate: Annotated[str, Field(max_length=40)] | None = None
    owner: Annotated[str, Field(max_length=120)] | None = None
    notes: Annotated[str, Field(max_length=2000)] | None = None

    @property
    def odometer(self) -> str:
        """How far it had run, in the unit on its dash; empty when not known."""
        unit = self.odometer_unit or "km"
        return f"{plain(convert(self.odometer_km, 'km', unit))} {unit}" if self.odometer_km else ""


def limit_faults(limits: Any, knowledge: Knowledge, path: str = "engine.limits") -> list[Fault]:
    """Name every limit that is unknown or out of its range."""
    if not isinstance(limits, dict):
        return []
    faults = []
    for key, value in limits.items():
        if key in knowledge.choices:
            if value not in knowledge.choices[key].choices:
                faults.append(
                    Fault(f"{path}.{key}", f"must be one of {', '.join(knowledge.choices[key].choices)}")
                )
        elif key in knowledge.figures:
            figure = knowledge.figures[key]
            if (
                isinstance(value, bool)
                or not isinstance(value, int | float)
                or not figure.low <= value <= figure.high
            ):
                faults.append(
                    Fault(
                        f"{path}.{key}",
                        f"must be a figure from {plain(figure.low)} to {plain(figure.high)}"
                        f" {sign(figure.unit)}",
                    )
                )
        else:
            near = get_close_matches(key, [*knowledge.figures, *knowledge.choices], 5)
            says = f"near: {', '.join(near)}" if near else "all of them stand on the Shelf under Figures"
            faults.append(Fault(f"{path}.{key[:60]}", f"no such limit; {says}"))
    return faults
