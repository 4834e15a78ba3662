"""When a finding is said to speak for a fault, and when a test is said to clear one."""

from dataclasses import dataclass

from .limits import Limit


@dataclass(frozen=True, slots=True)
class TellingLimits:
    """Marks between what moves the odds and what is worth a word.

    `speaks_times`: an outcome speaks for a fault that shows it so many times as often as a vehicle without
    it. `clears_share`: a fault is cleared that is left with at most this share of its chance. `away_unsaid`:
    of the tests on a complaint that comes and goes, the share made while it was away, where nobody said.
    `lasting_goes`: how many times as likely a fault that lasts is when the complaint does not. `acquits`: the
    search ends with nothing found when nothing is wrong this likely, and no repair is needed likelier than
    `acquits_beside`. `address_named`: how often a code or a bad reading names the place of a fault that can
    be at many. Source: `knowledge/figures/telling.toml`."""

    speaks_times: Limit
    clears_share: Limit
    away_unsaid: Limit
    lasting_goes: Limit
    acquits: Limit
    acquits_beside: Limit
    address_named: Limit

    def speaks(self, shown: float, without: float, best: bool) -> bool:
        """Whether an outcome tells of a fault: a bad one where it is commoner with the fault, the best one
        where it is rarer.

        Parameters: `shown`, `without`: chances of the outcome with the fault and without, 0..1; `best`:
        whether it is the best outcome.

        >>> limits = TellingLimits(
        ...     Limit(1.5), Limit(0.333), Limit(0.7), Limit(0.4), *map(Limit, (0.6, 0.15, 0.9))
        ... )
        >>> limits.speaks(0.16, 0.1, False), limits.speaks(0.14, 0.1, False), limits.speaks(0.1, 0.9, True)
        (True, False, True)
        """
        return shown < without / self.speaks_times if best else shown > without * self.speaks_times

    def clears(self, left: float, before: float) -> bool:
        """Whether so little of a chance is left that it counts as cleared.

        Parameters: `left`, `before`: chances, 0..1.

        >>> limits = TellingLimits(
        ...     Limit(1.5), Limit(0.333), Limit(0.7), Limit(0.4), *map(Limit, (0.6, 0.15, 0.9))
        ... )
        >>> limits.clears(0.1, 0.4), limits.clears(0.2, 0.4)
        (True, False)
        """
        return left <= before * self.clears_share
