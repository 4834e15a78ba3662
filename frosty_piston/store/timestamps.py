"""Moments as they are kept and written."""

from datetime import UTC, datetime


def now() -> datetime:
    return datetime.now(UTC)


def stamp(at: datetime) -> str:
    return at.astimezone(UTC).isoformat(timespec="seconds").replace("+00:00", "Z")


def utc(at: datetime) -> datetime:
    """A moment from the database, which keeps no zone."""
    return at if at.tzinfo else at.replace(tzinfo=UTC)
