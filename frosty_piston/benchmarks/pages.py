"""Measures the pages in a workshop made for it, beside a bare page of the same stack in the same run."""

import http.client
import json
import logging
import random
import resource
import statistics
import tempfile
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from urllib.parse import urlencode
from uuid import uuid4

import uvicorn
from fastapi import Request, Response
from sqlalchemy import insert

from frosty_piston.job.tape import jobfile
from frosty_piston.rig.circuits import made_up
from frosty_piston.rig.demo.repairs import demo_jobs
from frosty_piston.store.tables import EntryRow, JobRow
from frosty_piston.store.workshop import Workshop, open_workshop
from frosty_piston.web.frame.app import create_app
from frosty_piston.web.frame.page import render
from frosty_piston.web.frame.serving import free_port

MEASURED = "bench-job"
CIRCUIT = "bench-circuit"
PARTS = 25


def _with_circuit(model: dict[str, Any]) -> dict[str, Any]:
    """A job with a vacuum circuit of 25 parts."""
    made = made_up(random.Random(7), PARTS)
    circuit = {
        "parts": [{"id": p.id, "kind": p.kind, "title": f"{p.title} {n}"} for n, p in enumerate(made.parts)],
        "hoses": [{"id": h.id, "from": ".".join(h.start), "to": ".".join(h.end)} for h in made.hoses],
    }
    entries = [*model["entries"], {"id": "circuit", "kind": "circuit", "data": circuit}]
    return {**model, "job": {**model["job"], "id": CIRCUIT}, "entries": entries}


def _fill(workshop: Workshop, jobs: int, entries: int) -> None:
    """Make the workshop: many jobs copied from the demo, and one long one."""
    now = datetime.now(UTC)
    models = demo_jobs(now)
    for model in models:
        workshop.tapes.add_file(jobfile.check(model, workshop.knowledge))
    workshop.tapes.add_file(jobfile.check(_with_circuit(models[5]), workshop.knowledge))
    rows = []
    tapes = []
    with workshop.engine.connect() as connection:
        kept = {row.id: row._asdict() for row in connection.execute(JobRow.__table__.select())}
    for n in range(max(0, jobs - len(models) - 1)):
        model = models[n % len(models)]
        job_id = f"bench-{n}"
        rows.append(
            {
                **kept[model["job"]["id"]],
                "id": job_id,
                "opened_at": now - timedelta(hours=n),
                "closed": n % 10 > 2,
            }
        )
        tapes += [
            {"job_id": job_id, "id": entry["id"], "raw": json.dumps(entry), "written_at": now}
            for entry in model["entries"]
        ]
    with workshop.engine.execution_options(writing=True).begin() as connection:
        for table, values in ((JobRow, rows), (EntryRow, tapes)):
            for at in range(0, len(values), 2000):
                connection.execute(insert(table), values[at : at + 2000])
    long = dict(models[0])
    more = [
        (
            {
                "id": f"b{n}",
                "kind": "reading",
                "data": {
                    "test": "glow_resistance",
                    "where": {"point": "harness_connector", "cylinder": n % 4 + 1},
                    "value": round(0.9 + n % 7 / 50, 2),
                    "unit": "ohm",
                },
            }
            if n % 3
            else {"id": f"b{n}", "kind": "note", "data": {"text": f"note {n}"}}
        )
        for n in range(entries - len(long["entries"]))
    ]
    workshop.tapes.add_file(
        jobfile.check(
            {**long, "job": {"id": MEASURED, "title": "Measured job"}, "entries": [*long["entries"], *more]},
            workshop.knowledge,
        )
    )


def _timed(rounds: int, ask: Callable[[], int]) -> list[float]:
    for _ in range(5):
        ask()
    times = []
    for _ in range(rounds):
        started = time.perf_counter()
        status = ask()
        times.append((time.perf_counter() - started) * 1000)
        if status >= 400:
            raise RuntimeError(f"the bench was answered with {status}")
    return times


