"""How much a clean drive, or a clean start, proves."""


def stays_clean_though_broken(clean: float, returns: list[float], prior: float | None = None) -> float:
    """Answer the chance that a vehicle still broken stays clean for this distance: ``(b/(b + D))^a``.

    Earlier returns of the fault after distances d1..dk give a rate with a Gamma prior: ``a = 0.5 + k``,
    ``b = sum(d) + prior``, prior the technician's "comes back about every D km" when no return was timed
    (half of the mean return otherwise). Works for kilometres, starts or hours alike.
    Raises ValueError without any return or prior.

    >>> round(stays_clean_though_broken(100, [30, 50]), 3)
    0.177
    """
    if clean < 0 or any(d <= 0 for d in returns):
        raise ValueError("distances must be above zero")
    if prior is None:
        if not returns:
            raise ValueError("say after how far it used to come back")
        prior = sum(returns) / len(returns) / 2
    a, b = 0.5 + len(returns), sum(returns) + prior
    return (b / (b + clean)) ** a


def cured_given_clean(clean: float, cure_odds: float, returns: list[float], prior: float | None = None) -> float:
    """Answer how sure the cure is after a clean drive: ``q/(q + (1 - q)*P(clean though broken))``.

    >>> round(cured_given_clean(0, 0.8, [30]), 2), round(cured_given_clean(200, 0.8, [30]), 2)
    (0.8, 0.98)
    """
    if not 0 <= cure_odds <= 1:
        raise ValueError("the odds of cure lie between 0 and 1")
    broken = (1 - cure_odds) * stays_clean_though_broken(clean, returns, prior)
    return cure_odds / (cure_odds + broken) if cure_odds + broken > 0 else 0.0


PASS_THOUGH_BROKEN = 0.15


def cured_given_pass(cure_odds: float, pass_though_broken: float = PASS_THOUGH_BROKEN) -> float:
    """Answer how sure the cure is after the complaint's own condition passed once.

    ``q/(q + (1 - q)*s)`` with s the chance that a vehicle still broken would pass by luck; general 15 % for
    one cold start.

    >>> round(cured_given_pass(0.8), 2), cured_given_pass(0.0)
    (0.96, 0.0)
    """
    if not 0 <= cure_odds <= 1:
        raise ValueError("the odds of cure lie between 0 and 1")
    return cure_odds / (cure_odds + (1 - cure_odds) * pass_though_broken) if cure_odds else 0.0
