"""The JSON beside the pages: jobs, entries, assessments."""

import json
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response
from starlette.concurrency import run_in_threadpool

from frosty_piston.bundles import read_bundle, read_file, write_bundle
from frosty_piston.core.errors import BadInput, Fault
from frosty_piston.formats import bundle
from frosty_piston.job.answer import answer
from frosty_piston.job.tape import jobfile
from frosty_piston.job.tape.schema import job_file_schema

from .api_models import Assessment, JobAdded, Written
from .api_schema import COMPONENTS, ENTRY, EXAMPLE_ENTRY, FAILURES, JOB_FILE, WRITING, body_of
from .dependencies import GivenOpening, GivenPools, GivenWorkshop, read_body
from .downloads import download
from .signed_in import person_of

router = APIRouter(prefix="/api/v1")
MOST_ENTRIES = 5000
AS_JOB_FILE = {"application/json": {"schema": {"$ref": COMPONENTS + JOB_FILE}}}


def name_of(request: Request) -> str:
    """Who signed in; empty where nobody has to."""
    me = person_of(request)
    return me.name if me else ""


def other_names(raws: list[Any], name: str) -> list[Fault]:
    """The entries that are sent under another name than that of who sends them."""
    return [
        Fault(f"entries[{index}].by", f"you write as {name}: leave it out, or send your own")
        for index, raw in enumerate(raws)
        if isinstance(raw, dict) and raw.get("by", name) != name
    ]


@router.post(
    "/jobs",
    status_code=201,
    tags=["jobs"],
    response_model=JobAdded,
    response_description="The job is in.",
    responses={200: {"model": JobAdded, "description": "The same file is already here."}, **WRITING},
    openapi_extra=body_of(JOB_FILE, zipped=True),
)
async def add_job(
    request: Request, workshop: GivenWorkshop, opening: GivenOpening, pools: GivenPools
) -> JSONResponse:
    """Bring a job in: a job file, or a bundle."""
    bundled = request.headers.get("content-type", "").startswith("application/zip")
    body = await read_body(request, bundle.MOST_BYTES if bundled else jobfile.MOST_BYTES)
    by = name_of(request)
    job_id, new = await (
        pools.imports.run(read_bundle, workshop, body, opening, by)
        if bundled
        else pools.imports.run(read_file, workshop, body, opening, by)
    )
    return JSONResponse({"id": job_id}, 201 if new else 200, headers={"Location": f"/api/v1/jobs/{job_id}"})


@router.get(
    "/jobs/{job_id}/bundle",
    tags=["jobs"],
    response_class=Response,
    responses={200: {"description": "The bundle.", "content": {"application/zip": {}}}, **FAILURES},
)
def get_bundle(job_id: str, workshop: GivenWorkshop) -> Response:
    """The job file with its recordings and pictures, as one archive."""
    return download(write_bundle(workshop, job_id), "application/zip", f"{job_id}.fpjob.zip")


@router.get(
    "/jobs/{job_id}",
    tags=["jobs"],
    response_class=Response,
    responses={
        200: {
            "description": "The job file.",
            "content": AS_JOB_FILE,
        },
        **FAILURES,
    },
)
def get_job(job_id: str, workshop: GivenWorkshop) -> Response:
    """The job as a job file."""
    file = jobfile.canonical(workshop.tapes.export(job_id)).encode()
    return download(file, "application/json", f"{job_id}.fpjob.json", shown=True)


@router.post(
    "/jobs/{job_id}/entries",
    status_code=201,
    tags=["entries"],
    response_model=Written,
    response_description="Written.",
    responses={200: {"model": Written, "description": "All of them were known."}, **WRITING},
    openapi_extra=body_of(ENTRY, example=[EXAMPLE_ENTRY]),
)
async def add_entries(job_id: str, request: Request, workshop: GivenWorkshop) -> JSONResponse:
    """Write one entry, or several in their order. Each is written once, however often it is sent."""
    body = await read_body(request)

    def write() -> JSONResponse:
        given = jobfile.parse(body)
        raws: list[Any] = given if isinstance(given, list) else [given]
        if not raws:
            raise BadInput("no entry was sent; send one entry or a list of entries")
        if len(raws) > MOST_ENTRIES:
            raise BadInput(f"{len(raws)} entries at once; at most {MOST_ENTRIES}")
        me = person_of(request)
        if me is not None and (faults := other_names(raws, me.name)):
            raise BadInput(faults)
        written = workshop.tapes.write(job_id, raws, me.name if me else None, asks_ticks=True)
        return JSONResponse(
            {"written": list(written.new), "known": list(written.known)}, 201 if written.new else 200
        )

    return await run_in_threadpool(write)


@router.get(
    "/jobs/{job_id}/assessment",
    tags=["assessment"],
    response_model=Assessment,
    response_description="The assessment.",
    responses=FAILURES,
)
def get_assessment(job_id: str, workshop: GivenWorkshop) -> Response:
    """What the job is worth by now."""
    result = answer(workshop.tapes.job(job_id).assessed, workshop.settings.prices())
    return Response(json.dumps(result, ensure_ascii=False, indent=2), media_type="application/json")


@router.get("/schema/job", tags=["schema"], response_description="The schema.")
def get_schema() -> JSONResponse:
    """The JSON Schema of a job file (draft 2020-12)."""
    return JSONResponse(job_file_schema())
