"""The instruments of a job: what each was, at the time it was used."""

from dataclasses import dataclass

from frosty_piston.core.cached import cached_property
from frosty_piston.core.glow import Meter
from frosty_piston.core.relay import VoltMeter
from frosty_piston.job.entries import Entry
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.units import convert, same_kind

FIELDS = ("lead_zero", "accuracy_percent", "accuracy_digits", "resolution", "rated_w")


@dataclass(frozen=True)
class Instruments:
    """Merges the instrument entries of a job in their order; a later entry adds to or overrides an earlier
    one."""

    job: Job

    @cached_property
    def _steps(self) -> list[tuple[int, str, str, dict[str, float]]]:
        steps: list[tuple[int, str, str, dict[str, float]]] = []
        merged: dict[tuple[str, str], dict[str, float]] = {}
        for index, entry in enumerate(self.job.live):
            if entry.kind != "instrument":
                continue
            data = entry.data
            if data.unit and same_kind(data.unit, "V"):
                base = "V"
            elif data.unit and same_kind(data.unit, "A"):
                base = "A"
            else:
                base = "ohm"
            got = merged.setdefault((data.instrument, base), {})
            for name in FIELDS:
                value = getattr(data, name)
                if value is not None:
                    scaled = name in ("lead_zero", "resolution") and data.unit and same_kind(data.unit, base)
                    got[name] = convert(value, data.unit, base) if scaled else value
            steps.append((index, data.instrument, base, dict(got)))
        return steps

    def _at(self, entry: Entry | None, name: str, base: str) -> dict[str, float]:
        fitting = [s for s in self._steps if s[1] == name and s[2] == base]
        if not fitting:
            return {}
        index = self.job.position.get(entry.id, len(self.job.live)) if entry else len(self.job.live)
        before = [s for s in fitting if s[0] <= index]
        return (before or fitting[:1])[-1][3]

    def ohmmeter(self, entry: Entry | None = None) -> Meter:
        got = self._at(entry, getattr(entry.data, "instrument", None) or "meter" if entry else "meter", "ohm")
        general = Meter()
        return Meter(
            got.get("accuracy_percent", general.accuracy_percent),
            got.get("accuracy_digits", general.accuracy_digits),
            got.get("resolution", general.resolution_ohm),
            got.get("lead_zero"),
        )

    def voltmeter(self, entry: Entry | None = None) -> VoltMeter:
        got = self._at(entry, "meter", "V")
        general = VoltMeter()
        return VoltMeter(
            got.get("accuracy_percent", general.accuracy_percent),
            got.get("accuracy_digits", general.accuracy_digits),
            got.get("resolution", general.resolution_v),
        )

    def lamp_w(self, entry: Entry | None = None) -> float | None:
        return self._at(entry, "lamp", "ohm").get("rated_w")

    def known(self, name: str, base: str) -> bool:
        return any(s[1] == name and s[2] == base for s in self._steps)
