"""The gate in front of a workshop that others can reach: who it is, and what they may do."""

import hmac
import time
from collections import OrderedDict
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

COOKIE, OPEN = "piston_session", ("/enter", "/alive", "/worker.js")
CALENDAR = "/day/feed/"  # its address holds its own secret
FREE_TRIES, FIRST_WAIT_S, LONGEST_WAIT_S, MOST_NAMES = 5, 5.0, 900.0, 5000
SAFE = ("GET", "HEAD")


class Tries:
    """Wrong passphrases, by name and by address: after a few, each further one has to wait twice as long."""

    def __init__(self) -> None:
        self._wrong: OrderedDict[str, tuple[int, float]] = OrderedDict()
        self._lock = Lock()

    def wait_s(self, *keys: str) -> float:
        """How long until the next try is looked at."""
        with self._lock:
            return max((self._left(key) for key in keys), default=0.0)

    def _left(self, key: str) -> float:
        times, at = self._wrong.get(key, (0, 0.0))
        if times < FREE_TRIES:
            return 0.0
        wait = min(LONGEST_WAIT_S, FIRST_WAIT_S * 2.0 ** min(20, times - FREE_TRIES))
        return max(0.0, at + wait - time.monotonic())

    def wrong(self, *keys: str) -> None:
        with self._lock:
            for key in keys:
                self._wrong[key] = (self._wrong.get(key, (0, 0.0))[0] + 1, time.monotonic())
                self._wrong.move_to_end(key)
            while len(self._wrong) > MOST_NAMES:
                self._wrong.popitem(last=False)

    def right(self, *keys: str) -> None:
        with self._lock:
            for key in keys:
                self._wrong.pop(key, None)


class Gate:
    """Lets nobody in who did not sign in, and nobody do what their right does not hold."""

    def __init__(self, app: Any, workshop: Workshop):
        self.app, self.people = app, workshop.people

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
            await _ask_in(request)(scope, receive, send)
            return
        needed = right_for(scope["method"], scope["path"])
        if not may(person.right, needed):
            answer = _no(request, 403, f"This takes the right to {needed}; yours is to {person.right}.")
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
