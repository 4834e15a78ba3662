"""Signing in and out, the people of the workshop, and one's own passphrase and programs."""

from typing import Any, get_args

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from frosty_piston.core.errors import BadInput, Busy, Fault, NotAllowed, NotHere
from frosty_piston.store.people import LEAST_SIGNS, LONGEST, Person, passphrase_faults
from frosty_piston.store.rights import SAYS, Right
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.frame.authentication import COOKIE, Tries, secret_of
from frosty_piston.web.frame.dependencies import GivenForm, GivenPools, GivenWorkshop
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.frame.page import Kept, render
from frosty_piston.web.frame.signed_in import person_of

from .day import FEED

router = APIRouter()
NOT_TOGETHER = "name and passphrase do not belong together"


def _back(form: Form) -> str:
    back = form.raw("back")
    return back if back.startswith("/") and not back.startswith(("//", "/\\")) else "/"


def _me(request: Request) -> Person:
    person = person_of(request)
    if person is None:
        raise NotHere("People sign in where the workshop is reached from other machines; here nobody has to.")
    return person


@router.get("/enter")
def enter_page(request: Request, workshop: GivenWorkshop, back: str = "/") -> Response:
    return _enter(request, workshop, back)


def _enter(
    request: Request, workshop: Workshop, back: str, kept: Kept | None = None, status: int = 200
) -> Response:
    nobody = not workshop.people.anybody()
    return render(request, "people/enter.html", status, back=back[:500], kept=kept or Kept(), nobody=nobody)


def _address(request: Request) -> str:
    return request.client.host if request.client else ""


def _wait(wait_s: float) -> str:
    return f"too many wrong ones: wait {wait_s:.0f} s, then try again"


@router.post("/enter")
async def enter(request: Request, form: GivenForm, workshop: GivenWorkshop, pools: GivenPools) -> Response:
    """Sign in. After a few wrong tries each further one waits."""
    tries: Tries = request.app.state.tries
    name = form.raw("name")
    address = _address(request)
    given = form.values.get("passphrase", [""])[-1]

    def again(says: str, status: int, wait_s: float = 0.0) -> Response:
        refused = BadInput([Fault("passphrase", says)])
        page = _enter(request, workshop, _back(form), Kept.of("enter", refused, {"name": name}), status)
        if status == 429:
            page.headers["Retry-After"] = str(int(wait_s) + 1)
        return page

    def begin() -> Response | None:
        wait_s = tries.begin(name, address, workshop.people.signed_in_at(name, address))
        return again(_wait(wait_s), 429, wait_s) if wait_s > 0 else None

    if (answer := await pools.entrance.run(begin)) is not None:
        return answer
    try:
        secret = await pools.sign_ins.run(workshop.people.sign_in, name, given, address)
    except Busy as error:
        tries.not_tried(name, address)
        return await pools.entrance.run(again, str(error), 429, 4.0)
    if secret is None:
        return await pools.entrance.run(again, NOT_TOGETHER, 422)
    tries.right(name, address)
    answer = RedirectResponse(_back(form), 303)
    answer.set_cookie(
        COOKIE,
        secret,
        max_age=int(LONGEST.total_seconds()),
        httponly=True,
        samesite="lax",
        secure=request.url.scheme == "https",
    )
    return answer


@router.post("/leave")
def leave(request: Request, workshop: GivenWorkshop) -> Response:
    _me(request)
    workshop.people.sign_out(secret_of(request))
    answer = RedirectResponse("/enter", 303)
    answer.delete_cookie(COOKIE)
    return answer


def _people(request: Request, workshop: Workshop, kept: Kept | None = None, status: int = 200) -> Response:
    return render(
        request,
        "people/people.html",
        status,
        everybody=workshop.people.everybody(),
        rights=list(SAYS.items()),
        least=LEAST_SIGNS,
        kept=kept or Kept(),
    )


