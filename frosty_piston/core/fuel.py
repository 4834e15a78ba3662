"""The fuel's way from the tank to the injectors: who steals the pressure, by what was measured along it."""

from collections.abc import Mapping, Sequence

from .pins import PointsAt


def who_steals(found: Mapping[str, str], returning: Sequence[int] = ()) -> PointsAt:
    """Return who steals the fuel pressure, from the tank on: what is wrong upstream is settled before what
    hangs on it.

    Parameters: `found`: by place the class of its latest verdict: `prime` (`clear`, `bubbles`, `empty`),
    `filter` (`ok`, `drop`), `supply`, `rail` and `returns` (`sound`, `marginal`, `failed`), `running`
    (`follows`, `low`, `hunts`, `offset`), `valve` (`dry`, `runs`); places that were not measured are left
    out; `returning`: the cylinders that give back too much. Source: the order of the fuel's way; what flows
    off is measured where it flows off.

    >>> who_steals({"prime": "clear", "rail": "failed", "supply": "sound"}).what
    'Return flow next'
    >>> who_steals({"prime": "clear", "supply": "sound", "rail": "failed", "valve": "runs"}).what
    "The rail's pressure valve"
    """
    return _before_the_pump(found) or _behind_it(found, returning)


def _before_the_pump(found: Mapping[str, str]) -> PointsAt | None:
    if found.get("prime") == "bubbles":
        return PointsAt(
            "Air in the supply", "Bubbles in the line: nothing behind it counts until it is clear."
        )
    if found.get("prime") == "empty":
        return PointsAt("No fuel arrives", "The clear line stays empty: tank, pipe, lift pump.")
    if found.get("filter") == "drop":
        return PointsAt("The fuel filter", "The pressure is lost across it: change it, then measure again.")
    if found.get("supply") in ("failed", "marginal"):
        if found.get("filter") == "ok":
            return PointsAt(
                "The lift pump or its line",
                "Little pressure on either side of the filter: volts at the pump under load, then the pump.",
            )
        return PointsAt("Before and after the filter", "Too little arrives: the filter, or the lift pump.")
    return None


def _behind_it(found: Mapping[str, str], returning: Sequence[int]) -> PointsAt:
    if found.get("running") == "offset":
        return PointsAt(
            "The rail sensor",
            "A steady difference: with the key on, ten minutes after it ran, it must read 0 to 15 bar.",
        )
    bad_rail = found.get("rail") in ("failed", "marginal") or found.get("running") in ("low", "hunts")
    if found.get("valve") == "runs":
        return PointsAt("The rail's pressure valve", "Commanded shut, it lets fuel go all the same.")
    if found.get("returns") == "failed":
        named = f"Cylinder {', '.join(map(str, returning))} gives" if returning else "One gives"
        return PointsAt("An injector", f"{named} back far more than the others: it steals the pressure.")
    if not bad_rail:
        if "rail" not in found and "running" not in found:
            return PointsAt("Measure along the way", "Clear line, supply, filter, then the rail cranking.")
        return PointsAt("Nothing steals it", "The rail has what it needs where it was read.")
    if "prime" not in found and "supply" not in found:
        return PointsAt("The supply first", "The rail is low: clear line and supply before the pump.")
    if "returns" not in found:
        return PointsAt("Return flow next", "The supply is right, the rail is low: bottles on the returns.")
    if "valve" not in found:
        return PointsAt("The valve's return next", "Supply and injectors are right: valve, or the pump.")
    if found.get("running") == "hunts" and found.get("rail", "sound") == "sound":
        return PointsAt("The valve, or air", "It builds and hunts: a valve that does not follow, or air.")
    return PointsAt("The high-pressure pump", "Supply, valve and injectors are right, it builds little.")
