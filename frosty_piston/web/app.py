"""The application: routes, headers, and the one place where errors become pages or JSON."""

import json
import logging
import time
from collections.abc import AsyncIterator, MutableMapping
from contextlib import asynccontextmanager
from pathlib import Path
from threading import Thread
from typing import Any
from urllib.parse import urlsplit
from uuid import uuid4

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException
from starlette.middleware.trustedhost import TrustedHostMiddleware

from frosty_piston import __version__
from frosty_piston.core.errors import BadInput, Busy, Conflict, FrostyPistonError, NotHere
from frosty_piston.formats.outside import Readers
from frosty_piston.store.workshop import Workshop

from . import (
    api,
    arrive,
    decide,
    did,
    fit,
    measure,
    narrow,
    plan,
    prove,
    report,
    search,
    shelf,
    tape,
    traces,
    why,
    yard,
)
from .page import render

HERE = Path(__file__).parent
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

STATUS = {NotHere: 404, Conflict: 409, Busy: 503}


class Guard:
    """Gives every answer its headers and id, refuses posts from other sites, writes one line per request."""

    def __init__(self, app: Any):
        self.app = app

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        started, status = time.perf_counter(), 500
        request_id = uuid4().hex[:12]
        scope.setdefault("state", {})["request_id"] = request_id
        headers = dict(scope["headers"])

        async def sending(message: MutableMapping[str, Any]) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                extra = [*HEADERS, (b"x-request-id", request_id.encode())]
                if not scope["path"].startswith("/static/"):
                    extra.append((b"cache-control", b"no-store"))
                message = {**message, "headers": [*message.get("headers", []), *extra]}
            await send(message)

        origin = headers.get(b"origin")
        if (
            scope["method"] not in ("GET", "HEAD")
            and origin
            and _host_of(origin) != headers.get(b"host", b"").decode("latin-1")
        ):
            await HTMLResponse("This page was sent from another site and is refused.", 403)(
                scope, receive, sending
            )
        else:
            await self.app(scope, receive, sending)
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


def _host_of(origin: bytes) -> str | None:
    """The host that an origin names; None when it is no address at all."""
    try:
        return urlsplit(origin.decode("latin-1")).netloc
    except ValueError:
        return None


@asynccontextmanager
async def _with_readers(app: FastAPI) -> AsyncIterator[None]:
    """The readers of files are warm soon after the start and end with the application."""
    warming = Thread(target=app.state.readers.warm, daemon=True)
    warming.start()
    yield
    warming.join()
    app.state.readers.end()


def create_app(workshop: Workshop) -> FastAPI:
    """Make the application for one workshop."""
    app = FastAPI(
        lifespan=_with_readers,
        title="Frosty Piston",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/v1/openapi.json",
    )
    app.state.workshop = workshop
    app.state.readers = Readers()
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=["127.0.0.1", "localhost", "testserver"])
    app.add_middleware(Guard)
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    for screen in (
        yard,
        arrive,
        narrow,
        why,
        plan,
        traces,
        measure,
        decide,
        fit,
        did,
        prove,
        report,
        tape,
        shelf,
        search,
        api,
    ):
        app.include_router(screen.router)
    app.add_exception_handler(FrostyPistonError, _refused)
    app.add_exception_handler(HTTPException, _http)
    app.add_exception_handler(RequestValidationError, _bad_address)
    app.add_exception_handler(Exception, _broken)
    return app


def _answer(request: Request, status: int, says: str, faults: list[dict[str, str]] | None = None) -> Response:
    if request.url.path.startswith("/api/"):
        return JSONResponse({"error": says, "faults": faults or []}, status)
    return render(
        request,
        "refused.html",
        status,
        code=status,
        says=says,
        faults=faults or [],
        request_id=request.state.request_id,
    )


async def _refused(request: Request, error: Exception) -> Response:
    if isinstance(error, BadInput):
        faults = [{"path": f.path, "says": f.says} for f in error.faults]
        return _answer(
            request,
            422,
            str(error) if len(faults) == 1 else f"{len(faults)} faults; nothing was kept.",
            faults,
        )
    status = next((code for kind, code in STATUS.items() if isinstance(error, kind)), 500)
    answer = _answer(request, status, str(error))
    if status == 503:
        answer.headers["Retry-After"] = "5"
    return answer


async def _http(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    says = {
        404: "There is no such page.",
        405: "That cannot be done here.",
        413: "That is larger than what is taken here.",
    }.get(error.status_code, str(error.detail))
    return _answer(request, error.status_code, says)


async def _bad_address(request: Request, error: Exception) -> Response:
    return _answer(request, 422, "The address holds something that cannot be used.")


async def _broken(request: Request, error: Exception) -> Response:
    log.error("request %s failed", getattr(request.state, "request_id", "?"), exc_info=error)
    return _answer(
        request,
        500,
        "Something went wrong here. Nothing was lost that was on the tape. Request"
        f" {getattr(request.state, 'request_id', '?')}.",
    )
