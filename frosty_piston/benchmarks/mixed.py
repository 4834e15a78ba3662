"""Measures mixed use of a served workshop where people sign in: everybody at work, and all at once somebody
imports, somebody else uploads, a pattern is added and strangers try passphrases."""

import json
import random
import re
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass, field
from http.client import HTTPConnection
from io import BytesIO
from pathlib import Path
from urllib.parse import urlencode
from uuid import uuid4

ROOT = Path(__file__).resolve().parents[2]
LEAD = "Ylva"
PASSPHRASE = "heron kettle walnut ladder"
WRITERS = 40
READERS = 8
JOBS = 20
OPEN_JOBS = 500
IMPORTED = 100_000
UPLOADS = 50
STRANGERS = 150
# between two entries of a writer, between two pages of a reader
PAUSE_S = (2.0, 8.0)
READ_S = (0.2, 1.0)
ALL_AT_ONCE_S = 5.0  # after the start of a round
TIMEOUT_S = 120.0
ENGINE = "Load"
FAULT = "turbo_actuator_motor"
PAGES = (
    "/",
    "/day",
    "/day/strip",
    "/shelf",
    "/shelf/faults",
    "/shelf/patterns",
    "/search?q=load",
    "/pocket",
    "/orders",
    "/training",
    "/alarms",
    *(
        f"/jobs/{{}}/{page}"
        for page in (
            "arrive",
            "narrow",
            "plan",
            "measure",
            "measure/glow",
            "decide",
            "fit",
            "prove",
            "tape",
            "report",
            "papers",
            "traces",
            "pictures",
            "why/glow_plugs_open",
        )
    ),
)


@dataclass
class Round:
    """What everybody saw in one round: by kind the waits in ms, and every answer by its status."""

    waits_ms: dict[str, list[float]] = field(default_factory=dict)
    answers: dict[str, Counter[int]] = field(default_factory=dict)
    acknowledged: set[tuple[str, str]] = field(default_factory=set)
    slowest: tuple[float, str] = (0.0, "")
    memory_mb: float = 0.0
    lock: threading.Lock = field(default_factory=threading.Lock)

    def saw(self, kind: str, path: str, status: int, wait_ms: float) -> None:
        with self.lock:
            self.waits_ms.setdefault(kind, []).append(wait_ms)
            self.answers.setdefault(kind, Counter())[status] += 1
            if kind == "page" and wait_ms > self.slowest[0]:
                self.slowest = (wait_ms, path)

    @property
    def server_errors(self) -> int:
        """Return of 500 and more but for 503, and those that never came, which count as 599."""
        answers = (item for seen in self.answers.values() for item in seen.items())
        return sum(times for status, times in answers if status >= 500 and status != 503)

    def refused(self, *kinds: str) -> int:
        """How many of some kinds were answered 503."""
        return sum(self.answers.get(kind, Counter())[503] for kind in kinds)


class Visitor:
    """Somebody at work, signed in; each request on a connection of its own."""

    def __init__(self, port: int, round_: Round, cookie: str, seal: str):
        self.port = port
        self.round = round_
        self.headers = {"Cookie": cookie, "X-Seal": seal}

    def ask(
        self, kind: str, method: str, path: str, body: bytes | None = None, **headers: str
    ) -> tuple[int, bytes]:
        """One request, with how long its answer took; 599 when there was none."""
        begun = time.perf_counter()
        try:
            with closing(HTTPConnection("127.0.0.1", self.port, timeout=TIMEOUT_S)) as line:
                line.request(method, path, body, {**self.headers, **headers})
                answer = line.getresponse()
                status = answer.status
                read = answer.read()
        except OSError:
            status = 599
            read = b""
        self.round.saw(kind, path, status, (time.perf_counter() - begun) * 1000)
        return status, read


def benchmark_mixed(seconds: float = 300.0, rounds: int = 2) -> list[Round]:
    """Serve a workshop of 500 open jobs in a process of its own, and print what everybody saw, by round."""
    seen = []
    with tempfile.TemporaryDirectory() as folder, served(Path(folder)) as (port, pid, cookie, seal):
        print(f"Mixed use, {seconds:g} s a round: {WRITERS} writers, an entry each every {PAUSE_S[0]:g} to")
        print(f"{PAUSE_S[1]:g} s, {READERS} readers, and all at once an import of {IMPORTED:,} entries, a")
        print(f"pattern over {OPEN_JOBS} open jobs, {UPLOADS} pictures, {STRANGERS} wrong passphrases")
        for page in PAGES:
            Visitor(port, Round(), cookie, seal).ask("warm", "GET", page.format("load-0"))
        for number in range(rounds):
            round_ = played(port, cookie, seal, seconds, number)
            round_.memory_mb = memory_mb(pid)
            lost = lost_entries(port, cookie, seal, round_)
            _tell(number + 1, round_, lost)
            seen.append(round_)
    if rounds > 1:
        grown = seen[-1].memory_mb / seen[0].memory_mb - 1
        print(f"  memory after the last round against the first: {100 * grown:+.0f} % (wanted: within 20 %)")
    return seen