def bench(jobs: int, entries: int, rounds: int) -> int:
    """Print median and 95th percentile of each page in ms, and the peak memory of this process."""
    logging.disable(logging.INFO)
    with tempfile.TemporaryDirectory() as folder, open_workshop(Path(folder)) as workshop:
        _fill(workshop, jobs, entries)
        app = create_app(workshop)

        def bare(request: Request) -> Response:
            return render(request, "bare.html")

        app.add_api_route("/bare", bare)
        taken = free_port(0)
        port = taken.getsockname()[1]
        server = uvicorn.Server(
            uvicorn.Config(app, log_level="error", access_log=False, timeout_keep_alive=60)
        )
        thread = threading.Thread(target=server.run, kwargs={"sockets": [taken]}, daemon=True)
        thread.start()
        connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)

        def ask(
            method: str, path: str, body: str | None = None, headers: dict[str, str] | None = None
        ) -> int:
            connection.request(method, path, body, headers or {})
            answer = connection.getresponse()
            answer.read()
            return answer.status

        def forget_and_ask() -> int:
            workshop.tapes.forget()
            return ask("GET", f"/jobs/{MEASURED}/measure/glow")

        def write_json() -> int:
            entry = {"id": str(uuid4()), "kind": "note", "data": {"text": "bench"}}
            return ask(
                "POST",
                f"/api/v1/jobs/{MEASURED}/entries",
                json.dumps(entry),
                {"Content-Type": "application/json"},
            )

        values = iter(range(10_000))

        def write_cell() -> int:
            fields = {
                "test": "glow_resistance",
                "point": "plug",
                "cylinder": "1",
                "unit": "ohm",
                "bench": "glow",
                "method": "ohm",
                "at": "plug",
                "value": f"{0.8 + next(values) % 90 / 100:.2f}",
                "entry_id": str(uuid4()),
            }
            return ask(
                "POST",
                f"/jobs/{MEASURED}/measure/cell",
                urlencode(fields),
                {"Content-Type": "application/x-www-form-urlencoded", "HX-Request": "true"},
            )

        asked = [
            ("bare page of the same stack", lambda: ask("GET", "/bare")),
            ("yard", lambda: ask("GET", "/")),
            ("job page: glow bench", lambda: ask("GET", f"/jobs/{MEASURED}/measure/glow")),
            ("job page: narrow", lambda: ask("GET", f"/jobs/{MEASURED}/narrow")),
            ("job page: plan", lambda: ask("GET", f"/jobs/{MEASURED}/plan")),
            ("job page: why", lambda: ask("GET", f"/jobs/{MEASURED}/why/glow_plugs_open")),
            ("vacuum bench, 25 parts", lambda: ask("GET", f"/jobs/{CIRCUIT}/measure/vacuum")),
            ("list and drawing of 25 parts", lambda: ask("GET", f"/jobs/{CIRCUIT}/circuit")),
            ("search", lambda: ask("GET", "/search?q=egr")),
            ("shelf: all codes", lambda: ask("GET", "/shelf/codes")),
            ("job page, read anew from the file", forget_and_ask),
            (
                "judging a typed value",
                lambda: ask(
                    "GET",
                    f"/jobs/{MEASURED}/measure/judge?test=glow_resistance&point=plug&cylinder=1&unit=ohm&value=0.9",
                ),
            ),
            ("writing one entry (JSON)", write_json),
            ("writing one reading (page, with its zones)", write_cell),
        ]
        print(f"workshop of {jobs} jobs, measured job of {entries} entries, {rounds} requests each, ms")
        print(f"{'':46}{'median':>9}{'95 %':>9}")
        for name, call in asked:
            times = _timed(rounds, call)
            print(
                f"{name:46}{statistics.median(times):9.1f}{statistics.quantiles(times, n=20)[-1]:9.1f}",
                flush=True,
            )
        print(
            f"peak memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB, server and"
            " client in one process"
        )
        connection.close()
        server.should_exit = True
        thread.join(5)
    return 0