@router.get("/people")
def people_page(request: Request, workshop: GivenWorkshop) -> Response:
    _me(request)
    return _people(request, workshop)


def _add(form: Form, workshop: Workshop) -> None:
    name = form.raw("name")
    given = form.values.get("passphrase", [""])[-1]
    right = form.choice("right", get_args(Right))
    form.faults += passphrase_faults(name, given)
    if any(p.name == name and p.can_sign_in for p in workshop.people.everybody()):
        form.wrong("name", "this one can sign in already; who lost a passphrase is shut out first")
    form.done()
    workshop.people.set_passphrase(name, given, _right(right))


def _change(form: Form, workshop: Workshop) -> None:
    right = form.choice("right", get_args(Right))
    form.done()
    workshop.people.change_right(form.raw("name"), _right(right))


def _shut_out(form: Form, workshop: Workshop) -> None:
    workshop.people.shut_out(form.raw("name"))
    workshop.settings.save(FEED, {})  # they know the address of the calendar


def _right(text: str | None) -> Right:
    return next(right for right in get_args(Right) if right == text)


FORMS = {"add": _add, "right": _change, "shut_out": _shut_out}


@router.post("/people/{name}")
async def people_form(
    request: Request, name: str, form: GivenForm, workshop: GivenWorkshop, pools: GivenPools
) -> Response:
    _me(request)
    if name not in FORMS:
        raise NotHere("There is no such form.")
    try:
        await pools.sign_ins.run(FORMS[name], form, workshop)
    except BadInput as error:
        shown = {key: value for key, value in form.kept.items() if key != "passphrase"}
        kept = Kept(name, shown, {f.path: f.says for f in error.faults})
        return await run_in_threadpool(_people, request, workshop, kept, 422)
    return RedirectResponse("/people", 303)


def _own(
    request: Request, workshop: Workshop, kept: Kept | None = None, status: int = 200, token: str = ""
) -> Response:
    me = _me(request)
    programs: Any = next((p.programs for p in workshop.people.everybody() if p.name == me.name), ())
    return render(request, "people/me.html", status, programs=programs, token=token, kept=kept or Kept())


@router.get("/me")
def own_page(request: Request, workshop: GivenWorkshop) -> Response:
    return _own(request, workshop)


@router.post("/me/passphrase")
async def own_passphrase(
    request: Request, form: GivenForm, workshop: GivenWorkshop, pools: GivenPools
) -> Response:
    """Change one's own passphrase; whoever is signed in under this name signs in anew, and the tokens of
    their programs end."""
    me = _me(request)
    tries = request.app.state.tries
    old, new = (form.values.get(key, [""])[-1] for key in ("old", "passphrase"))
    form.faults += passphrase_faults(me.name, new)
    if not form.faults and (wait_s := tries.begin(me.name, _address(request), True)) > 0:
        form.wrong("old", _wait(wait_s))
    elif not form.faults:
        if await pools.sign_ins.run(workshop.people.is_passphrase, me.name, old):
            tries.right(me.name, _address(request))
        else:
            form.wrong("old", "this is not your passphrase")
    if form.faults:
        kept = Kept("passphrase", {}, {f.path: f.says for f in form.faults})
        return await run_in_threadpool(_own, request, workshop, kept, 422)
    await pools.sign_ins.run(workshop.people.set_passphrase, me.name, new)
    return RedirectResponse("/enter", 303)


@router.post("/me/programs")
def own_programs(request: Request, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """A token for a program of one's own, shown once; or its end."""
    me = _me(request)
    if not me.seal:
        raise NotAllowed("A program makes no tokens: sign in.")
    if form.raw("end"):
        workshop.people.end_program(me.name, form.raw("end"))
        return RedirectResponse("/me", 303)
    try:
        token = workshop.people.add_program(me.name, form.raw("program"))
    except BadInput as error:
        return _own(request, workshop, Kept.of("programs", error, form.kept), 422)
    return _own(request, workshop, token=token)
