"""Threads apart for slow work, so that pages never wait for it: each kind has a few, and a bounded queue."""

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from threading import BoundedSemaphore
from typing import Any, TypeVar

from frosty_piston.core.errors import Busy

A = TypeVar("A")
PAGE_THREADS = 100  # for everything else; most of them only wait for a write


class Pool:
    """A few threads for one kind of work. What it says is what somebody reads who finds the queue full."""

    def __init__(self, name: str, threads: int, most_waiting: int, says: str):
        self.says = says
        self._executor = ThreadPoolExecutor(threads, name)
        self._places = BoundedSemaphore(threads + most_waiting)

    async def run(self, work: Callable[..., A], *given: Any) -> A:
        """Do the work in a thread of this pool. Raises Busy at once when its queue is full."""
        if not self._places.acquire(blocking=False):
            raise Busy(self.says)
        future = self._executor.submit(work, *given)
        future.add_done_callback(lambda _: self._places.release())
        return await asyncio.wrap_future(future)

    def end(self) -> None:
        """Take no more work, and forget what waits."""
        self._executor.shutdown(wait=False, cancel_futures=True)


class Pools:
    """The pools of one application."""

    def __init__(self) -> None:
        self.uploads = Pool(
            "upload",
            threads=3,
            most_waiting=60,
            says="Too many files are coming in just now. Yours was not saved: send it again in a minute.",
        )
        self.imports = Pool(
            "import",
            threads=1,
            most_waiting=20,
            says="Too many jobs are being imported just now. Yours was not saved: send it again in a minute.",
        )
        self.sign_ins = Pool(
            "sign-in",
            threads=2,
            most_waiting=8,
            says="Too many are signing in just now. Try again in a few seconds.",
        )

    def end(self) -> None:
        for pool in (self.uploads, self.imports, self.sign_ins):
            pool.end()
