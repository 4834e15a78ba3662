"""A simulated ohmmeter, clamp and voltmeter: leads, noise and the last digit, from a seed."""

from dataclasses import dataclass, field
from random import Random


@dataclass
class SimulatedMeter:
    """Shows what a real meter would: the true value plus leads, a little off, rounded to its last digit."""

    seed: int = 1
    lead_ohm: float = 0.2
    accuracy_percent: float = 0.8
    resolution_ohm: float = 0.01
    _random: Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = Random(self.seed)

    def _off(self, value: float) -> float:
        return value * (1 + self._random.uniform(-1, 1) * self.accuracy_percent / 200)

    def ohm(self, true_ohm: float | None) -> float | str:
        """What the display shows for a resistance; OL for an open circuit."""
        if true_ohm is None or true_ohm > 60e6:
            return "OL"
        steps = round((self._off(true_ohm) + self.lead_ohm) / self.resolution_ohm)
        return round(steps * self.resolution_ohm, 4)

    def volts(self, true_v: float) -> float:
        return round(self._off(true_v), 2)

    def amps(self, true_a: float) -> float:
        return round(self._off(true_a), 1)
