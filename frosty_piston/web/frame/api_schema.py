"""The description of the API (OpenAPI): routes with their models, the schema of the job file, signing in."""

from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi

from frosty_piston.job.tape.schema import job_file_schema

from .api_models import Failure

DESCRIPTION = (
    "Jobs, entries and assessments for other programs. Everything that is written is an entry with an id of"
    " its sender: sent twice, it is written once. Where people sign in, a program sends its token."
)
JOB_FILE = "JobFile"
ENTRY = "Entry"
COMPONENTS = "#/components/schemas/"
TAGS = [
    {"name": "jobs", "description": "Job files, in and out."},
    {"name": "entries", "description": "What happens on a job, written as it happens."},
    {"name": "assessment", "description": "What a job is worth: suspects, next step, options, proof."},
    {"name": "schema", "description": "The schema of the job file."},
]
# What any request may be answered with.
FAILURES: dict[int | str, dict[str, Any]] = {
    404: {"model": Failure, "description": "There is no such job."},
    422: {"model": Failure, "description": "Something in it is wrong; each fault is named with its path."},
    429: {"model": Failure, "description": "Too many wrong tokens: wait."},
    503: {"model": Failure, "description": "Too much at once: send it again in some seconds."},
}
WRITING: dict[int | str, dict[str, Any]] = {
    **FAILURES,
    409: {"model": Failure, "description": "The same id is known with other content."},
    413: {"model": Failure, "description": "It is larger than what is taken."},
    507: {"model": Failure, "description": "The disk is full: nothing more can be saved."},
}
EXAMPLE_ENTRY = {
    "id": "5f2c-1",
    "kind": "reading",
    "at": "2026-11-20T09:12:00+01:00",
    "by": "Sunniva",
    "data": {"test": "battery_rest", "value": 12.4, "unit": "V", "where": {"point": "battery_1"}},
}


def body_of(*names: str, example: Any = None, zipped: bool = False) -> dict[str, Any]:
    """What a request takes, by the names of its schemas."""
    shapes: list[dict[str, Any]] = [{"$ref": COMPONENTS + name} for name in names]
    if ENTRY in names:
        shapes.append({"type": "array", "items": {"$ref": COMPONENTS + ENTRY}})
    json_body: dict[str, Any] = {"schema": shapes[0] if len(shapes) == 1 else {"oneOf": shapes}}
    if example is not None:
        json_body["example"] = example
    content: dict[str, Any] = {"application/json": json_body}
    if zipped:
        content["application/zip"] = {"schema": {"type": "string", "format": "binary"}}
    return {"requestBody": {"required": True, "content": content}}


def describe(app: FastAPI, signing_in: bool) -> dict[str, Any]:
    """The description of the API of an application, made once."""
    if app.openapi_schema is None:
        schema = get_openapi(
            title="Frosty Piston", version=app.version, description=DESCRIPTION, routes=app.routes, tags=TAGS
        )
        parts = schema.setdefault("components", {})
        parts.setdefault("schemas", {}).update(_of_job_files())
        parts["securitySchemes"] = {"token": {"type": "http", "scheme": "bearer"}}
        schema["security"] = [{"token": []}] if signing_in else [{}, {"token": []}]
        app.openapi_schema = schema
    return app.openapi_schema


def _of_job_files() -> dict[str, Any]:
    """The job file, its entry and all that these are made of, as parts of the description."""
    whole = job_file_schema()
    parts: dict[str, Any] = {name: _moved(part) for name, part in whole.pop("$defs").items()}
    whole.pop("$schema")
    entry = whole["properties"]["entries"]["items"]
    whole["properties"]["entries"]["items"] = {"$ref": COMPONENTS + ENTRY}
    return {**parts, JOB_FILE: _moved(whole), ENTRY: _moved(entry)}


def _moved(part: Any) -> Any:
    """A schema with its references to where they stand in the description."""
    if isinstance(part, dict):
        return {
            key: value.replace("#/$defs/", COMPONENTS) if key == "$ref" else _moved(value)
            for key, value in part.items()
        }
    return [_moved(one) for one in part] if isinstance(part, list) else part
