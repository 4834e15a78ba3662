"""The boost table: what boost and vanes together point at, with the row this recording falls into."""

from typing import Any

from frosty_piston.core.boost import BoostReport, judge_boost

ROWS = (
    ("short", True, "low", "closed, at the limit", "follow", "leak, exhaust or intake restriction, worn turbo"),
    ("short", False, "low", "closed, at the limit", "do not follow", "actuator, linkage or vane mechanism"),
    ("over", False, "too high, then cut", "to open", "lag", "vanes sticking"),
    ("hunts", False, "hunts", "hunt", "lag", "vanes sticking, or the solenoid"),
    ("reaches", True, "as asked, a code stored", "fine", "fine", "comes and goes: connector or dead spot, record longer"),
)


def boost_table(report: BoostReport | None) -> list[dict[str, Any]]:
    """The rows of the table, the fitting one marked; empty without a pull. Without vanes recorded no row can be told apart."""
    if report is None:
        return []
    cls, follows = judge_boost(report).cls, report.vane_follows
    told = report.vane_at_limit if cls == "short" else follows is not None
    return [{"boost": boost, "told": vanes, "does": does, "says": says, "here": bool(told) and cls == row and follows == wanted} for row, wanted, boost, vanes, does, says in ROWS]
