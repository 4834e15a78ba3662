"""The pages of the API: every request with what it takes and answers, made from its own description."""

import json
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from .page import render

router = APIRouter(prefix="/api")
MOST_EXAMPLE = 1200


@dataclass(frozen=True)
class Shown:
    """One request of the API as the page shows it. `fields`: name, kind and words of what it answers."""

    method: str
    path: str
    tag: str
    says: str
    takes: list[str]
    example: str
    answers: list[tuple[str, str]]
    fields: list[tuple[str, str, str]]

    @property
    def id(self) -> str:
        return f"{self.method}{self.path}".lower().replace("/", "-").replace("{", "").replace("}", "")


@router.get("/docs")
def docs(request: Request) -> Response:
    """Every request of the API on one page."""
    described = request.app.openapi()
    rows = [
        _shown(method, path, operation, described)
        for path, methods in described["paths"].items()
        for method, operation in methods.items()
    ]
    tags = {tag["name"]: tag["description"] for tag in described["tags"]}
    by_tag = [(name, says, [row for row in rows if row.tag == name]) for name, says in tags.items()]
    return render(request, "api/docs.html", by_tag=by_tag, says=described["info"]["description"])


def _shown(method: str, path: str, operation: dict[str, Any], described: dict[str, Any]) -> Shown:
    body = operation.get("requestBody", {}).get("content", {})
    example = body.get("application/json", {}).get("example")
    answers = [(code, answer["description"]) for code, answer in sorted(operation["responses"].items())]
    return Shown(
        method=method.upper(),
        path=path,
        tag=operation["tags"][0],
        says=operation.get("description", operation["summary"]),
        takes=[f"{kind}: {_named(shape.get('schema', {}))}" for kind, shape in body.items()],
        example=json.dumps(example, indent=2, ensure_ascii=False)[:MOST_EXAMPLE] if example else "",
        answers=answers,
        fields=_fields(operation, described),
    )


def _named(schema: dict[str, Any]) -> str:
    """What a schema is called: the name of its part, or of each that it may be."""
    if "oneOf" in schema:
        return ", or ".join(_named(one) for one in schema["oneOf"])
    if schema.get("type") == "array":
        return f"a list of {_named(schema['items'])}"
    return str(schema.get("$ref", schema.get("format", schema.get("type", "any")))).rpartition("/")[2]


def _fields(operation: dict[str, Any], described: dict[str, Any]) -> list[tuple[str, str, str]]:
    """Name, kind and words of each field that a request answers when all is well."""
    good = next(answer for code, answer in sorted(operation["responses"].items()) if code.startswith("2"))
    name = _named(good.get("content", {}).get("application/json", {}).get("schema", {}))
    part = described["components"]["schemas"].get(name, {})
    return [
        (field, _named(shape), shape.get("description", ""))
        for field, shape in part.get("properties", {}).items()
    ]
