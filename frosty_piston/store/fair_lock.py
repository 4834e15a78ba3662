"""Locks that are handed on in the order in which they were asked for."""

from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager
from threading import Event, Lock
from weakref import WeakValueDictionary

from frosty_piston.core.errors import Busy


class FairLock:
    """A lock that whoever came first gets first. It is not reentrant."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._taken = False
        self._waiting = deque[Event]()

    @contextmanager
    def hold(self, timeout_s: float, says: str, most_waiting: int | None = None) -> Iterator[None]:
        """Wait for the lock and hold it. Raises Busy, with what it says, after the timeout, and at once where
        as many wait already as may.

        >>> with FairLock().hold(1.0, "too many"):
        ...     print("mine")
        mine
        """
        mine = Event()
        with self._lock:
            if not self._taken:
                self._taken = True
                mine.set()
            elif most_waiting is not None and len(self._waiting) >= most_waiting:
                raise Busy(says)
            else:
                self._waiting.append(mine)
        if not mine.wait(timeout_s):
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


class NamedLocks:
    """A fair lock for each name, for as long as somebody holds or waits for it."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._locks: WeakValueDictionary[str, FairLock] = WeakValueDictionary()

    def of(self, name: str) -> FairLock:
        """
        >>> locks = NamedLocks()
        >>> one = locks.of("job 1")
        >>> locks.of("job 1") is one, locks.of("job 2") is one
        (True, False)
        """
        with self._lock:
            found = self._locks.get(name)
            if found is None:
                found = self._locks[name] = FairLock()
            return found
