"""The one way a form becomes entries: read, write, show the page again or go on."""

from collections.abc import Callable
from typing import Any

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.errors import BadInput, Busy, Conflict, Fault, NoSpace
from frosty_piston.store.workshop import JobRecord, Workshop

from .forms import Form
from .page import Kept, is_htmx, job_page, status_of, writer

MOST_NAME = 120
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
    everything that was typed, under the name by which it was posted: its own, else `name`. The same press
    again writes nothing; its key with other content is a Conflict, answered like a refused form, with a key
    of its own."""
    record = workshop.tapes.job(job_id)
    act = form.act(request.url.path)
    name = form.raw("kept_as")[:MOST_NAME] or name
    try:
        if act is None or workshop.tapes.done(job_id, act) is None:
            raws = maker(form, record, workshop)
            form.done()
            if raws:
                workshop.tapes.write(job_id, raws, writer(request, form), act=act)
    except (Conflict, Busy, NoSpace) as error:
        refused = BadInput([Fault(form.first, str(error))], form.kept)
        kept = Kept.of(name, refused, form.kept)
        return job_page(
            request, record, stage, work=work, view=show(record, workshop), kept=kept, status=status_of(error)
        )
    except BadInput as error:
        if error.faults and all(f.path.startswith("entries[") for f in error.faults):
            error = BadInput([type(f)(f.path.rsplit(".", 1)[-1], f.says) for f in error.faults], form.kept)
        return job_page(
            request,
            record,
            stage,
            work=work,
            view=show(record, workshop),
            kept=Kept.of(name, error, form.kept),
            status=422,
        )
    if is_htmx(request):
        record = workshop.tapes.job(job_id)
        return job_page(request, record, stage, work, show(record, workshop))
    return RedirectResponse(back, 303)
