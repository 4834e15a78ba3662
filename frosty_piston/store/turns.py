"""Turns: who came first goes first."""

from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager
from threading import Event, Lock

from frosty_piston.core.errors import Busy


class Turns:
    """A lock that is handed on in the order in which it was asked for."""

    def __init__(self) -> None:
        self._lock, self._taken, self._waiting = Lock(), False, deque[Event]()

    @contextmanager
    def turn(self, most_s: float, says: str) -> Iterator[None]:
        """Wait for the turn and hold it. Raises Busy, with what it says, past a bound.

        >>> with Turns().turn(1.0, "too many"):
        ...     print("mine")
        mine
        """
        mine = Event()
        with self._lock:
            if self._taken:
                self._waiting.append(mine)
            else:
                self._taken = True
                mine.set()
        if not mine.wait(most_s):
            with self._lock:
                if not mine.is_set():
                    self._waiting.remove(mine)
                    raise Busy(says)
        try:
            yield
        finally:
            with self._lock:
                if self._waiting:
                    self._waiting.popleft().set()
                else:
                    self._taken = False
