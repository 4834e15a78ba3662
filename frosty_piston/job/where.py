"""Where something is done: the page of a test, as the assessment names it and the pages link it."""

from typing import Any

from frosty_piston.knowledge import Knowledge


def page_of(k: Knowledge, test: str, node: str = "") -> str:
    """Return the page on which a test is made: its bench, else its own card."""
    return f"measure/{k.bench_of.get((test, node)) or k.bench_of.get((test, '')) or f'test/{test}'}"


def test_place(k: Knowledge, test: str, where: dict[str, Any] | None = None) -> dict[str, Any]:
    """Return where a test is made, with the point, part or cylinder it is made at."""
    at = {
        key: value
        for key, value in (where or {}).items()
        if key in ("point", "node", "cylinder", "channel", "pin")
    }
    return {"page": page_of(k, test, str(at.get("node", ""))), "test": test, **at}
