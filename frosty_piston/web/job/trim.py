"""Trim codes: each injector's code typed twice, read back in groups of four, held against the control
unit's."""

from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.trim import ALPHABETS, cleaned, difference, groups, outside
from frosty_piston.job.repair.trim import codes_of, codings
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Fields, Form, line, one_of
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.page import job_page

router = APIRouter()
WORK = "trim/_work.html"
MOST = 40
WHERE = {"part": "read on the injector", "unit": "read back from the control unit", "sheet": "from a sheet"}


def _asked_for(record: JobRecord) -> tuple[str, int | None]:
    """The alphabet and the length that the engine card asks for."""
    engine = record.job.engine
    length = engine.choice("trim_length")
    return engine.choice("trim_alphabet") or "", int(length) if length else None


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    alphabet, length = _asked_for(record)
    rows = [
        {
            "cylinder": str(coding.cylinder),
            "code": coding.code,
            "groups": groups(coding.code),
            "unit": coding.unit,
            "agrees": coding.agrees,
            "differs": coding.differs,
            "earlier": [(code, WHERE[where]) for code, where in coding.earlier][-4:],
        }
        for coding in codings(record.job, range(1, record.job.cylinders + 1))
    ]
    return {
        "rows": rows,
        "where": [(key, words) for key, words in WHERE.items()],
        "alphabet": alphabet,
        "length": length,
        "cylinders": [r["cylinder"] for r in rows],
        "open": [r["cylinder"] for r in rows if r["code"] and not r["agrees"]],
    }


class TrimForm(Fields):
    code: Annotated[str | None, line(80, "type the code, as it stands on the injector")]
    again: Annotated[str | None, line(80)]
    where: Annotated[str | None, one_of(*WHERE)]


def write(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A code, typed twice or read back; two injectors with the same one are asked about."""
    fields = form.read(TrimForm, record, workshop)
    cylinder = form.whole("cylinder", 1, record.job.cylinders)
    if cylinder is None and not form.raw("cylinder"):
        form.wrong("cylinder", "choose the cylinder")
    code = cleaned(fields.code or "")
    again = cleaned(fields.again or "")
    if code:
        _held_against_the_card(form, record, code)
    pasted = fields.where == "sheet" and form.raw("pasted") == "yes"
    if fields.where != "unit" and code and not pasted:
        if not again:
            form.wrong("again", "type it a second time, from the injector and not from the screen")
        elif told := difference(code, again):
            form.wrong("again", f"the two differ: {told}")
    same = [
        c for c, written in codes_of(record.job).items() if c != cylinder and written[-1].data.code == code
    ]
    if code and same and form.raw("really") != "yes":
        form.wrong("really", f"cylinder {same[0]} has the same code: tick it when that is so")
    form.done()
    return [form.entry("trim", {"cylinder": cylinder, "code": code, "from": fields.where})]


def _held_against_the_card(form: Form, record: JobRecord, code: str) -> None:
    alphabet, length = _asked_for(record)
    if length is not None and len(code) != length:
        form.wrong("code", f"{len(code)} signs; the engine card says {length}")
    if alphabet and (wrong := outside(code, alphabet)):
        sign = code[wrong[0] - 1]
        form.wrong(
            "code", f"{sign!r} at place {wrong[0]} cannot be; the card says {ALPHABETS[alphabet][:12]} ..."
        )
    if len(code) > MOST:
        form.wrong("code", f"{len(code)} signs; at most {MOST} are kept")


def swap(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Two injectors changed places: their codes go along."""
    first, second = (form.whole(name, 1, record.job.cylinders) for name in ("first", "second"))
    known = codes_of(record.job)
    for name, value in (("first", first), ("second", second)):
        if value is None and not form.raw(name):
            form.wrong(name, "choose the cylinder")
        elif value is not None and value not in known:
            form.wrong(name, f"no code is written for cylinder {value}")
    if first is not None and first == second:
        form.wrong("second", "choose another cylinder than the first")
    form.done()
    assert first is not None and second is not None
    codes = {
        c: [x for x in known[c] if x.data.from_ != "unit"][-1:] or known[c][-1:] for c in (first, second)
    }
    return [
        form.entry("trim", {"cylinder": to, "code": codes[of][0].data.code, "from": "sheet"}, f"to{to}")
        for of, to in ((first, second), (second, first))
    ]


FORMS = {"write": write, "swap": swap}


@router.get("/jobs/{job_id}/trim")
def trim_page(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "trim", WORK, show(record, workshop))


@router.post("/jobs/{job_id}/trim/write")
def write_form(request: Request, job_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    return _posted(request, job_id, "write", form, workshop)


@router.post("/jobs/{job_id}/trim/swap")
def swap_form(request: Request, job_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    return _posted(request, job_id, "swap", form, workshop)


def _posted(request: Request, job_id: str, name: str, form: Form, workshop: Workshop) -> Response:
    back = f"/jobs/{job_id}/trim"
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name=name,
        maker=FORMS[name],
        stage="trim",
        work=WORK,
        show=show,
        back=back,
    )
