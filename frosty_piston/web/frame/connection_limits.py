"""How long a connection may say nothing, and how many there may be."""

import asyncio
import resource
from typing import Any

from uvicorn.protocols.http.h11_impl import H11Protocol

SILENCE_S = 10.0
SPARE_FILES = 150
MOST_CONNECTIONS = 4000


class TimedProtocol(H11Protocol):
    """Closes a connection that owes the rest of a request, or its first one, and says nothing for a while;
    and one whose head does not come to its end. Nobody is cut off while the application works on the
    answer."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._silence: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._wait()

    def data_received(self, data: bytes) -> None:
        owed = self._owes_head()
        super().data_received(data)
        if not (owed and self._owes_head()):  # a head that drips in does not begin its time anew
            self._wait()

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop()
        super().connection_lost(exc)

    def _owes_head(self) -> bool:
        return self.cycle is None or self.cycle.response_complete

    def _owes(self) -> bool:
        return self._owes_head() or self.cycle.more_body

    def _wait(self) -> None:
        self._stop()
        if self.transport is not None and not self.transport.is_closing() and self._owes():
            self._silence = self.loop.call_later(SILENCE_S, self._close)

    def _stop(self) -> None:
        if self._silence is not None:
            self._silence.cancel()
            self._silence = None

    def _close(self) -> None:
        if self._owes_head() or not self.flow.read_paused:
            self.transport.close()
        else:  # it is the application that takes its time with what came
            self._wait()


def most_connections() -> int:
    """How many connections this process can hold with files to spare for its work: as many as it is allowed
    to open. One more is answered that there are too many."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = MOST_CONNECTIONS + SPARE_FILES
    if soft < wanted:
        soft = wanted if hard == resource.RLIM_INFINITY else min(wanted, hard)
        resource.setrlimit(resource.RLIMIT_NOFILE, (soft, hard))
    return max(20, min(MOST_CONNECTIONS, soft - SPARE_FILES))