def played(port: int, cookie: str, seal: str, seconds: float, number: int) -> Round:
    """One round of everybody."""
    round_ = Round()
    until = time.monotonic() + seconds

    def visitor() -> Visitor:
        return Visitor(port, round_, cookie, seal)

    threads = [
        threading.Thread(target=_write, args=(visitor(), random.Random(100 * number + n), until, n))
        for n in range(WRITERS)
    ]
    threads += [
        threading.Thread(target=_read, args=(visitor(), random.Random(900 + 100 * number + n), until))
        for n in range(READERS)
    ]
    picture = _picture()
    long_job = _long_job(number)
    for thread in threads:
        thread.start()
    time.sleep(min(ALL_AT_ONCE_S, seconds / 4))
    sudden: list[tuple[Callable[..., None], tuple[object, ...]]] = [
        (_import, (visitor(), long_job)),
        (_pattern, (visitor(),)),
        *((_upload, (visitor(), picture, n)) for n in range(UPLOADS)),
        *((_try, (visitor(), n)) for n in range(STRANGERS)),
    ]
    extra = [threading.Thread(target=act, args=given) for act, given in sudden]
    for thread in extra:
        thread.start()
    for thread in (*threads, *extra):
        thread.join()
    return round_


def _write(who: Visitor, drawn: random.Random, until: float, number: int) -> None:
    """Notes by the API, readings by the form of the bench, one every few seconds."""
    job = f"load-{number % JOBS}"
    turn = 0
    time.sleep(drawn.uniform(0, PAUSE_S[1]))
    while time.monotonic() < until:
        turn += 1
        key = str(uuid4())
        if turn % 2:
            entry = {"id": key, "kind": "note", "data": {"text": f"writer {number}, {turn}"}}
            path = f"/api/v1/jobs/{job}/entries"
            body = json.dumps(entry).encode()
            status, _ = who.ask("note", "POST", path, body, **{"Content-Type": "application/json"})
        else:
            ohm = f"{drawn.uniform(0.5, 1.4):.2f}"
            cell = {"test": "glow_resistance", "cylinder": str(1 + turn % 4), "unit": "ohm", "value": ohm}
            cell |= {"entry_id": key, "bench": "glow", "again": "yes"}
            status, _ = _send(who, "reading", f"/jobs/{job}/measure/cell", cell, **{"HX-Request": "true"})
        if status in (200, 201, 303):
            with who.round.lock:
                who.round.acknowledged.add((job, key))
        time.sleep(drawn.uniform(*PAUSE_S))


def _send(who: Visitor, kind: str, path: str, fields: dict[str, str], **headers: str) -> tuple[int, bytes]:
    form = {"Content-Type": "application/x-www-form-urlencoded", **headers}
    return who.ask(kind, "POST", path, urlencode(fields).encode(), **form)


def _read(who: Visitor, drawn: random.Random, until: float) -> None:
    while time.monotonic() < until:
        who.ask("page", "GET", drawn.choice(PAGES).format(f"load-{drawn.randrange(JOBS)}"))
        time.sleep(drawn.uniform(*READ_S))


def _import(who: Visitor, body: bytes) -> None:
    who.ask("import", "POST", "/api/v1/jobs", body, **{"Content-Type": "application/json"})


def _long_job(number: int) -> bytes:
    notes = [
        {"id": f"n{n}", "kind": "note", "data": {"text": f"note {n} of a long job"}} for n in range(IMPORTED)
    ]
    return json.dumps(_job_file(f"imported-{number}", notes)).encode()


def _pattern(who: Visitor) -> None:
    fields = {"engine": ENGINE, "fault": FAULT, "times": "3", "by": LEAD, "why": "four of the last five"}
    _send(who, "pattern", "/shelf/patterns", fields)


def _upload(who: Visitor, picture: bytes, number: int) -> None:
    edge = "load-of-pictures"
    key = str(uuid4())
    parts = [
        f'--{edge}\r\nContent-Disposition: form-data; name="{name}"\r\n\r\n{value}\r\n'.encode()
        for name, value in (("entry_id", key), ("shows", "find"), ("note", f"picture {number}"))
    ]
    head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{number}.jpg"\r\n\r\n'
    body = b"".join([*parts, head.encode(), picture, b"%d" % number, f"\r\n--{edge}--\r\n".encode()])
    kind = {"Content-Type": f"multipart/form-data; boundary={edge}"}
    who.ask("upload", "POST", f"/jobs/load-{number % JOBS}/pictures", body, **kind)


def _try(who: Visitor, number: int) -> None:
    who.headers = {}
    _send(who, "sign-in", "/enter", {"name": f"stranger {number}", "passphrase": "not the right one"})


