"""The application: routes, headers, and the one place where errors become pages or JSON."""

import errno
import json
import logging
import mimetypes
import time
from collections.abc import AsyncIterator, MutableMapping
from contextlib import asynccontextmanager, suppress
from functools import partial
from pathlib import Path
from threading import Thread
from typing import Any
from urllib.parse import urlsplit
from uuid import uuid4

from anyio import to_thread
from fastapi import Depends, FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.requests import ClientDisconnect

from frosty_piston import __version__
from frosty_piston.core.errors import BadInput, FrostyPistonError
from frosty_piston.formats.child_process import BUNDLES, LONG_JOBS, PAPERS, PICTURES, RECORDINGS, Readers
from frosty_piston.job.day import solver
from frosty_piston.store.exercises import is_training
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.job import (
    arrive,
    circuit,
    decide,
    did,
    fit,
    measure,
    narrow,
    papers,
    pictures,
    plan,
    prove,
    report,
    resets,
    shift,
    tape,
    traces,
    trim,
    why,
)
from frosty_piston.web.pocket import calculators
from frosty_piston.web.workshop import (
    alarms,
    day,
    history,
    orders,
    own_odds,
    people,
    search,
    shelf,
    training,
    yard,
)

from . import api, api_pages
from .api_schema import describe
from .authentication import Authentication, Tries, sealed
from .page import refused, status_of
from .pools import PAGE_THREADS, Pools
from .watchdog import Watchdog

HERE = Path(__file__).parents[1]
log = logging.getLogger("frosty_piston.web")
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self';"
    " connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)
HEADERS = [
    (b"content-security-policy", POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"same-origin"),
    (b"x-frame-options", b"DENY"),
]


STRICT_TRANSPORT = (b"strict-transport-security", b"max-age=31536000")
FOR_GOOD = b"public, max-age=31536000, immutable"  # their addresses change with what is in them
HOSTS = ["127.0.0.1", "localhost", "testserver"]
BROKEN = "Something went wrong here. Everything already saved is safe."
FULL = "The disk of this machine is full. Nothing more can be saved until there is room on it."


