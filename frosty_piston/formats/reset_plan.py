"""A reset plan as an open file: UTF-8 JSON, `frosty-piston/reset-plan`, one plan with its steps in order."""

import json
from typing import Any

from pydantic import ValidationError

from frosty_piston.core.errors import BadInput, Fault
from frosty_piston.job.check import said, walk
from frosty_piston.knowledge.reset_shapes import ResetPlanShape

FORMAT = "frosty-piston/reset-plan"
VERSION = 1
MOST_BYTES = 256 * 1024
KEYS = ("format", "version", "card", "plan", "worked", "body")


def written(card: str, key: str, plan: ResetPlanShape, worked: dict[str, str]) -> bytes:
    """A plan as a file. `worked`: when and by whom it was run last, where that is known."""
    file = {
        "format": FORMAT,
        "version": VERSION,
        "card": card,
        "plan": key,
        "worked": worked,
        "body": plan.model_dump(exclude_defaults=True),
    }
    return (json.dumps(file, ensure_ascii=False, indent=2, sort_keys=True) + "\n").encode()


def read(content: bytes, known: tuple[str, ...]) -> tuple[str, ResetPlanShape]:
    """The key and the plan of a file. `known`: the plans there are. Raises BadInput with every fault, each at
    its path."""
    if len(content) > MOST_BYTES:
        raise BadInput([Fault("file", f"{len(content)} bytes; a plan has at most {MOST_BYTES}")])
    try:
        file: Any = json.loads(content.decode("utf-8-sig"))
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise BadInput([Fault("file", f"is no JSON in UTF-8: {str(error)[:120]}")]) from None
    if faults := walk(file):
        raise BadInput(faults)
    if not isinstance(file, dict) or file.get("format") != FORMAT:
        raise BadInput([Fault("format", f"is not {FORMAT!r}: this is no reset plan")])
    faults = [Fault(key, "unknown key") for key in file if key not in KEYS]
    if file.get("version") != VERSION:
        faults.append(Fault("version", f"must be {VERSION}"))
    if file.get("plan") not in known:
        faults.append(Fault("plan", f"must be one of {', '.join(known)}"))
    try:
        plan = ResetPlanShape.model_validate(file.get("body"))
    except ValidationError as error:
        raise BadInput(faults + said(error, "body")) from None
    if faults:
        raise BadInput(faults)
    return str(file["plan"]), plan
