"""Serves a workshop on this machine, with the demo data where asked."""

import gc
import logging
import socket
from contextlib import suppress
from pathlib import Path

import uvicorn

from frosty_piston.core.errors import CannotStart
from frosty_piston.demo import fill_demo, half_made
from frosty_piston.store.workshop import never, open_workshop

from .app import create_app


def free_port(port: int) -> socket.socket:
    """Take the port, or say in one sentence that it is busy."""
    if not 0 <= port <= 65535:
        raise CannotStart(f"Port {port} does not exist; choose one from 1024 to 65535.")
    taken = socket.socket(
        socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP
    )  # with proto 0 asyncio leaves Nagle on: 40 ms a page
    taken.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        taken.bind(("127.0.0.1", port))
        taken.listen(128)
    except OSError as error:
        taken.close()
        raise CannotStart(
            f"Port {port} is busy or not allowed ({error.strerror}); choose another with --port."
        ) from None
    return taken


def serve(folder: Path, port: int, demo: bool = False, reset: bool = False) -> int:
    """Serve until Ctrl-C. The port is taken first, so that a busy one costs nothing."""
    taken = free_port(port)
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    for chatty in ("alembic", "numexpr"):
        logging.getLogger(chatty).setLevel(logging.WARNING)
    with open_workshop(folder, None, demo and reset, half_made if demo else never) as workshop:
        if demo:
            fill_demo(workshop)
        print(f"Frosty Piston is at http://127.0.0.1:{taken.getsockname()[1]}", flush=True)
        config = uvicorn.Config(
            create_app(workshop), log_level="warning", access_log=False, timeout_graceful_shutdown=2
        )
        gc.freeze()  # what stays for good is never looked through again while a page is made
        with suppress(KeyboardInterrupt):
            uvicorn.Server(config).run(sockets=[taken])
    return 0
