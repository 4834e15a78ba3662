"""Measures many writers at once on a served workshop, beside a bare commit on the same disk."""

import http.client
import json
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path
from uuid import uuid4

from frosty_piston.store.database import PRAGMAS

WRITERS = (8, 40)
JOBS = 8
BARE = 200
ROOT = Path(__file__).resolve().parents[2]


@dataclass
class Load:
    """What many writers saw: the time of each write that was taken, and every answer by its status."""

    writers: int
    seconds: float = 0.0
    took_ms: list[float] = field(default_factory=list)
    answers: Counter[int] = field(default_factory=Counter)

    def percentile(self, share: float) -> float:
        """The time in ms that a share of the writes stayed under.

        >>> Load(1, took_ms=[1.0, 2.0, 3.0, 4.0]).percentile(0.5)
        3.0
        """
        return sorted(self.took_ms)[min(len(self.took_ms) - 1, int(share * len(self.took_ms)))]


def bare_commits(folder: Path, times: int = BARE) -> list[float]:
    """The times in ms of single inserts, each committed with full sync, by one writer with nothing around
    it."""
    took = []
    with closing(sqlite3.connect(folder / "bare.db", isolation_level=None)) as connection:
        for pragma in PRAGMAS:
            connection.execute(f"PRAGMA {pragma}")
        connection.execute("CREATE TABLE entries (raw TEXT)")
        for _ in range(times):
            begun = time.perf_counter()
            connection.execute("BEGIN IMMEDIATE")
            connection.execute("INSERT INTO entries VALUES (?)", ("x" * 200,))
            connection.execute("COMMIT")
            took.append((time.perf_counter() - begun) * 1000)
    return took


def loaded(port: int, jobs: list[str], writers: int, each: int) -> Load:
    """Let writers write one entry after the other, spread over the jobs."""
    load = Load(writers)
    lock = threading.Lock()
    start = threading.Barrier(writers + 1)

    def write(number: int) -> None:
        there = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
        start.wait()
        for n in range(each):
            entry = {"id": str(uuid4()), "kind": "note", "data": {"text": f"writer {number}, {n}"}}
            begun = time.perf_counter()
            path = f"/api/v1/jobs/{jobs[number % len(jobs)]}/entries"
            there.request("POST", path, json.dumps(entry), {"Content-Type": "application/json"})
            answer = there.getresponse()
            answer.read()
            took = (time.perf_counter() - begun) * 1000
            with lock:
                load.answers[answer.status] += 1
                load.took_ms += [took] if answer.status == 201 else []
        there.close()

    threads = [threading.Thread(target=write, args=(n,)) for n in range(writers)]
    for thread in threads:
        thread.start()
    start.wait()
    begun = time.perf_counter()
    for thread in threads:
        thread.join()
    load.seconds = time.perf_counter() - begun
    return load


def benchmark_load(each: int = 20) -> list[Load]:
    """Serve a workshop in a process of its own, write to it with 8 and with 40 writers, and print what they
    saw, with the bare commit before and after."""
    with tempfile.TemporaryDirectory() as folder:
        order = [sys.executable, "-m", "frosty_piston", "serve", "--port", "0", "--data", folder]
        server = subprocess.Popen(order, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        try:
            assert server.stdout is not None
            port = int(server.stdout.readline().decode().rsplit(":", 1)[1])
            jobs = [_new_job(port) for _ in range(JOBS)]
            loaded(port, jobs, 2, 5)
            print("Writers at once, each entry thought through and synced to disk (times in ms)")
            _tell_bare(Path(folder))
            loads = [loaded(port, jobs, writers, each) for writers in WRITERS]
            for load in loads:
                _tell(load)
        finally:
            server.terminate()
            server.wait(20)
            if server.stdout:
                server.stdout.close()
    return loads


def _new_job(port: int) -> str:
    there = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    file = {
        "format": "frosty-piston/job",
        "version": 1,
        "job": {"id": f"load-{uuid4()}", "title": "Load"},
        "vehicle": {"name": "Load"},
        "engine": {"name": "Load", "cylinders": 4},
        "entries": [{"id": "s", "kind": "symptom", "data": {"symptom": "hard_start_cold"}}],
    }
    there.request("POST", "/api/v1/jobs", json.dumps(file), {"Content-Type": "application/json"})
    job_id: str = json.loads(there.getresponse().read())["id"]
    there.close()
    return job_id


def _tell_bare(folder: Path) -> None:
    took = bare_commits(folder)
    print(f"  bare commit, one writer: median {statistics.median(took):.1f}, of {len(took)}")


def _tell(load: Load) -> None:
    wrong = {status: n for status, n in sorted(load.answers.items()) if status != 201}
    taken = len(load.took_ms)
    print(
        f"  {load.writers:2d} writers: {taken} taken, {taken / load.seconds:.0f} a second,"
        f" median {load.percentile(0.5):.0f}, 95 % under {load.percentile(0.95):.0f}, longest"
        f" {max(load.took_ms):.0f}; other answers {wrong or 'none'}"
    )
