"""The pictures of a job: brought in, beside the entries they belong to, marked on a copy, on the report."""

import re
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.errors import BadInput, Fault, NotHere
from frosty_piston.core.words import sentence
from frosty_piston.formats.child_process import Readers
from frosty_piston.formats.picture import Cleaned, Mark, marked
from frosty_piston.job.entries import SHOWS, Entry, Picture
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import (
    MOST_PICTURES,
    GivenForm,
    GivenPictureReaders,
    GivenPictures,
    GivenPools,
    GivenWorkshop,
    Upload,
)
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.page import Kept, is_htmx, job_page, status_of, writer
from frosty_piston.web.frame.shown_pictures import pictures_of

router = APIRouter()
WORK = "pictures/_work.html"
ONE = "pictures/_one.html"
ON_PAPER = ("find", "warning", "before", "after")
COLUMNS = "ABCDEFGH"
ROWS = range(1, 7)
MOST_MARKS = 8
_MARK = re.compile(
    r"^(arrow|circle) (0(?:\.\d{1,4})?|1) (0(?:\.\d{1,4})?|1) (0(?:\.\d{1,4})?|1) (0(?:\.\d{1,4})?|1)$"
)


def _asked(request: Request, record: JobRecord) -> dict[str, str]:
    """What a new picture will be of, by the address."""
    query_params = request.query_params
    shows = query_params.get("shows", "find")
    return {
        "shows": shows if shows in SHOWS else "find",
        "about": query_params.get("about", "") if query_params.get("about") in record.job.position else "",
        "step": query_params.get("step", "")[:60],
        "node": query_params.get("node", "")[:60],
    }


def show(record: JobRecord, workshop: Workshop, asked: dict[str, str] | None = None) -> dict[str, Any]:
    knowledge = workshop.knowledge
    on_tape = {x.id: x for x in record.job.tape}
    asked = asked or {"shows": "find", "about": "", "step": "", "node": ""}
    about = on_tape.get(asked["about"])
    return {
        "pictures": pictures_of(record, workshop.pictures)[::-1],
        "asked": asked,
        "about_says": about.data.says(knowledge, on_tape) if about else "",
        "kinds": [(key, sentence(says)) for key, says in SHOWS.items()],
        "says_of": {
            picture.about: on_tape[picture.about].data.says(knowledge, on_tape)
            for picture in pictures_of(record, workshop.pictures)
            if picture.about in on_tape
        },
        "most": MOST_PICTURES,
    }


@router.get("/jobs/{job_id}/pictures")
def pictures_page(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "pictures", WORK, show(record, workshop, _asked(request, record)))


def _entries(form: Form, record: JobRecord, keys: list[str]) -> list[dict[str, Any]]:
    shows = form.choice("shows", SHOWS)
    note = form.text("note", 200)
    about, step, node = (form.raw(name) or None for name in ("about", "step", "node"))
    form.done()
    paper = shows in ON_PAPER or None
    data = {"shows": shows, "about": about, "step": step, "node": node, "note": note, "paper": paper}
    known = {x.data.image for x in record.job.of(Picture) if x.data.about == about and x.data.step == step}
    fresh = [key for key in dict.fromkeys(keys) if key not in known]
    return [form.entry("picture", {"image": key, **data}, str(n) if n else "") for n, key in enumerate(fresh)]


def _cleaned(readers: Readers[Cleaned], files: list[Upload]) -> tuple[list[Cleaned], list[Fault]]:
    """What can be kept of some files, and what is wrong with the rest: one bad picture does not lose the
    others."""
    made = []
    faults = []
    for file in files:
        try:
            made.append(readers.read(file.data))
        except BadInput as error:
            faults.append(Fault("file", f"{file.name[:60]}: {error.faults[0].says}"))
    return made, faults


@router.post("/jobs/{job_id}/pictures")
async def bring_in(
    request: Request,
    job_id: str,
    form: GivenForm,
    files: GivenPictures,
    workshop: GivenWorkshop,
    readers: GivenPictureReaders,
    pools: GivenPools,
) -> Response:
    """Keep one or several pictures. The same press again keeps nothing twice."""
    return await pools.uploads.run(_bring_in, request, job_id, form, files, workshop, readers)


def _bring_in(
    request: Request,
    job_id: str,
    form: Form,
    files: list[Upload],
    workshop: Workshop,
    readers: Readers[Cleaned],
) -> Response:
    record = workshop.tapes.job(job_id)
    asked = {name: form.raw(name) for name in ("shows", "about", "step", "node")}
    faults = [] if files else [Fault("file", "choose a picture, or take one")]
    try:
        act = form.act(request.url.path)
        if files and (act is None or workshop.tapes.done(job_id, act) is None):
            made, faults = _cleaned(readers, files)
            raws = _entries(form, record, [workshop.pictures.keep(m) for m in made])
            if raws:
                workshop.tapes.write(job_id, raws, writer(request, form), act=act)
    except BadInput as error:
        faults = [*faults, *error.faults]
    except Exception as error:
        if status_of(error) == 500:
            raise
        kept = Kept("picture", form.kept, {"file": str(error)})
        return job_page(
            request,
            record,
            "pictures",
            work=WORK,
            view=show(record, workshop, asked),
            kept=kept,
            status=status_of(error),
        )
    record = workshop.tapes.job(job_id)
    if faults:
        kept = Kept("picture", form.kept, {f.path: f.says for f in faults[:1]})
        kept.faults["file"] = " ".join(f.says for f in faults)
        return job_page(
            request, record, "pictures", work=WORK, view=show(record, workshop, asked), kept=kept, status=422
        )
    if is_htmx(request):
        return job_page(request, record, "pictures", WORK, show(record, workshop, asked))
    return RedirectResponse(f"/jobs/{job_id}/pictures", 303)