def _picture() -> bytes:
    """A picture as a telephone takes one: twelve million points."""
    import numpy as np
    from PIL import Image

    grain = np.random.default_rng(7).integers(0, 255, (375, 500, 3), np.uint8)
    out = BytesIO()
    Image.fromarray(grain).resize((4000, 3000)).save(out, "JPEG", quality=85)
    return out.getvalue()


def lost_entries(port: int, cookie: str, seal: str, round_: Round) -> int:
    """How many entries were acknowledged and are not there."""
    who = Visitor(port, Round(), cookie, seal)
    kept = set()
    for number in range(JOBS):
        status, read = who.ask("check", "GET", f"/api/v1/jobs/load-{number}")
        assert status == 200
        kept |= {(f"load-{number}", entry["id"]) for entry in json.loads(read)["entries"]}
    return len(round_.acknowledged - kept)


def memory_mb(pid: int) -> float:
    """What a process holds in memory now."""
    found = re.search(r"VmRSS:\s+(\d+) kB", Path(f"/proc/{pid}/status").read_text())
    return int(found[1]) / 1024 if found else 0.0


def _tell(number: int, round_: Round, lost: int) -> None:
    print(f"  round {number}, times in ms")
    for kind, waits in sorted(round_.waits_ms.items()):
        ordered = sorted(waits)
        share = ordered[min(len(ordered) - 1, int(0.95 * len(ordered)))]
        answers = ", ".join(f"{n} of {status}" for status, n in sorted(round_.answers[kind].items()))
        print(
            f"    {kind:8s} {len(waits):5d}: median {statistics.median(waits):.0f}, 95 % under {share:.0f},"
            f" longest {ordered[-1]:.0f}; {answers}"
        )
    print(
        f"    {round_.server_errors} server errors, {lost} of {len(round_.acknowledged)} acknowledged lost,"
        f" {round_.refused('page', 'note', 'reading')} of 503 to a page, a note or a reading; slowest page"
        f" {round_.slowest[1]}; {round_.memory_mb:.0f} MB"
    )


def _job_file(job_id: str, entries: Sequence[object]) -> dict[str, object]:
    return {
        "format": "frosty-piston/job",
        "version": 1,
        "job": {"id": job_id, "title": job_id},
        "vehicle": {"name": job_id},
        "engine": {"name": ENGINE, "cylinders": 4, "glow": "rod_12v"},
        "entries": entries,
    }


@contextmanager
def served(folder: Path) -> Iterator[tuple[int, int, str, str]]:
    """A workshop where people sign in, served by a process of its own: its port and number, and the cookie
    and the seal of somebody who signed in."""
    order = [sys.executable, "-m", "frosty_piston.benchmarks.mixed", str(folder)]
    server = subprocess.Popen(order, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    try:
        assert server.stdout is not None
        port = int(server.stdout.readline())
        who = Visitor(port, Round(), "", "")
        form = {"Content-Type": "application/x-www-form-urlencoded"}
        line = HTTPConnection("127.0.0.1", port, timeout=TIMEOUT_S)
        line.request("POST", "/enter", urlencode({"name": LEAD, "passphrase": PASSPHRASE}), form)
        cookie = (line.getresponse().getheader("set-cookie") or "").split(";")[0]
        who.headers = {"Cookie": cookie}
        seal = re.search(r'data-seal="(\w+)"', who.ask("start", "GET", "/")[1].decode())
        assert seal is not None, "nobody could sign in"
        yield port, server.pid, cookie, seal[1]
    finally:
        server.terminate()
        server.wait(30)
        if server.stdout:
            server.stdout.close()


def _serve(folder: Path) -> None:
    """The process that serves: made, then its port on one line."""
    import uvicorn

    from frosty_piston.store.workshop import open_workshop
    from frosty_piston.web.frame.app import create_app
    from frosty_piston.web.frame.connection_limits import TimedProtocol, most_connections
    from frosty_piston.web.frame.serving import free_port, ready_to_serve

    with open_workshop(folder) as workshop:
        complaint = [{"id": "s", "kind": "symptom", "data": {"symptom": "hard_start_cold"}}]
        for number in range(OPEN_JOBS):
            workshop.tapes.import_file(json.dumps(_job_file(f"load-{number}", complaint)).encode())
        workshop.people.set_passphrase(LEAD, PASSPHRASE)
        taken = free_port(0)
        print(taken.getsockname()[1], flush=True)
        config = uvicorn.Config(
            create_app(workshop, signing_in=True),
            http=TimedProtocol,
            limit_concurrency=most_connections(),
            log_level="warning",
            access_log=False,
        )
        ready_to_serve()
        uvicorn.Server(config).run(sockets=[taken])


if __name__ == "__main__":
    _serve(Path(sys.argv[1]))
