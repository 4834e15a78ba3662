"""Made-up vacuum circuits as vehicles have them: booster, reservoir, solenoids, actuators, mounts, stop."""

import random

from frosty_piston.core.circuit import Circuit, Hose, Part


class _Builder:
    def __init__(self, rng: random.Random) -> None:
        self.rng = rng
        self.parts: list[Part] = []
        self.hoses: list[Hose] = []
        self.free: list[tuple[str, str]] = []

    def part(self, kind: str, title: str) -> str:
        name = f"{kind}_{sum(p.kind == kind for p in self.parts) + 1}"
        self.parts.append(Part(name, kind, title))
        return name

    def join(self, near: tuple[str, str], far: tuple[str, str], hands: bool = False) -> None:
        rng = self.rng
        self.hoses.append(
            Hose(
                f"hose_{len(self.hoses) + 1}",
                near,
                far,
                length_mm=round(rng.uniform(120, 1400)),
                bore_mm=3.5,
                heat=rng.choices(("cool", "engine", "exhaust", None), (3, 4, 2, 2))[0],
                age_years=rng.choice((None, 2.0, 6.0, 11.0, 18.0)),
                access_min=rng.choice((None, 2.0, 4.0, 8.0, 15.0)),
                last_hands=hands,
            )
        )

    def room(self) -> tuple[str, str]:
        """A free end to hang something on; a tee makes two of one."""
        near = self.free.pop(self.rng.randrange(len(self.free)))
        tee = self.part("tee", "Tee")
        self.join(near, (tee, "a"))
        self.free.append((tee, "b"))
        return tee, "c"


def made_up(rng: random.Random, parts: int) -> Circuit:
    """A circuit of about so many parts, at least eight.

    >>> found = made_up(random.Random(3), 12)
    >>> 12 <= len(found.parts) <= 15, len(found.hoses) == len(found.parts) - 1
    (True, True)
    """
    b = _Builder(rng)
    pump = b.part("pump", "Pump")
    b.free.append((pump, "out"))
    b.join(b.room(), (b.part("booster", "Brake booster"), "in"))
    if rng.random() < 0.7:
        valve = b.part("check_valve", "One-way valve")
        store = b.part("reservoir", "Reservoir")
        b.join(b.free.pop(), (valve, "pump_side"))
        b.join((valve, "far_side"), (store, "a"))
        b.free.append((store, "b"))
    while len(b.parts) < parts:
        near = b.room()
        kind = rng.choices(("drive", "mount", "stop"), (5, 2, 1))[0]
        if kind == "mount":
            b.join(near, (b.part("mount", "Engine mount"), "in"))
        else:
            valve = b.part("solenoid", "Solenoid") if kind == "drive" else b.part("key_switch", "Key switch")
            b.join(near, (valve, "supply"))
            end = b.part("actuator", "Actuator") if kind == "drive" else b.part("stop_actuator", "Stop")
            b.join((valve, "output"), (end, "in"))
    last = b.free.pop()
    b.join(last, (b.part("mount", "Engine mount"), "in"))
    if rng.random() < 0.3:
        n = rng.randrange(len(b.hoses))
        hose = b.hoses[n]
        b.hoses[n] = Hose(
            hose.id,
            hose.start,
            hose.end,
            length_mm=hose.length_mm,
            bore_mm=hose.bore_mm,
            heat=hose.heat,
            age_years=hose.age_years,
            access_min=hose.access_min,
            last_hands=True,
        )
    return Circuit(tuple(b.parts), tuple(b.hoses))