class Guard:
    """Gives every answer its headers and id, refuses posts from other sites, writes one line per request."""

    def __init__(self, app: Any, watchdog: Watchdog, headers: list[tuple[bytes, bytes]]):
        self.app = app
        self.watchdog = watchdog
        self.headers = headers

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        started = time.perf_counter()
        status = 500
        request_id = uuid4().hex[:12]
        scope.setdefault("state", {})["request_id"] = request_id
        headers = dict(scope["headers"])
        pending = self.watchdog.begins(request_id, f"{scope['method']} {scope['path'][:120]}")

        async def receiving() -> MutableMapping[str, Any]:
            message: MutableMapping[str, Any] = await receive()
            self.watchdog.goes_on(pending)
            return message

        async def sending(message: MutableMapping[str, Any]) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                self.watchdog.answers(pending)
                status = message["status"]
                extra = [*self.headers, (b"x-request-id", request_id.encode())]
                still = scope["path"].startswith(("/static/", "/pictures/")) and status == 200
                extra.append((b"cache-control", FOR_GOOD if still else b"no-store"))
                message = {**message, "headers": [*message.get("headers", []), *extra]}
            await send(message)

        if scope["method"] not in ("GET", "HEAD") and _from_elsewhere(headers):
            await HTMLResponse("This page was sent from another site and is refused.", 403)(
                scope, receive, sending
            )
        else:
            try:
                await self._answered(scope, receiving, sending)
            finally:
                self.watchdog.answers(pending)
        if not scope["path"].startswith("/static/"):
            log.info(
                json.dumps(
                    {
                        "id": request_id,
                        "method": scope["method"],
                        "path": scope["path"][:120],
                        "status": status,
                        "ms": round((time.perf_counter() - started) * 1000, 1),
                    }
                )
            )

    async def _answered(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        """The answer of the application; what breaks in it is answered here, with the headers of the rest."""
        begun = False

        async def sending(message: MutableMapping[str, Any]) -> None:
            nonlocal begun
            begun = True
            await send(message)

        try:
            await self.app(scope, receive, sending)
        except ClientDisconnect:
            return
        except Exception as error:
            answer = await run_in_threadpool(_broken, Request(scope, receive), error)
            if not begun:
                await answer(scope, receive, send)


def _from_elsewhere(headers: dict[bytes, bytes]) -> bool:
    """Whether another site sends this, by what the browser says of it."""
    origin = headers.get(b"origin")
    if origin and _host_of(origin) != headers.get(b"host", b"").decode("latin-1"):
        return True
    return headers.get(b"sec-fetch-site", b"same-origin") not in (b"same-origin", b"none")


def _host_of(origin: bytes) -> str | None:
    """The host that an origin names; None when it is no address at all."""
    try:
        return urlsplit(origin.decode("latin-1")).netloc
    except ValueError:
        return None


@asynccontextmanager
async def _with_readers(app: FastAPI) -> AsyncIterator[None]:
    """The readers of files and the solver of the day are warm soon after the start; the readers end with the
    application."""
    warming = [Thread(target=warm, daemon=True) for warm in (app.state.readers.warm, solver.warm)]
    for thread in warming:
        thread.start()
    # Many of these threads only wait for their turn to write: pages must find one all the same.
    to_thread.current_default_thread_limiter().total_tokens = PAGE_THREADS
    with app.state.watchdog.looking():
        yield
    for thread in warming:
        thread.join()
    app.state.pools.end()
    for name in ("readers", "pictures", "papers", "bundles", "long_jobs"):
        getattr(app.state, name).end()


def create_app(workshop: Workshop, signing_in: bool = False, strict_transport: bool = False) -> FastAPI:
    """Make the application for one workshop. `signing_in`: whether people sign in, as they must where other
    machines reach it. `strict_transport`: whether browsers are told to come encrypted only, from now on; not
    with a certificate that they do not trust, which nobody could then pass over."""
    app = FastAPI(
        dependencies=[Depends(sealed)] if signing_in else [],
        lifespan=_with_readers,
        title="Frosty Piston",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/v1/openapi.json",
    )
    app.state.workshop = workshop
    app.add_middleware(GZipMiddleware, minimum_size=800, compresslevel=5)
    app.state.watchdog = Watchdog()
    app.state.pools = Pools()
    app.state.tries = Tries()
    app.state.readers = Readers(RECORDINGS)
    app.state.pictures = Readers(PICTURES)
    app.state.papers = Readers(PAPERS, 1)
    app.state.bundles = Readers(BUNDLES, 1)
    app.state.long_jobs = Readers(LONG_JOBS, 1)
    if signing_in:
        app.add_middleware(Authentication, workshop=workshop)
    else:
        app.add_middleware(TrustedHostMiddleware, allowed_hosts=HOSTS)
    headers = [*HEADERS, *([STRICT_TRANSPORT] if strict_transport else [])]
    app.add_middleware(Guard, watchdog=app.state.watchdog, headers=headers)
    mimetypes.init()  # reads its table from disk: now, and not while others wait
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    for screen in (
        yard,
        arrive,
        narrow,
        why,
        plan,
        circuit,
        trim,
        traces,
        measure,
        decide,
        fit,
        did,
        prove,
        report,
        resets,
        tape,
        history,
        own_odds,
        training,
        day,
        alarms,
        pictures,
        papers,
        orders,
        shelf,
        shift,
        calculators,
        search,
        people,
        api,
        api_pages,
    ):
        app.include_router(screen.router, include_in_schema=screen is api)
    app.openapi = partial(describe, app, signing_in)  # type: ignore[method-assign]
    app.add_exception_handler(FrostyPistonError, _refused)
    app.add_exception_handler(HTTPException, _http)
    app.add_exception_handler(RequestValidationError, _bad_address)
    return app


def _answer(request: Request, status: int, says: str, faults: list[dict[str, str]] | None = None) -> Response:
    return refused(request, status, says, _ways(request), faults)


def _ways(request: Request) -> list[tuple[str, str]]:
    """Where to go from a page that is not there: the job it would belong to, what is like it, the yard."""
    parts = [part for part in request.url.path.split("/") if part]
    ways = []
    if parts[:1] == ["jobs"] and len(parts) > 1:
        workshop: Workshop = request.app.state.workshop
        if is_training(parts[1]):
            ways.append((f"/training/{parts[1]}", "Back to the vehicle"))
        with suppress(FrostyPistonError):
            ways.append((f"/jobs/{parts[1]}/narrow", f"Back to {workshop.tapes.job(parts[1]).job.title}"))
        if parts[2:3] == ["why"] and len(parts) > 3 and parts[3] in workshop.knowledge.faults:
            title = workshop.knowledge.faults[parts[3]].title
            ways.append((f"/shelf/faults/{parts[3]}", f"{title}, on the Shelf"))
    return [*ways, ("/search", "Search"), ("/", "To the yard")]


def _refused(request: Request, error: Exception) -> Response:
    if isinstance(error, BadInput):
        faults = [{"path": f.path, "says": f.says} for f in error.faults]
        return _answer(
            request,
            422,
            str(error) if len(faults) == 1 else f"{len(faults)} faults; nothing was kept.",
            faults,
        )
    status = status_of(error)
    answer = _answer(request, status, str(error))
    if status == 503:
        answer.headers["Retry-After"] = "5"
    return answer


def _http(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    says = {
        404: "There is no such page.",
        405: "That cannot be done here.",
        411: "Say how long it is: the length is missing.",
        413: "That is larger than what is taken here.",
    }.get(error.status_code, str(error.detail))
    return _answer(request, error.status_code, says)


def _bad_address(request: Request, error: Exception) -> Response:
    return _answer(request, 422, "The address holds something that cannot be used.")


def _broken(request: Request, error: Exception) -> Response:
    log.error("request %s failed", request.state.request_id, exc_info=error)
    if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
        return _answer(request, 507, f"{FULL} Request {request.state.request_id}.")
    return _answer(request, 500, f"{BROKEN} Request {request.state.request_id}.")
