"""The JSON Schema of the job file, made from the same models that check it."""

from typing import Any

from pydantic import BaseModel
from pydantic.json_schema import models_json_schema

from frosty_piston.job.engine import EngineCard, Vehicle
from frosty_piston.job.entries import KINDS, EntryEnvelope
from frosty_piston.job.units import UNITS

from .jobfile import FORMAT, VERSION, JobHead


def job_file_schema() -> dict[str, Any]:
    """The schema of a whole job file (draft 2020-12). What only the trade can check (ids, points) is not in
    it."""
    models: list[type[BaseModel]] = [JobHead, Vehicle, EngineCard, EntryEnvelope, *KINDS.values()]
    _, top = models_json_schema([(m, "validation") for m in models], ref_template="#/$defs/{model}")
    defs = top["$defs"]
    for name in ("Reading", "Condition"):
        defs[name]["properties"]["unit"] = {"enum": list(UNITS)}
    envelope = defs.pop("EntryEnvelope")
    entry = {
        **envelope,
        "required": ["id", "kind", "data"],
        "oneOf": [
            {"properties": {"kind": {"const": kind}, "data": {"$ref": f"#/$defs/{model.__name__}"}}}
            for kind, model in KINDS.items()
        ],
    }
    entry["properties"] = {**envelope["properties"], "kind": {"enum": list(KINDS)}}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Frosty Piston job file",
        "type": "object",
        "additionalProperties": False,
        "required": ["format", "version", "job", "vehicle", "engine", "entries"],
        "properties": {
            "format": {"const": FORMAT},
            "version": {"const": VERSION},
            "job": {"$ref": "#/$defs/JobHead"},
            "vehicle": {"$ref": "#/$defs/Vehicle"},
            "engine": {"$ref": "#/$defs/EngineCard"},
            "entries": {"type": "array", "items": entry},
            "chain": {
                "type": "object",
                "additionalProperties": {"type": "string", "pattern": "^[0-9a-f]{64}$"},
            },
        },
        "$defs": defs,
    }


if __name__ == "__main__":
    from .jobfile import canonical

    print(canonical(job_file_schema()), end="")