# one picture, and marks on a copy of it


def _one(record: JobRecord, entry_id: str) -> Entry[Picture]:
    found = next((x for x in record.job.of(Picture) if x.id == entry_id), None)
    if found is None:
        raise NotHere("There is no such picture on this job.")
    return found


def _show_one(record: JobRecord, workshop: Workshop, entry_id: str) -> dict[str, Any]:
    _one(record, entry_id)
    picture = next(p for p in pictures_of(record, workshop.pictures) if p.id == entry_id)
    places = [f"{c}{r}" for r in ROWS for c in COLUMNS]
    return {
        "picture": picture,
        "columns": COLUMNS,
        "rows": list(ROWS),
        "places": places,
        "scripts": ["/static/js/marks.js"],
    }


@router.get("/jobs/{job_id}/pictures/{entry_id}")
def one_page(request: Request, job_id: str, entry_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "pictures", ONE, _show_one(record, workshop, entry_id))


def middle(place: str) -> tuple[float, float] | None:
    """The middle of a field of the grid, as shares of width and height.

    >>> middle("A1"), middle("H6"), middle("Z9")
    ((0.0625, 0.0833), (0.9375, 0.9167), None)
    """
    if len(place) != 2 or place[0] not in COLUMNS or not place[1].isdigit() or int(place[1]) not in ROWS:
        return None
    return round((COLUMNS.index(place[0]) + 0.5) / len(COLUMNS), 4), round(
        (int(place[1]) - 0.5) / len(ROWS), 4
    )


def _marks(form: Form) -> list[Mark]:
    """The marks that were drawn, and the one that was chosen by its field."""
    marks = []
    for line in filter(None, (x.strip() for x in form.raw("marks").splitlines())):
        found = _MARK.match(line)
        if found is None:
            form.wrong("marks", "these marks cannot be read: draw them again")
            break
        marks.append(Mark(found[1], *(float(x) for x in found.groups()[1:])))
    if place := form.raw("place"):
        at = middle(place)
        if at is None:
            form.wrong("place", f"a field from A1 to {COLUMNS[-1]}{ROWS[-1]} is wanted")
        elif form.raw("kind") == "circle":
            marks.append(Mark("circle", *at, min(at[0] + 0.5 / len(COLUMNS), 1.0), at[1]))
        else:
            left = at[0] > 0.5
            marks.append(Mark("arrow", at[0] + (-0.25 if left else 0.25), max(at[1] - 0.2, 0.02), *at))
    if not marks and not form.faults:
        form.wrong("place", "draw on the picture, or choose a field")
    if len(marks) > MOST_MARKS:
        form.wrong("marks", f"at most {MOST_MARKS} marks on one picture")
    return marks


@router.post("/jobs/{job_id}/pictures/{entry_id}/{name}")
def one_form(
    request: Request, job_id: str, entry_id: str, name: str, form: GivenForm, workshop: GivenWorkshop
) -> Response:
    if name not in ("mark", "paper"):
        raise NotHere("There is no such form.")

    def mark(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
        """A marked copy; the picture itself stays as it is."""
        of = _one(record, entry_id).data
        marks = _marks(form)
        note = form.text("note", 200)
        form.done()
        key = workshop.pictures.keep(marked(workshop.pictures.data(of.image), marks))
        more = {"note": note or of.note, "copy_of": of.image, "paper": True}
        kept = {k: v for k, v in of.model_dump().items() if k in ("shows", "about", "step", "node")}
        return [form.entry("picture", {"image": key, **kept, **more})]

    def paper(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
        """On the report, or off it: said anew."""
        of = _one(record, entry_id).data
        form.done()
        said = of.model_copy(update={"paper": form.raw("on") == "yes"}).model_dump(exclude_none=True)
        return [
            form.entry("correction", {"corrects": entry_id, "reason": "said anew"}, "back"),
            form.entry("picture", said),
        ]

    def shown(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
        still = any(x.id == entry_id for x in record.job.of(Picture))
        return _show_one(record, workshop, entry_id if still else record.job.tape[-1].id)

    makers = {"mark": mark, "paper": paper}
    back = f"/jobs/{job_id}/pictures"
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name=name,
        maker=makers[name],
        stage="pictures",
        work=ONE,
        show=shown,
        back=back,
    )


@router.get("/pictures/{name}.jpg")
def picture_file(name: str, workshop: GivenWorkshop) -> Response:
    return Response(workshop.pictures.data(name), media_type="image/jpeg")


@router.get("/pictures/{name}/small.jpg")
def thumb_file(name: str, workshop: GivenWorkshop) -> Response:
    return Response(workshop.pictures.data(name, thumb=True), media_type="image/jpeg")
