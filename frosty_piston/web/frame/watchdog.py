"""Notices requests that take too long, and writes where every thread stands into the log."""

import logging
import sys
import threading
import time
import traceback
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

LIMIT_S = 30.0
LOOKS_S = 1.0
log = logging.getLogger("frosty_piston.web")


@dataclass
class Pending:
    """A request whose answer has not begun. `since`: when it, or the last part of its body, came in."""

    request_id: str
    what: str
    since: float
    reported: bool = False


class Watchdog:
    """Keeps the requests that are being worked on. Safe to use from several threads."""

    def __init__(self, limit_s: float = LIMIT_S):
        self.limit_s = limit_s
        self._pending: dict[str, Pending] = {}

    def begins(self, request_id: str, what: str) -> Pending:
        """A request came in."""
        pending = self._pending[request_id] = Pending(request_id, what, time.monotonic())
        return pending

    def goes_on(self, pending: Pending) -> None:
        """More of its body came in: whoever sends slowly is not late."""
        pending.since = time.monotonic()

    def answers(self, pending: Pending) -> None:
        """Its answer begins: how long that takes to send is the business of the line."""
        self._pending.pop(pending.request_id, None)

    def late(self) -> list[Pending]:
        """The requests that are worked on for longer than the limit."""
        until = time.monotonic() - self.limit_s
        return [pending for pending in list(self._pending.values()) if pending.since < until]

    def look(self) -> None:
        """Write each late request into the log, once, with where every thread stands."""
        fresh = [pending for pending in self.late() if not pending.reported]
        if fresh:
            for pending in fresh:
                pending.reported = True
            named = ", ".join(f"{p.request_id} ({p.what})" for p in fresh)
            log.error("longer than %g s: request %s\n%s", self.limit_s, named, where_threads_stand())

    @contextmanager
    def looking(self) -> Iterator[None]:
        """Look every second, in a thread of its own, for as long as this lasts."""
        over = threading.Event()

        def look() -> None:
            while not over.wait(LOOKS_S):
                self.look()

        thread = threading.Thread(target=look, name="watchdog", daemon=True)
        thread.start()
        try:
            yield
        finally:
            over.set()
            thread.join()


def where_threads_stand() -> str:
    """The stack of every thread, the innermost call last."""
    names = {thread.ident: thread.name for thread in threading.enumerate()}
    return "\n".join(
        f"Thread {names.get(ident, ident)}:\n{''.join(traceback.format_stack(frame))}"
        for ident, frame in sys._current_frames().items()
    )
