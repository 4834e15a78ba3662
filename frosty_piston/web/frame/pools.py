"""Threads apart for slow work, so that pages never wait for it: each kind has a few, and a bounded queue."""

import asyncio
import os
from collections.abc import AsyncIterator, Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import asynccontextmanager, suppress
from functools import partial
from threading import BoundedSemaphore, get_native_id
from typing import Any, TypeVar

import anyio

from frosty_piston.core.errors import Busy

A = TypeVar("A")
NICENESS = 10
MOST_BODIES = 200
UPLOADS_READ = 2  # bodies that come in at once; the others wait on the line
PAGE_THREADS = 100  # for everything else; most of them only wait for a write


def behind_others(niceness: int) -> None:
    """Let this thread have a processor when the others leave one, where the system can."""
    with suppress(AttributeError, OSError):
        if niceness:
            os.setpriority(os.PRIO_PROCESS, get_native_id(), niceness)


class Pool:
    """A few threads for one kind of work. What it says is what somebody reads who finds the queue full."""

    def __init__(self, name: str, threads: int, most_waiting: int, says: str, niceness: int = 0):
        self.says = says
        self._executor = ThreadPoolExecutor(threads, name, initializer=partial(behind_others, niceness))
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
        self._bodies = anyio.Semaphore(UPLOADS_READ)
        self._waiting_bodies = 0
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
        # The hash of a passphrase is worked out behind everybody's pages; what stands around it has threads
        # of its own too, so that a thousand strangers are two among the threads at work.
        signing_in = "Too many are signing in just now. Try again in a few seconds."
        self.sign_ins = Pool("sign-in", threads=2, most_waiting=8, says=signing_in, niceness=NICENESS)
        self.entrance = Pool("entrance", threads=2, most_waiting=400, says=signing_in)

    @asynccontextmanager
    async def body(self) -> AsyncIterator[None]:
        """While the body of an upload comes in: reading many at once would leave no time for small requests.
        Raises Busy at once when too many wait."""
        if self._waiting_bodies >= MOST_BODIES:
            raise Busy(self.uploads.says)
        self._waiting_bodies += 1
        try:
            async with self._bodies:
                yield
        finally:
            self._waiting_bodies -= 1

    def end(self) -> None:
        for pool in (self.uploads, self.imports, self.sign_ins, self.entrance):
            pool.end()
