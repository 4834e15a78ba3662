"""Connections that say nothing: closed after a while, and never in the way of others."""

import resource
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from unittest import mock

import uvicorn

from frosty_piston.web.frame import connection_limits
from tests.test_command_line import ROOT
from tests.web import test_api

SILENCE_S = 0.3
HEAD = (
    b"POST /look HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 9\r\nConnection: close\r\n"
    b"Content-Type: application/x-www-form-urlencoded\r\n\r\n"
)


class Silence(test_api.WithClient):
    def setUp(self):
        super().setUp()
        patched = mock.patch.object(connection_limits, "SILENCE_S", SILENCE_S)
        patched.start()
        self.addCleanup(patched.stop)
        taken = socket.create_server(("127.0.0.1", 0))
        self.address = taken.getsockname()
        app = self.client.app
        config = uvicorn.Config(app, http=connection_limits.TimedProtocol, log_level="error", lifespan="off")
        server = uvicorn.Server(config)
        running = threading.Thread(target=server.run, kwargs={"sockets": [taken]}, daemon=True)
        running.start()
        self.addCleanup(running.join, 10)
        self.addCleanup(setattr, server, "should_exit", True)

    def said(self, *parts):
        """What comes back when the parts are sent, half a silence apart, until the other side closes."""
        with socket.create_connection(self.address, timeout=20) as line:
            answer = b""
            for part in parts:
                try:
                    line.sendall(part)
                    line.settimeout(SILENCE_S / 2)
                    answer += line.recv(65536)
                except TimeoutError:
                    continue
                except OSError:
                    return answer
            line.settimeout(20)
            while more := line.recv(65536):
                answer += more
            return answer

    def test_one_that_never_speaks_stops_half_way_or_drips_is_closed(self):
        begun = time.monotonic()
        self.assertEqual(self.said(), b"")
        self.assertEqual(self.said(b"GET / HT"), b"")
        self.assertEqual(self.said(*(bytes([c]) for c in b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\n")), b"")
        self.assertNotIn(b"303", self.said(HEAD + b"look"))
        self.assertLess(time.monotonic() - begun, 15)

    def test_a_body_that_comes_slowly_is_waited_for(self):
        self.assertIn(b"=dusk", self.said(HEAD, *(bytes([c]) for c in b"look=dusk")))


class ManyLines(unittest.TestCase):
    def test_at_the_limit_of_files_it_says_why(self):
        few = "import resource, sys; resource.setrlimit(resource.RLIMIT_NOFILE, (260, 260))\n"
        serve = few + "from frosty_piston.cli import main; main(sys.argv[1:])"
        folder = self.enterContext(tempfile.TemporaryDirectory())
        order = [sys.executable, "-c", serve, "serve", "--port", "0", "--data", folder]
        server = subprocess.Popen(order, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        self.addCleanup(lambda: (server.kill(), server.wait(), server.stdout.close()))
        port = int(server.stdout.readline().decode().rsplit(":", 1)[1])
        silent = [socket.create_connection(("127.0.0.1", port), timeout=5) for _ in range(180)]
        try:
            with socket.create_connection(("127.0.0.1", port), timeout=30) as line:
                line.sendall(b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n")
                answer = line.recv(65536)
        finally:
            for line in silent:
                line.close()
        self.assertIn(b"503", answer)

    def test_it_takes_as_many_files_as_it_may(self):
        before = resource.getrlimit(resource.RLIMIT_NOFILE)
        self.addCleanup(resource.setrlimit, resource.RLIMIT_NOFILE, before)
        self.assertGreaterEqual(connection_limits.most_connections(), 20)
        self.assertGreaterEqual(resource.getrlimit(resource.RLIMIT_NOFILE)[0], before[0])


if __name__ == "__main__":
    unittest.main()
