"""A server killed with writes in flight: what was acknowledged is there, once, and the chain holds."""

import json
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import urllib.error
import urllib.request
from contextlib import closing
from pathlib import Path
from uuid import uuid4

from alembic import command
from alembic.config import Config

from frosty_piston.store.backup import back_up, check, restore
from frosty_piston.store.database import MIGRATIONS, open_database
from tests.cases import entry, job_file, symptom
from tests.made import demo_into

ROOT = Path(__file__).parents[2]
ROUNDS = int(os.environ.get("PISTON_KILLS", "5"))
LAYOUTS = int(os.environ.get("PISTON_LAYOUT_KILLS", "2"))
LAYOUT_SEED = int(os.environ.get("PISTON_SEED", "20261201"))
WRITERS = 4
COUNTED = ("jobs", "entries", "attachments", "traces", "vehicles", "settings")


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


class KilledHalfWay(unittest.TestCase):
    """A migration and a restore, each killed at any moment: nothing is lost, and it can be done again."""

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.drawn = random.Random(LAYOUT_SEED)

    def killed(self, code, *given):
        """Do something in a process of its own, and kill it somewhere on its way."""
        program = subprocess.Popen(
            [sys.executable, "-c", f"import sys\nprint('begins', flush=True)\n{code}", *map(str, given)],
            cwd=ROOT,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )
        with program.stdout:
            program.stdout.readline()
            try:
                program.wait(self.drawn.uniform(0.0, self.takes_s))
            except subprocess.TimeoutExpired:
                program.kill()
        program.wait()
        return program.returncode == -signal.SIGKILL

    def timed(self, code, *given):
        begun = time.monotonic()
        subprocess.run([sys.executable, "-c", f"import sys\n{code}", *map(str, given)], cwd=ROOT, check=True)
        self.takes_s = time.monotonic() - begun

    def content(self, database):
        with closing(sqlite3.connect(database)) as there:
            counts = {t: there.execute(f"SELECT count(*) FROM {t}").fetchone()[0] for t in COUNTED}
            raws = there.execute("SELECT job_id, raw FROM entries ORDER BY seq").fetchall()
        return counts, raws

    def test_a_migration(self):
        old = demo_into(self.folder / "old")
        engine = open_database(old)
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with engine.execution_options(writing=True).begin() as connection:
            config.attributes["connection"] = connection
            command.downgrade(config, "0011")
        engine.dispose()
        wanted, kills = self.content(old / "workshop.db"), 0
        migrate = "from frosty_piston.store.database import open_database as o; from pathlib import Path"
        migrate += "\no(Path(sys.argv[1])).dispose()"
        shutil.copytree(old, self.folder / "timed")
        self.timed(migrate, self.folder / "timed")
        for number in range(LAYOUTS):
            here = Path(shutil.copytree(old, self.folder / f"m{number}"))
            kills += self.killed(migrate, here)
            self.assertEqual(check(here / "workshop.db", older=True).faults, [])
            self.assertEqual(self.content(here / "workshop.db"), wanted)
            open_database(here).dispose()
            self.assertEqual(check(here / "workshop.db").faults, [])
            self.assertEqual(self.content(here / "workshop.db"), wanted)
            shutil.rmtree(here)
        print(f"migrations: {LAYOUTS}, {kills} killed, nothing lost", file=sys.stderr)

    def test_a_restore(self):
        copy = self.folder / "copy.piston"
        back_up(demo_into(self.folder / "here"), copy)
        wanted, kills = self.content(self.folder / "here" / "workshop.db"), 0
        bring = "from frosty_piston.store.backup import restore as r; from pathlib import Path"
        bring += "\nr(Path(sys.argv[1]), Path(sys.argv[2]))"
        self.timed(bring, copy, self.folder / "timed")
        for number in range(LAYOUTS):
            there = self.folder / f"r{number}"
            kills += self.killed(bring, copy, there)
            if not (there / "workshop.db").exists():
                self.assertEqual(restore(copy, there).faults, [])
            open_database(there).dispose()
            self.assertEqual(check(there / "workshop.db").faults, [])
            self.assertEqual(self.content(there / "workshop.db"), wanted)
            shutil.rmtree(there)
        print(f"restores: {LAYOUTS}, {kills} killed, nothing lost", file=sys.stderr)


if __name__ == "__main__":
    unittest.main()
