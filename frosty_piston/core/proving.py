"""How much a proof proves."""

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
