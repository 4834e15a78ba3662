"""What a request brings: the workshop, the readers of files, a form, a body with its limit."""

from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Path, Request
from python_multipart.multipart import parse_options_header
from starlette.datastructures import FormData, UploadFile
from starlette.exceptions import HTTPException

from frosty_piston.bundles import Opening
from frosty_piston.core.errors import BadInput, NotAllowed
from frosty_piston.formats.child_process import Readers
from frosty_piston.formats.picture import MOST_BYTES as MOST_PICTURE_BYTES
from frosty_piston.formats.picture import Cleaned
from frosty_piston.formats.recording import MOST_BYTES as MOST_RECORDING_BYTES
from frosty_piston.formats.recording import Recording
from frosty_piston.job.tape.jobfile import MOST_BYTES
from frosty_piston.store.exercises import is_training
from frosty_piston.store.workshop import Workshop
from frosty_piston.training.sessions import shut

from .forms import Form
from .pools import Pools

MOST_ENTER_BYTES = 64_000  # nobody has signed in yet
MOST_FORM_BYTES = 2_000_000
CHARSETS = ("utf-8", "utf8", "us-ascii")
FORM_KINDS = ("application/x-www-form-urlencoded", "multipart/form-data")
Number = Annotated[int, Path(ge=0, lt=2**63)]  # what the database can hold
MOST_UPLOAD_BYTES = MOST_RECORDING_BYTES + 1_000_000
MOST_PICTURES = 12
MOST_PICTURES_BYTES = 120_000_000


async def read_body(request: Request, most: int = MOST_BYTES) -> bytes:
    """Read a body that is no form, and stop reading at the limit. Raises BadInput for a form."""
    if _kind(request).startswith(FORM_KINDS):
        raise BadInput("A form is not taken here: send JSON, with the content type application/json.")
    parts = []
    size = 0
    async for part in request.stream():
        size += len(part)
        if size > most:
            raise HTTPException(413)
        parts.append(part)
    return b"".join(parts)


async def posted(request: Request) -> FormData:
    """The fields and the file of a post, read once, within the limits of its kind."""
    several = MOST_PICTURES if request.url.path.endswith("/pictures") else 1
    if int(request.headers.get("content-length") or 0) > _most_bytes(request, several):
        raise HTTPException(413)
    if "content-length" not in request.headers and request.headers.get("transfer-encoding"):
        raise HTTPException(411)
    _, given = parse_options_header(request.headers.get("content-type", ""))
    charset = given.get(b"charset", b"utf-8").decode("latin-1").strip().lower()
    if charset not in CHARSETS:
        raise BadInput(f"A form in {charset[:20]!r} is not read here: send it in UTF-8.")
    if not _kind(request).startswith("multipart/"):
        return await request.form(max_files=several, max_fields=500)
    pools: Pools = request.app.state.pools
    async with pools.body():
        return await request.form(max_files=several, max_fields=500)


def _kind(request: Request) -> str:
    return request.headers.get("content-type", "").strip().lower()


def _most_bytes(request: Request, several: int) -> int:
    """How large a post may be, by what it is for."""
    if request.url.path == "/enter":
        return MOST_ENTER_BYTES
    if not _kind(request).startswith("multipart/"):
        return MOST_FORM_BYTES
    return MOST_UPLOAD_BYTES if several == 1 else MOST_PICTURES_BYTES


async def read_form(request: Request) -> Form:
    given = await posted(request)
    values: dict[str, list[str]] = {}
    for key, value in given.multi_items():
        if isinstance(value, str):
            values.setdefault(key[:80], []).append(value)
    return Form(values)


@dataclass(frozen=True)
class Upload:
    """A file that came with a form."""

    name: str
    data: bytes


async def read_upload(request: Request) -> Upload | None:
    """Read the file of a form, and stop at the limit."""
    given = await posted(request)
    file = given.get("file")
    if not isinstance(file, UploadFile):
        return None
    data = await file.read(MOST_UPLOAD_BYTES + 1)
    await given.close()
    if len(data) > MOST_UPLOAD_BYTES:
        raise HTTPException(413)
    name = "".join(
        c for c in (file.filename or "recording").replace("\\", "/").rsplit("/", 1)[-1] if c.isprintable()
    )
    return Upload(name[:120] or "recording", data)


async def read_pictures(request: Request) -> list[Upload]:
    """Read the pictures of a form, each up to a little over its limit, so that it can be said which is too
    large."""
    given = await posted(request)
    files = [x for x in given.getlist("file") if isinstance(x, UploadFile)]
    read = [Upload((x.filename or "picture")[:120], await x.read(MOST_PICTURE_BYTES + 1)) for x in files]
    await given.close()
    return [x for x in read if x.data]


def the_workshop(request: Request) -> Workshop:
    """The workshop, or its training ground where a training vehicle is asked for: there only what an exercise
    opens. Raises NotAllowed."""
    workshop: Workshop = request.app.state.workshop
    job_id = str(request.path_params.get("job_id", ""))
    if not is_training(job_id):
        return workshop
    if why := shut(workshop, job_id, request.method, request.url.path):
        raise NotAllowed(why)
    return workshop.training


def the_readers(request: Request) -> Readers[Recording]:
    readers: Readers[Recording] = request.app.state.readers
    return readers


def the_picture_readers(request: Request) -> Readers[Cleaned]:
    readers: Readers[Cleaned] = request.app.state.pictures
    return readers


def the_papers(request: Request) -> Readers[bytes]:
    papers: Readers[bytes] = request.app.state.papers
    return papers


def the_opening(request: Request) -> Opening:
    return Opening(request.app.state.bundles, request.app.state.pictures, request.app.state.long_jobs)


def the_pools(request: Request) -> Pools:
    pools: Pools = request.app.state.pools
    return pools


GivenUpload = Annotated[Upload | None, Depends(read_upload)]
GivenForm = Annotated[Form, Depends(read_form)]
GivenWorkshop = Annotated[Workshop, Depends(the_workshop)]
GivenReaders = Annotated[Readers[Recording], Depends(the_readers)]
GivenPictures = Annotated[list[Upload], Depends(read_pictures)]
GivenPapers = Annotated[Readers[bytes], Depends(the_papers)]
GivenOpening = Annotated[Opening, Depends(the_opening)]
GivenPools = Annotated[Pools, Depends(the_pools)]
GivenPictureReaders = Annotated[Readers[Cleaned], Depends(the_picture_readers)]
