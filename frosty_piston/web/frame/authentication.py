"""The gate in front of a workshop that others can reach: who it is, and what they may do."""

import hmac
import time
from collections import OrderedDict, deque
from collections.abc import Callable
from http.cookies import SimpleCookie
from threading import Lock
from typing import Any
from urllib.parse import quote

from fastapi import Request
from starlette.concurrency import run_in_threadpool
from starlette.responses import RedirectResponse, Response

from frosty_piston.core.errors import NotAllowed
from frosty_piston.store.people import Person
from frosty_piston.store.rights import may, right_for
from frosty_piston.store.workshop import Workshop

from .dependencies import posted
from .page import refused
from .signed_in import person_of

COOKIE = "piston_session"
OPEN = ("/enter", "/alive", "/worker.js")
CALENDAR = "/day/feed/"  # its address holds its own secret
FREE_TRIES = 5  # for one name from one address
FIRST_WAIT_S = 5.0
LONGEST_WAIT_S = 900.0
# for one name from wherever
MOST_PER_HOUR = 50
HOUR_S = 3600.0
MOST_NAMES = 5000  # that are remembered
SAFE = ("GET", "HEAD")


class Tries:
    """Tries of a passphrase. A try counts as wrong from when it begins until it turns out to be right.

    After a few wrong ones for a name from one address, each further one from there has to wait twice as long;
    so nobody can lock another out. After many for a name within an hour, from wherever, that name waits
    everywhere but where it is signed in already.
    """

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._wrong: OrderedDict[tuple[str, str], tuple[int, float]] = OrderedDict()
        self._of_name: OrderedDict[str, deque[float]] = OrderedDict()
        self._lock = Lock()

    def begin(self, name: str, address: str, signed_in_there: bool = False) -> float:
        """Count a try, and return 0; or return how many seconds it has to wait, and count nothing."""
        name = _plain(name)
        at = self._clock()
        with self._lock:
            times, last = self._wrong.get((name, address), (0, 0.0))
            wait_s = last + _wait_s(times) - at
            if not signed_in_there:
                wait_s = max(wait_s, self._name_waits_s(name, at))
            if wait_s > 0:
                return wait_s
            self._wrong[(name, address)] = (times + 1, at)
            self._wrong.move_to_end((name, address))
            self._of_name.setdefault(name, deque()).append(at)
            self._of_name.move_to_end(name)
            for kept in (self._wrong, self._of_name):
                while len(kept) > MOST_NAMES:
                    kept.popitem(last=False)
            return 0.0

    def _name_waits_s(self, name: str, at: float) -> float:
        """How long a name waits from wherever, by its wrong tries of the last hour."""
        tries = self._of_name.get(name, deque[float]())
        while tries and tries[0] < at - HOUR_S:
            tries.popleft()
        return tries[-MOST_PER_HOUR] + HOUR_S - at if len(tries) >= MOST_PER_HOUR else 0.0

    def right(self, name: str, address: str) -> None:
        """Give back a try that was right, and forget the wrong ones from there."""
        name = _plain(name)
        with self._lock:
            times, _ = self._wrong.pop((name, address), (0, 0.0))
            tries = self._of_name.get(name, deque[float]())
            for _ in range(min(times, len(tries))):
                tries.pop()

    def not_tried(self, name: str, address: str) -> None:
        """Give back a try that was not looked at."""
        name = _plain(name)
        with self._lock:
            times, last = self._wrong.get((name, address), (0, 0.0))
            if times > 1:
                self._wrong[(name, address)] = (times - 1, last)
            else:
                self._wrong.pop((name, address), None)
            if tries := self._of_name.get(name):
                tries.pop()


def _plain(name: str) -> str:
    return name.strip().casefold()[:80]


def _wait_s(times: int) -> float:
    if times < FREE_TRIES:
        return 0.0
    return min(LONGEST_WAIT_S, FIRST_WAIT_S * 2.0 ** min(20, times - FREE_TRIES))


class Authentication:
    """Lets nobody in who did not sign in, and nobody do what their right does not hold."""

    def __init__(self, app: Any, workshop: Workshop):
        self.app = app
        self.people = workshop.people

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        if (
            scope["type"] != "http"
            or scope["path"].startswith(("/static/", CALENDAR))
            or scope["path"] in OPEN
        ):
            await self.app(scope, receive, send)
            return
        request = Request(scope, receive)
        person = await run_in_threadpool(self._who, request)
        if person is None:
            answer = await run_in_threadpool(_ask_in, request)
            await answer(scope, receive, send)
            return
        needed = right_for(scope["method"], scope["path"])
        if not may(person.right, needed):
            says = f"This takes the right to {needed}; yours is to {person.right}."
            answer = await run_in_threadpool(_no, request, 403, says)
            await answer(scope, receive, send)
            return
        scope["state"]["person"] = person
        await self.app(scope, receive, send)

    def _who(self, request: Request) -> Person | None:
        scheme, _, token = request.headers.get("authorization", "").partition(" ")
        if scheme:
            return self.people.of_program(token.strip()) if scheme.lower() == "bearer" else None
        secret = secret_of(request)
        return self.people.of_session(secret) if secret else None


def secret_of(request: Request) -> str:
    """The secret of a session, from its cookie."""
    cookies = SimpleCookie()
    try:
        cookies.load(request.headers.get("cookie", ""))
    except Exception:  # a cookie that cannot be read is none
        return ""
    return cookies[COOKIE].value if COOKIE in cookies else ""


def _ask_in(request: Request) -> Response:
    page = request.method in SAFE and not request.url.path.startswith("/api/")
    if page and "hx-request" not in request.headers:
        back = request.url.path + (f"?{request.url.query}" if request.url.query else "")
        return RedirectResponse(f"/enter?back={quote(back, safe='')}", 303)
    return _no(request, 401, "Sign in first: nothing was written.")


def _no(request: Request, status: int, says: str) -> Response:
    ways = [("/enter", "Sign in")] if status == 401 else [("/", "To the yard")]
    answer = refused(request, status, says, ways)
    if status == 401:
        answer.headers["WWW-Authenticate"] = "Bearer"
    return answer


async def sealed(request: Request) -> None:
    """A form of somebody who signed in carries the seal of the session, in a field or in a header: no other
    site knows it. Raises NotAllowed."""
    person = person_of(request)
    if person is None or not person.seal or request.method in SAFE:
        return
    given = request.headers.get("x-seal", "")
    kind = request.headers.get("content-type", "")
    if not given and kind.startswith(("application/x-www-form-urlencoded", "multipart/form-data")):
        given = str((await posted(request)).get("seal") or "")
    if not hmac.compare_digest(given.encode(), person.seal.encode()):
        raise NotAllowed("This form is of another session: load the page again, and send it from there.")
