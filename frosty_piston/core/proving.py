"""How much a proof proves: the complaint's own condition passed, and a clean drive against earlier
returns."""

from collections.abc import Sequence

PRIOR_SHAPE = 0.5
SCALE_SHARE = 0.5


def cured_given(cure_odds: float, though_broken: float, when_cured: float = 1.0) -> float:
    """Return how sure the cure is after something was seen: ``q*c/(q*c + (1 - q)*s)``.

    Parameters: `cure_odds` q before it; `though_broken` s, the chance that a vehicle still broken shows it;
    `when_cured` c, that a cured one does. Raises ValueError for a figure that is no chance. Source: Bayes'
    rule.

    >>> round(cured_given(0.8, 0.15), 2), cured_given(0.0, 0.15)
    (0.96, 0.0)
    """
    for name, value in (("odds of cure", cure_odds), ("chance", though_broken), ("chance", when_cured)):
        if not 0 <= value <= 1:
            raise ValueError(f"the {name} lies between 0 and 1")
    seen = cure_odds * when_cured + (1 - cure_odds) * though_broken
    return cure_odds * when_cured / seen if seen else 0.0


def clean_though_broken(returns: Sequence[float], clean: float, about: float | None = None) -> float | None:
    """Return the chance that a vehicle still broken stays clean for so long: ``(b/(b + D))**a``.

    The rate of return has a Gamma posterior of shape ``a = 0.5 + k`` and exposure ``b = sum d + 0.5*mean d``
    after k returns at d1..dk, each since the last clear or repair; "about every D" alone counts as one return
    after D. Parameters: `returns`, `clean` and `about` on one axis (km, starts or hours), above zero. None
    when nothing is known of its returns. Source: Gamma-Poisson, the Lomax survival function. Raises
    ValueError for a return that is not above 0.

    >>> round(clean_though_broken([5, 3, 4], 24), 3), round(clean_though_broken([60, 100, 80], 24), 2)
    (0.03, 0.75)
    >>> round(clean_though_broken([60, 100, 80], 280), 3), clean_though_broken([], 100)
    (0.088, None)
    """
    known = list(returns) or ([about] if about else [])
    if not known:
        return None
    if min(known) <= 0 or clean < 0:
        raise ValueError("returns lie above zero, and what was driven is not negative")
    shape = PRIOR_SHAPE + len(known)
    exposure = sum(known) + SCALE_SHARE * sum(known) / len(known)
    return float((exposure / (exposure + clean)) ** shape)


def clean_span(returns: Sequence[float], share: float, about: float | None = None) -> float | None:
    """Return how long a vehicle still broken stays clean in just this share: ``D = b*(share**(-1/a) - 1)``.

    Parameters: `returns`: earlier returns on one axis, each since the last clear or repair; `share`: above 0,
    1 at most; `about`: "about every so much", on the same axis, None when not said. None when nothing is
    known of its returns. Source: `clean_though_broken`, turned round.

    >>> round(clean_span([60, 100, 80], 0.2)), round(clean_span([], 0.2, 300)), clean_span([], 0.2)
    (163, 866, None)
    """
    known = list(returns) or ([about] if about else [])
    if not known:
        return None
    exposure = sum(known) + SCALE_SHARE * sum(known) / len(known)
    return float(exposure * (share ** (-1 / (PRIOR_SHAPE + len(known))) - 1))


def clean_until(
    returns: Sequence[float], cure_odds: float, wanted: float, about: float | None = None
) -> float | None:
    """Return how long it must stay clean until the cure is so sure; 0 when it is already, None when it never
    is.

    The inverse of `clean_though_broken` in `cured_given`: ``D = b*(L**(-1/a) - 1)``, ``L = q*(1 - w)/((1 -
    q)*w)``. Parameters: `returns`: earlier returns on one axis, each since the last clear or repair;
    `cure_odds`: odds of the cure before it; `wanted`: how sure it should be, 0 to 1; `about`: "about every so
    much", on the same axis, None when not said. Source: `clean_though_broken`, turned round.

    >>> round(clean_until([60, 100, 80], 0.74, 0.90)), round(clean_until([60, 100, 80], 0.74, 0.95))
    (109, 202)
    >>> round(clean_until([5, 3, 4], 0.74, 0.95)), clean_until([5], 0.97, 0.95), clean_until([5], 0.0, 0.95)
    (10, 0.0, None)
    """
    known = list(returns) or ([about] if about else [])
    if not known or cure_odds <= 0 or not 0 < wanted < 1:
        return None
    if cure_odds >= wanted:
        return 0.0
    return clean_span(known, cure_odds * (1 - wanted) / ((1 - cure_odds) * wanted))
