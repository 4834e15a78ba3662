"""The open job file: read with every fault named, written in one canonical form."""

import hashlib
import json
from collections import Counter
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from frosty_piston.core.errors import BadInput, Fault
from frosty_piston.job.check import Checker, said, walk
from frosty_piston.job.engine import EngineCard, Happened, Vehicle, limit_faults
from frosty_piston.job.entries import Entry
from frosty_piston.knowledge import Knowledge, load_knowledge

MOST_BYTES = 64 * 1024 * 1024
MOST_FAULTS = 200
MOST_ENTRIES = 100_000
MOST_KEYS = 100_100
# A job file has twenty signs or more to each list and object; one of fewer only fills memory.
SIGNS_PER_CONTAINER = 12
FREE_CONTAINERS = 10_000
FORMAT = "frosty-piston/job"
VERSION = 1
TOP_KEYS = {"format", "version", "job", "vehicle", "engine", "entries", "chain"}


class JobHead(BaseModel):
    """The head of a job: its id, title and day."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]*$")] | None = (
        None
    )
    title: Annotated[str, Field(min_length=1, max_length=200)]
    opened_at: Happened | None = None


class _Top(BaseModel):
    model_config = ConfigDict(extra="ignore", frozen=True)

    format: Literal["frosty-piston/job"]
    version: Literal[1]


@dataclass(frozen=True)
class JobFile:
    """A job file that passed every check: the parsed parts, and `raw` exactly as it was given."""

    head: JobHead
    vehicle: Vehicle
    engine: EngineCard
    entries: tuple[Entry, ...]
    raw: dict[str, Any]


def canonical(value: Any) -> str:
    """Write JSON in the one form that compares byte for byte: sorted keys, two spaces, UTF-8."""
    return json.dumps(value, sort_keys=True, indent=2, ensure_ascii=False, allow_nan=False) + "\n"


def chain_of(entries: list[dict[str, Any]], before: str = "") -> dict[str, str]:
    """The chain of a tape: for each entry the SHA-256 of its canonical form and of the hash before it.
    `before`: the head of the chain that they go on from."""
    chain: dict[str, str] = {}
    for raw in entries:
        before = hashlib.sha256((before + canonical(raw)).encode()).hexdigest()
        chain[raw["id"]] = before
    return chain


def chain_faults(chain: Any, entries: list[dict[str, Any]]) -> list[Fault]:
    """Name the first entry at which a chain breaks: it, or one before it, was changed after it was
    written."""
    if not isinstance(chain, dict):
        return [Fault("chain", "must be an object")]
    wanted = chain_of(entries)
    broken = next((i for i in wanted if chain.get(i) != wanted[i]), None)
    strange = next((i for i in chain if i not in wanted), None)
    if broken is not None:
        return [Fault(f"chain.{broken}", "does not fit: this entry or one before it was changed")]
    return [Fault(f"chain.{str(strange)[:60]}", "no such entry")] if strange is not None else []


def parse(data: bytes) -> Any:
    """Parse bytes as JSON and refuse what cannot be kept. Raises BadInput with every fault found."""
    if len(data) > MOST_BYTES:
        raise BadInput(f"{len(data) // 1_000_000} MB; a job file holds at most 64 MiB")
    containers = data.count(b"[") + data.count(b"{")
    if containers > FREE_CONTAINERS + len(data) // SIGNS_PER_CONTAINER:
        raise BadInput(f"{containers:,} lists and objects in {len(data):,} signs: this is no job file")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise BadInput(f"not UTF-8 text: byte {error.start} cannot be read") from None
    try:
        value = json.loads(text, object_pairs_hook=_no_repeats, parse_constant=_no_constant)
    except RecursionError:
        raise BadInput("nested deeper than 32 levels") from None
    except json.JSONDecodeError as error:
        raise BadInput(f"not JSON: {error.msg} in line {error.lineno}, column {error.colno}") from None
    except ValueError as error:
        raise BadInput(
            "holds a figure of thousands of digits" if "digits" in str(error) else str(error)
        ) from None
    if faults := walk(value):
        raise BadInput(faults)
    return value


def _no_repeats(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    if len(pairs) > MOST_KEYS:
        raise ValueError(f"{len(pairs):,} keys in one object; at most {MOST_KEYS:,} are read")
    shown = dict(pairs)
    if len(shown) != len(pairs):
        twice = next(k for k, n in Counter(k for k, _ in pairs).items() if n > 1)
        raise ValueError(f"the key {twice[:60]!r} stands twice in one object")
    return shown


def _no_constant(name: str) -> Any:
    raise ValueError(f"{name} is no figure")


def read(data: bytes, knowledge: Knowledge | None = None) -> JobFile:
    """Read a job file from bytes. Raises BadInput that lists every fault with its path."""
    return check(parse(data), knowledge or load_knowledge())


def check(value: Any, knowledge: Knowledge) -> JobFile:
    """Check a parsed job file whole, so that all faults show at once."""
    if not isinstance(value, dict):
        raise BadInput("a job file is a JSON object")
    faults = [Fault(key[:60], "unknown key") for key in value if key not in TOP_KEYS][:MOST_FAULTS]
    parts: dict[str, Any] = {}
    try:
        _Top.model_validate(value)
    except ValidationError as error:
        faults += said(error)
    for key, model in (("job", JobHead), ("vehicle", Vehicle), ("engine", EngineCard)):
        if key not in value:
            faults.append(Fault(key, "is missing"))
            continue
        try:
            parts[key] = model.model_validate(value[key])
        except ValidationError as error:
            faults += said(error, key)
    if isinstance(value.get("engine"), dict):
        faults += limit_faults(value["engine"].get("limits"), knowledge)
    entries = value.get("entries", None)
    checker = Checker(knowledge, parts["engine"].cylinders if "engine" in parts else None)
    checked = _entries(entries, checker)
    faults += checker.faults
    if "chain" in value and isinstance(entries, list) and not faults:
        faults += chain_faults(value["chain"], entries)
    if faults:
        raise BadInput(faults)
    return JobFile(parts["job"], parts["vehicle"], parts["engine"], tuple(c for c in checked if c), value)


def _entries(entries: Any, checker: Checker) -> list[Entry | None]:
    """Check the entries in their order; the checker gathers what is wrong with them."""
    checked: list[Entry | None] = []
    if not isinstance(entries, list):
        checker.faults.append(Fault("entries", "is missing" if entries is None else "must be a list"))
        return checked
    if len(entries) > MOST_ENTRIES:
        checker.faults.append(
            Fault("entries", f"{len(entries):,} entries; at most {MOST_ENTRIES:,} are read")
        )
        return checked
    for index, raw in enumerate(entries):
        checked.append(checker.entry(raw, f"entries[{index}]"))
        if len(checker.faults) > MOST_FAULTS:
            says = f"more than {MOST_FAULTS} faults; the rest from entries[{index + 1}] on is not listed"
            checker.faults.append(Fault("entries", says))
            break
    return checked
