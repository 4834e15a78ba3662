"""Wires and meters: what a wire loses, how thick it must be, what fingers on the probes make of a reading,
how long a charge stays."""

import math

RHO_OHM_MM2_M = 0.0175  # of copper at 20 C
COPPER_PER_K = 0.00393
COLDEST_C = -60.0
HOTTEST_C = 200.0
SECTIONS_MM2 = (0.35, 0.5, 0.75, 1.0, 1.5, 2.5, 4.0, 6.0, 10.0, 16.0, 25.0, 35.0, 50.0, 70.0)
SKIN_OHM = (50_000.0, 1_000_000.0)
PIEZO_FARAD = 6e-6
PIEZO_V = 160.0
TOUCHABLE_V = 60.0
AT_LEAST_S = 300.0


def copper_ohm_mm2_m(wire_c: float) -> float:
    """Return the resistivity of copper at a temperature, ohm mm2/m: ``rho = rho20 (1 + 0.00393 (T - 20))``.

    Parameters: `wire_c`: of the wire, C, -60 to 200, where it is straight. Raises ValueError outside of that.
    Source: IEC 60028, annealed copper; 0.0175 at 20 C is usual for vehicle wire.

    >>> copper_ohm_mm2_m(20), round(copper_ohm_mm2_m(85) / copper_ohm_mm2_m(20), 2)
    (0.0175, 1.26)
    """
    if not COLDEST_C <= wire_c <= HOTTEST_C:
        raise ValueError(f"copper is known from {COLDEST_C:g} to {HOTTEST_C:g} C")
    return RHO_OHM_MM2_M * (1 + COPPER_PER_K * (wire_c - 20))


def wire_drop_v(current_a: float, length_m: float, section_mm2: float, wire_c: float = 20.0) -> float:
    """Return what a wire loses there and back: ``dU = 2 I rho L/A``.

    Parameters: `current_a`: the current, A; `length_m`: from end to end, m; `section_mm2`: its cross-section,
    mm2, above 0; `wire_c`: how warm it is, C. Raises ZeroDivisionError for no section. Source:
    `copper_ohm_mm2_m`.

    >>> round(wire_drop_v(10, 5, 2.5), 2), wire_drop_v(0, 5, 2.5), round(wire_drop_v(10, 5, 2.5, 85), 2)
    (0.7, 0.0, 0.88)
    """
    return 2 * current_a * copper_ohm_mm2_m(wire_c) * length_m / section_mm2


def section_needed_mm2(current_a: float, length_m: float, drop_v: float, wire_c: float = 20.0) -> float:
    """Return how thick a wire must be to lose no more than a drop, mm2.

    Parameters: `current_a`: A; `length_m`: from end to end, m; `drop_v`: what may be lost there and back, V,
    above 0; `wire_c`: how warm it is, C. Raises ZeroDivisionError for no drop. Source: `wire_drop_v`.

    >>> round(section_needed_mm2(10, 5, 0.5), 1), round(section_needed_mm2(10, 5, 0.5, 85), 1)
    (3.5, 4.4)
    """
    return 2 * current_a * copper_ohm_mm2_m(wire_c) * length_m / drop_v


def next_section_mm2(needed_mm2: float) -> float | None:
    """Return the next cross-section that is sold; None where one wire is not enough.

    Parameters: `needed_mm2`: mm2. Source: the usual sections of vehicle wire, ISO 6722.

    >>> next_section_mm2(3.5), next_section_mm2(4.0), next_section_mm2(100)
    (4.0, 4.0, None)
    """
    return next((s for s in SECTIONS_MM2 if s >= needed_mm2), None)


def without_fingers_ohm(shown_ohm: float, skin_ohm: float) -> float | None:
    """Return what a part has when fingers on both probes lay beside it; None where the skin alone would show
    less.

    Parameters: `shown_ohm`: what the meter shows; `skin_ohm`: the resistance from hand to hand. Source:
    resistors beside each other.

    >>> without_fingers_ohm(100_000, 200_000), without_fingers_ohm(100_000, 50_000)
    (200000.0, None)
    """
    if skin_ohm <= shown_ohm:
        return None
    return shown_ohm * skin_ohm / (skin_ohm - shown_ohm)


def discharge_s(ohm: float, farad: float, from_v: float, to_v: float) -> float:
    """Return how long a charged part takes to drain through its own resistance: ``t = R C ln(U0/U)``; 0 where
    it is down already.

    Parameters: `ohm`: its resistance, ohm; infinite for an open one, which then never drains; `farad`: its
    capacitance, F; `from_v`, `to_v`: charged to and wanted, V, above 0. Raises ValueError for voltages that
    are not above 0. Source: a capacitor through a resistor; a piezo stack holds about 6 uF and 160 V
    (general); 60 V is the usual limit of what may be touched, IEC 60364-4-41.

    >>> round(discharge_s(185_000, 6e-6, 160, 60), 2), discharge_s(185_000, 6e-6, 40, 60)
    (1.09, 0.0)
    """
    if from_v <= 0 or to_v <= 0:
        raise ValueError("both voltages lie above 0")
    return max(0.0, ohm * farad * math.log(from_v / to_v))
