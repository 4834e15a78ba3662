"""The particulate filter against flow: exhaust volume, the fitted drop with its band, ash by oil
use, dilution by failed burns."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .aftertreatment import COMMON_FLOW_M3H, FilterLimits
from .quantity import kelvin

R_AIR = 287.0
OIL_KG_L = 0.85


def exhaust_flow_m3h(air_g_s: float, fuel_g_s: float, exhaust_c: float, pressure_kpa: float) -> float:
    """Return the volume flow of the exhaust at the filter: ``Q = (m_air + m_fuel)/rho``, m³/h.

    Parameters: `air_g_s`, `fuel_g_s`: mass flows in g/s; `exhaust_c`: at the filter in °C; `pressure_kpa`:
    ambient and the drop, absolute. Raises ValueError for a pressure or temperature that cannot be. Source:
    ideal gas, 287 J/(kg K).

    >>> round(exhaust_flow_m3h(50, 1.5, 250, 104.3))
    267
    """
    if pressure_kpa <= 0:
        raise ValueError("a pressure above nothing is wanted")
    density = pressure_kpa * 1000 / (R_AIR * kelvin(exhaust_c))
    return (air_g_s + fuel_g_s) / 1000 / density * 3600


@dataclass(frozen=True, slots=True)
class Fit:
    """``dp = a*Q + b*Q**2`` through points, its drop at 100 m³/h with the uncertainty of two standard
    deviations, both in kPa."""

    a: float
    b: float
    drop_kpa: float
    u_kpa: float


def drop_at(fit: Fit, flow_m3h: float) -> float:
    """Return the drop of a fit at a flow, kPa.

    Parameters: `fit`: drop over flow; `flow_m3h`: flow in m3/h.

    >>> round(drop_at(Fit(0.02, 1e-4, 3.0, 0.1), 100), 1)
    3.0
    """
    return fit.a * flow_m3h + fit.b * flow_m3h**2


def fitted(
    points: Sequence[tuple[float, float]], zero_kpa: float = 0.0, sensor_u_kpa: float = 0.1
) -> Fit | None:
    """Fit the drop over flow, and say how sure it is at 100 m³/h; None while the points cannot tell.

    Parameters: `points`: flow in m3/h and drop in kPa; `zero_kpa`: what the sensor shows with the engine off;
    `sensor_u_kpa`: of one reading. A term that would be negative is left out. Source: least squares; the band
    from the scatter of the points, never under the sensor's own.

    >>> fit = fitted([(60, 1.6), (120, 3.6), (180, 6.1)])
    >>> round(fit.a, 4), round(fit.b, 6), round(fit.drop_kpa, 2)
    (0.0227, 6.2e-05, 2.89)
    >>> fitted([(100, 0.5)]) is None
    True
    """
    if len(points) < 2:
        return None
    q = np.array([p[0] for p in points], float)
    dp = np.array([p[1] for p in points], float) - zero_kpa
    if np.ptp(q) < 0.1 * q.max():
        return None
    terms = [0, 1]
    full = np.stack([q, q**2], axis=1)
    while True:
        x = full[:, terms]
        solved = np.linalg.lstsq(x, dp, rcond=None)[0]
        if len(terms) == 1 or solved.min() >= 0 or solved.max() <= 0:
            break
        terms = [terms[int(np.argmax(solved))]]
    a, b = (float(solved[terms.index(n)]) if n in terms else 0.0 for n in (0, 1))
    free = len(q) - len(terms)
    scatter = float(np.sqrt(np.sum((dp - x @ solved) ** 2) / free)) if free > 0 else 0.0
    covariance = np.linalg.pinv(x.T @ x) * max(scatter, sensor_u_kpa) ** 2
    common = np.array([COMMON_FLOW_M3H, COMMON_FLOW_M3H**2])[terms]
    u = 2 * float(np.sqrt(max(common @ covariance @ common, 0.0)))
    return Fit(a, b, a * COMMON_FLOW_M3H + b * COMMON_FLOW_M3H**2, u)


def told_apart(
    fit: Fit | None,
    soot_g: float | None,
    ash_g: float | None,
    limits: FilterLimits,
    channels: str = "",
    clean_kpa: float | None = None,
) -> tuple[str, str]:
    """Tell soot, ash and a hose apart: `hose`, `soot`, `ash`, `both`, `clean` or `open`, and why.

    Parameters: `fit`: drop over flow, None when not known; `soot_g`, `ash_g`: as the control unit says, g,
    None when not read; `limits`: of the area; `channels`: `alike`, `creeps` or nothing, of the pressures
    before and after; `clean_kpa`: this filter's clean drop at 100 m³/h, the limits' own when None. Source: a
    burn takes soot and leaves ash; a drop that is negative or next to nothing is a hose.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits, high = general(FilterLimits), fitted([(60, 2.4), (120, 5.6), (180, 9.6)])
    >>> [told_apart(high, soot, 20, limits)[0] for soot in (6, 20, None)]
    ['ash', 'soot', 'open']
    >>> told_apart(fitted([(60, -2.4), (180, -9.6)]), 6, 20, limits)[0]
    'hose'
    """
    clean = float(limits.clean_kpa) if clean_kpa is None else clean_kpa
    if channels == "creeps":
        return "hose", "One pressure moves and the other creeps: a hose, or the passage behind it."
    if fit is not None and fit.drop_kpa < -limits.negative_times * clean:
        return "hose", "The drop is negative: the hoses are swapped."
    if fit is not None and fit.drop_kpa < limits.near_zero_times * clean:
        return "hose", "Next to no drop: a hose off or split before the filter is called cracked."
    much = (soot_g or 0.0) >= limits.soot_road_g
    full = (ash_g or 0.0) > limits.ash_most_g
    high = fit is not None and fit.drop_kpa > limits.loaded_times * clean
    if much and full:
        return "both", "Much soot and ash over its limit: soot first, ash is what a burn leaves."
    if full:
        return "ash", "Ash over its limit: a burn does not take it; the filter comes off."
    if much:
        return "soot", "Much soot: what is left of the drop after a burn is ash."
    if soot_g is None or fit is None:
        return "open", "Read soot mass and the drop at two flows: together they tell soot from ash."
    if high:
        return "ash", "High drop at little soot: ash. A burn does not take it; the filter comes off."
    return "clean", "The drop is near the clean one, and little soot is in it."


def ash_kg(oil_l_1000km: float, km: float, ash_share: float = 0.008, stays: float = 0.5) -> float:
    """Return how much ash oil has left in a filter: ``oil * km/1000 * 0.85 * share * 0.5``, kg.

    Parameters: `oil_l_1000km`: oil use in l per 1,000 km; `km`: distance; `ash_share`: sulphated ash;
    `stays`: what of it stays. Raises ValueError for a negative figure.

    >>> round(ash_kg(0.3, 150_000), 2)
    0.15
    """
    if min(oil_l_1000km, km, ash_share, stays) < 0:
        raise ValueError("no figure lies under zero")
    return oil_l_1000km * km / 1000 * OIL_KG_L * ash_share * stays


def diluted_l(failed_burns: int, each_l: tuple[float, float] = (0.05, 0.1)) -> tuple[float, float]:
    """Return how much fuel failed burns have left in the oil since its change: least and most, l.

    Parameters: `failed_burns`: how many; `each_l`: what one leaves, least and most. Raises ValueError for a
    negative count.

    >>> diluted_l(12)
    (0.6, 1.2)
    """
    if failed_burns < 0:
        raise ValueError("burns are counted from none")
    return round(failed_burns * each_l[0], 2), round(failed_burns * each_l[1], 2)
