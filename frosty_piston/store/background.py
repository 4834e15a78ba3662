"""Work that nobody waits for, done one piece after the other in a thread of its own."""

import logging
import time
from collections.abc import Callable, Mapping
from threading import Condition, Thread

from frosty_piston.core.errors import FrostyPistonError

Work = Callable[[], None]
SHARE_OF_TIME = 0.25  # of one core, so that pages keep theirs
LONGEST_REST_S = 2.0
log = logging.getLogger("frosty_piston.store")


class Background:
    """A queue of work. The thread begins with the first piece and ends with `close`."""

    def __init__(self, name: str):
        self.name = name
        self._todo: dict[str, Work] = {}
        self._changed = Condition()
        self._busy = False
        self._closed = False
        self._thread: Thread | None = None

    def do(self, pieces: Mapping[str, Work]) -> None:
        """Put work into the queue by name; what waits there under its name is not done twice."""
        with self._changed:
            self._todo.update(pieces)
            if self._todo and self._thread is None and not self._closed:
                self._thread = Thread(target=self._run, name=self.name, daemon=True)
                self._thread.start()
            self._changed.notify_all()

    def settle(self, timeout_s: float) -> bool:
        """Wait until everything is done; whether it is.

        >>> work = Background("example")
        >>> work.do({"say it": lambda: print("done")})
        >>> work.settle(5.0)
        done
        True
        >>> work.close()
        """
        with self._changed:
            return self._changed.wait_for(lambda: not self._todo and not self._busy, timeout_s)

    def close(self) -> None:
        """Leave what still waits undone, and wait for the piece that is being done."""
        with self._changed:
            self._closed = True
            self._todo.clear()
            self._changed.notify_all()
        if self._thread is not None:
            self._thread.join()

    def _run(self) -> None:
        while True:
            with self._changed:
                self._changed.wait_for(lambda: self._todo or self._closed)
                if self._closed:
                    return
                piece = self._todo.pop(next(iter(self._todo)))
                self._busy = True
            began = time.monotonic()
            self._done(piece)
            took_s = time.monotonic() - began
            with self._changed:
                self._busy = False
                self._changed.notify_all()
                rest_s = min(LONGEST_REST_S, took_s * (1 / SHARE_OF_TIME - 1))
                self._changed.wait_for(lambda: self._closed, rest_s if self._todo else 0.0)

    def _done(self, piece: Work) -> None:
        try:
            piece()
        except FrostyPistonError as error:
            log.warning("%s: %s", self.name, error)
        except Exception:
            log.exception("%s failed", self.name)
