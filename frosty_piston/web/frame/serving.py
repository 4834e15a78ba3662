"""Serves a workshop on this machine, with the demo data where asked."""

import gc
import logging
import socket
import sys
from asyncio import constants
from contextlib import suppress
from pathlib import Path

import uvicorn

from frosty_piston.core.errors import CannotStart
from frosty_piston.demo import fill_demo, half_made
from frosty_piston.store.daily import copied_daily
from frosty_piston.store.workshop import never, open_workshop

from .address import Address
from .app import create_app
from .connection_limits import SILENCE_S, TimedProtocol, most_connections

# A page gives the interpreter away at each look into the database, and waits this long to have it back from a
# thread that works something out: at the standard 5 ms a page beside an import takes three times as long.
SWITCH_S = 0.0005


def ready_to_serve() -> None:
    """Set the interpreter up for many short answers, once everything that stays is loaded."""
    sys.setswitchinterval(SWITCH_S)
    gc.freeze()  # what stays for good is never looked through again while a page is made
    gc.enable()


def free_port(port: int, host: str = "127.0.0.1") -> socket.socket:
    """Take the port, or say in one sentence that it is busy."""
    if not 0 <= port <= 65535:
        raise CannotStart(f"Port {port} does not exist; choose one from 1024 to 65535.")
    taken = socket.socket(
        socket.AF_INET6 if ":" in host else socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP
    )  # with proto 0 asyncio leaves Nagle on: 40 ms a page
    taken.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        taken.bind((host, port))
        taken.listen(128)
    except OSError as error:
        taken.close()
        raise CannotStart(
            f"Port {port} is busy or not allowed ({error.strerror}); choose another with --port."
        ) from None
    return taken


def serve(
    folder: Path,
    address: Address,
    *,
    demo: bool = False,
    reset: bool = False,
    log_level: str = "info",
    quiet: bool = False,
) -> int:
    """Serve until Ctrl-C. The port is taken first, so that a busy one costs nothing. `quiet`: no address is
    printed."""
    taken = free_port(address.port, address.host)
    logging.basicConfig(level=log_level.upper(), format="%(message)s")
    for chatty in ("alembic", "numexpr"):
        logging.getLogger(chatty).setLevel(logging.WARNING)
    with open_workshop(folder, None, demo and reset, half_made if demo else never) as workshop:
        if demo:
            fill_demo(workshop)
        scheme = "https" if address.cert else "http"
        port = taken.getsockname()[1]
        if not quiet:
            print(f"Frosty Piston is at {scheme}://{address.host}:{port}", flush=True)
        if address.open_to_others and not workshop.people.anybody():
            print(f"Nobody can sign in yet: ./piston passphrase YOUR-NAME --data {folder}", flush=True)
        config = uvicorn.Config(
            create_app(workshop, address.open_to_others, strict_transport=address.is_trusted),
            ssl_certfile=address.cert,
            ssl_keyfile=address.key,
            http=TimedProtocol,
            limit_concurrency=most_connections(),
            log_level="warning",
            access_log=False,
            timeout_graceful_shutdown=2,
        )
        constants.SSL_HANDSHAKE_TIMEOUT = SILENCE_S  # the server has no setting of its own for it
        ready_to_serve()
        with suppress(KeyboardInterrupt), copied_daily(folder):
            uvicorn.Server(config).run(sockets=[taken])
    return 0
