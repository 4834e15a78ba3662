"""A server killed with writes in flight: what was acknowledged is there, once, and the chain holds."""

import json
import os
import signal
import subprocess
import sys
import tempfile
import threading
import unittest
import urllib.error
import urllib.request
from pathlib import Path
from uuid import uuid4

from frosty_piston.store.backup import check
from tests.cases import entry, job_file, symptom

ROOT = Path(__file__).parents[2]
ROUNDS = int(os.environ.get("PISTON_KILLS", "8"))
WRITERS = 4


def asked(address, path, data):
    body = json.dumps(data).encode()
    request = urllib.request.Request(address + path, body, {"Content-Type": "application/json"})
    with urllib.request.urlopen(request, timeout=30) as answer:
        return answer.status


class Killed(unittest.TestCase):
    def start(self, folder):
        command = [sys.executable, "-m", "frosty_piston", "serve", "--port", "0", "--data", folder]
        server = subprocess.Popen(
            command,
            cwd=ROOT,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env={**os.environ, "PYTHONUNBUFFERED": "1"},
        )
        self.addCleanup(server.stdout.close)
        self.addCleanup(server.wait)
        self.addCleanup(server.kill)
        return server, server.stdout.readline().decode().split()[-1]

    def written(self, address, enough):
        """Write on one job from several sides until the server is gone; what it acknowledged."""
        acknowledged, lock = set(), threading.Lock()

        def writing():
            try:
                while True:
                    one = str(uuid4())
                    status = asked(
                        address, "/api/v1/jobs/case/entries", {"id": one, **entry("note", text=one)}
                    )
                    with lock:
                        acknowledged.add(one) if status == 201 else None
                        if len(acknowledged) >= 5 * WRITERS:
                            enough.set()
            except (urllib.error.URLError, ConnectionError, TimeoutError, OSError):
                return

        writers = [threading.Thread(target=writing) for _ in range(WRITERS)]
        for writer in writers:
            writer.start()
        return acknowledged, writers

    def test_nothing_acknowledged_is_lost_and_nothing_is_there_twice(self):
        promised, folder = set(), self.enterContext(tempfile.TemporaryDirectory())
        for number in range(ROUNDS):
            server, address = self.start(folder)
            if number == 0:
                asked(address, "/api/v1/jobs", job_file(symptom("no_start")))
            with urllib.request.urlopen(address + "/api/v1/jobs/case") as answer:
                tape = [x["id"] for x in json.load(answer)["entries"]]
            self.assertEqual(len(tape), len(set(tape)))
            self.assertLessEqual(promised, set(tape), f"lost after kill {number}")
            enough = threading.Event()
            acknowledged, writers = self.written(address, enough)
            self.assertTrue(enough.wait(60))
            server.send_signal(signal.SIGKILL)
            for writer in writers:
                writer.join(40)
            promised |= acknowledged
        found = check(Path(folder) / "workshop.db")
        self.assertEqual(found.faults, [])
        self.assertGreaterEqual(found.entries, len(promised) + 1)
        print(f"kills: {ROUNDS}, acknowledged {len(promised)}, lost 0, twice 0", file=sys.stderr)


if __name__ == "__main__":
    unittest.main()
