"""The one way a form becomes entries: read, write, show the page again or go on."""

from collections.abc import Callable
from typing import Any

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.errors import BadInput, Conflict
from frosty_piston.store.workshop import JobRecord, Workshop

from .forms import Form
from .page import Kept, is_htmx, job_page, person

Maker = Callable[[Form, JobRecord, Workshop], list[dict[str, Any]]]
Show = Callable[[JobRecord, Workshop], dict[str, Any]]


def submit(
    request: Request,
    workshop: Workshop,
    job_id: str,
    form: Form,
    name: str,
    maker: Maker,
    stage: str,
    work: str,
    show: Show,
    back: str,
) -> Response:
    """Turn a posted form into entries and answer with the page.

    `maker` reads the form into entries (raising BadInput); `show` makes the view of the page. A page that
    posts by itself gets its zones back; a plain post is sent on to `back`. A refused form comes back with
    everything that was typed. When the page was sent twice with other content, the second is a new entry.
    """
    record = workshop.tapes.job(job_id)
    try:
        raws = maker(form, record, workshop)
        form.done()
        if raws:
            try:
                workshop.tapes.write(job_id, raws, person(request) or None)
            except Conflict:
                form.values["entry_id"] = [""]
                workshop.tapes.write(job_id, maker(form, record, workshop), person(request) or None)
    except BadInput as error:
        if error.faults and all(f.path.startswith("entries[") for f in error.faults):
            error = BadInput([type(f)(f.path.rsplit(".", 1)[-1], f.says) for f in error.faults], form.kept)
        return job_page(
            request, record, stage, work, show(record, workshop), Kept.of(name, error, form.kept), 422
        )
    if is_htmx(request):
        record = workshop.tapes.job(job_id)
        return job_page(request, record, stage, work, show(record, workshop))
    return RedirectResponse(back, 303)
