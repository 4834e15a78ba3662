"""The vacuum circuit of a job: its list is the editor, and the drawing is made from it."""

from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.circuit import outward
from frosty_piston.core.errors import FrostyPistonError, NotHere
from frosty_piston.core.quantity import plain
from frosty_piston.job.circuit import editing as edit
from frosty_piston.job.circuit.isolation import Isolation
from frosty_piston.job.circuit.on_tape import circuit_entry, circuit_of
from frosty_piston.job.entries import Circuit
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.drawing.circuit_view import STATE_MARKS, drawn, test_of
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Fields, Form, figure, known, line, one_of
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.page import job_page, person

router = APIRouter()
WORK = "circuit/_work.html"
HOSE_FIELDS = ("mark", "length_mm", "heat", "age_years", "access_min", "last_hands")
HEAT = ("exhaust", "engine", "cool")
FOUND = "found"
SHOULD = "should"


def now_on(record: JobRecord, of: str = FOUND) -> edit.Listed:
    last = circuit_entry(record.job, of)
    return edit.listed(last.data if last else None)


def _of(form: Form) -> str:
    """Which of the two lists a form changes: the circuit as found, or as it should be."""
    return SHOULD if form.raw("of") == SHOULD else FOUND


def _differences(record: JobRecord) -> list[tuple[str, str, str]]:
    """What was found otherwise than it should be, where both were written down."""
    should = circuit_entry(record.job, SHOULD)
    return edit.differences(now_on(record), edit.listed(should.data)) if should and should.data.of else []


def show(record: JobRecord, workshop: Workshop, opened: str = "", of: str = FOUND) -> dict[str, Any]:
    """What the page prints. `opened`: the part or hose whose form stands in the list; `of`: which list."""
    knowledge = workshop.knowledge
    now = now_on(record, of)
    last = circuit_entry(record.job, of)
    circuit = circuit_of(last.data) if last else None
    found = record.assessed.isolation if of == FOUND else None
    titles = {p["id"]: p["title"] for p in now["parts"]}
    free = edit.free_ports(now, knowledge.circuit.part_kinds)
    hoses = [(h["id"], f"a tee in {_hose_words(h, titles)}") for h in now["hoses"]]
    hoses += [(edit.IN_LINE + h["id"], f"in the line {_hose_words(h, titles)}") for h in now["hoses"]]
    return {
        "listed": now,
        "opened": opened,
        "of": of,
        "both": any(x.data.of for x in record.job.of(Circuit)),
        "differences": _differences(record),
        "drawn": drawn(record, workshop, found, of),
        "rows": _rows(now, knowledge, found, record.job.id),
        "wrong": outward(circuit, knowledge.circuit.part_kinds).wrong
        if circuit and _known(now, knowledge)
        else (),
        "kinds": [(key, shape.title) for key, shape in knowledge.circuit.kinds.items()],
        "free": free,
        "places": [*free, *hoses],
        "ports": _ports(now, knowledge),
        "heat": [
            ("", "not said"),
            *(
                (h, {"exhaust": "near the exhaust", "engine": "near the engine", "cool": "cool"}[h])
                for h in HEAT
            ),
        ],
        "offered": [
            (name, _offered_title(name), name in edit.on_card(record.job.engine)) for name in edit.OFFERED
        ],
        "of_card": workshop.garage.circuit_of(record.job.engine.name) is not None,
        "of_vehicle": _of_vehicle(record, workshop) is not None,
        "earlier": sum(1 for x in record.job.of(Circuit) if x.data.of in (None, of)),
    }


def _offered_title(name: str) -> str:
    return edit.PLAIN.get(name) or edit.CONSUMERS[name][0]


def _known(now: edit.Listed, knowledge: Knowledge) -> bool:
    return all(p["kind"] in knowledge.circuit.kinds for p in now["parts"])


def _hose_words(h: dict[str, Any], titles: dict[str, str]) -> str:
    (a, _, _) = h["from"].partition(".")
    (b, _, _) = h["to"].partition(".")
    return f"{titles.get(a, a)} to {titles.get(b, b)}"


def _ports(now: edit.Listed, knowledge: Knowledge) -> list[tuple[str, str]]:
    """Every port that a hose can be on."""
    rows = []
    for p in now["parts"]:
        kind = knowledge.circuit.part_kinds.get(p["kind"])
        for port in kind.ports if kind else ():
            rows.append((f"{p['id']}.{port}", f"{p['title']}, {port.replace('_', ' ')}"))
    return rows


def _rows(
    now: edit.Listed, knowledge: Knowledge, found: Isolation | None, job_id: str
) -> list[dict[str, Any]]:
    """The list from the pump outward: every hose followed by the part it leads to."""
    states = found.states if found else {}
    parts = {p["id"]: p for p in now["parts"]}
    hoses = {h["id"]: h for h in now["hoses"]}
    titles = {p["id"]: p["title"] for p in now["parts"]}
    order = _in_order(found)
    depth = _depths(found)
    begin = [
        part_id
        for part_id, p in parts.items()
        if p["kind"] in knowledge.circuit.kinds and knowledge.circuit.kinds[p["kind"]].gives
    ]
    rest = [i for i in (*parts, *hoses) if i not in begin and i not in order]
    rows = []
    for item in (*begin, *order, *rest):
        part = parts.get(item)
        hose = hoses.get(item)
        state = states.get(item, "unknown")
        rows.append(
            {
                "id": item,
                "part": part,
                "hose": {**dict.fromkeys(HOSE_FIELDS), **hose} if hose else None,
                "title": part["title"] if part else _hose_words(hose or {}, titles),
                "kind": knowledge.circuit.kinds[part["kind"]].title
                if part and part["kind"] in knowledge.circuit.kinds
                else "",
                "says": _about(hose) if hose else "",
                "depth": min(depth.get(item, 0), 9),
                "state": state,
                "verdict": STATE_MARKS[state],
                "link": test_of(knowledge, job_id, part["kind"] if part else "", item),
            }
        )
    return rows


def _in_order(found: Isolation | None) -> list[str]:
    """The places branch by branch, each followed by what hangs on it."""
    if found is None:
        return []
    sites = found.leaking.branches.sites
    ids = found.leaking.ids
    below: dict[int, list[int]] = {}
    for index, site in enumerate(sites):
        below.setdefault(site.hangs_on, []).append(index)
    order = list[str]()
    todo = below.get(-1, [])[::-1]
    while todo:
        index = todo.pop()
        order.append(ids[index])
        todo += below.get(index, [])[::-1]
    return order


def _depths(found: Isolation | None) -> dict[str, int]:
    depth: dict[str, int] = {}
    sites = found.leaking.branches.sites if found else ()
    ids = found.leaking.ids if found else ()
    parts = {p.id for p in found.leaking.circuit.parts} if found else set()
    for n, site in enumerate(sites):
        above = depth[ids[site.hangs_on]] if site.hangs_on >= 0 else 0
        depth[ids[n]] = above + (ids[n] not in parts)
    return depth


def _about(hose: dict[str, Any]) -> str:
    """What is known of a hose, in a line."""
    said = [
        hose.get("mark", ""),
        f"{plain(hose['length_mm'])} mm" if "length_mm" in hose else "",
        {"exhaust": "near the exhaust", "engine": "near the engine", "cool": "cool"}.get(
            hose.get("heat", ""), ""
        ),
        f"{plain(hose['age_years'])} years" if "age_years" in hose else "",
        f"{plain(hose['access_min'])} min to reach" if "access_min" in hose else "",
        "last hands were here" if hose.get("last_hands") else "",
    ]
    return ", ".join(s for s in said if s)


def _of_vehicle(record: JobRecord, workshop: Workshop) -> edit.Listed | None:
    """The circuit that was last written down for this vehicle, on another job."""
    for visit in workshop.yard.visits(record.vehicle_id, record.job.id):
        try:
            last = circuit_entry(workshop.tapes.job(visit.id).job, SHOULD)
        except FrostyPistonError:
            continue
        if last is not None:
            return edit.listed(last.data)
    return None


def _entry(form: Form, record: JobRecord, new: edit.Listed) -> list[dict[str, Any]]:
    """The list written anew. Once the two are told apart, only its own side changes."""
    apart = any(x.data.of for x in record.job.of(Circuit))
    return [form.entry("circuit", {**new, **({"of": _of(form)} if apart else {})})]


def apart(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Tell the circuit as found from how it should be: both begin as the list that stands."""
    now = now_on(record)
    if not now["parts"]:
        form.wrong("of", "write the circuit down first, as it was found")
    form.done()
    return [form.entry("circuit", {**now, "of": one}, one) for one in (FOUND, SHOULD)]


def start(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A list as such circuits mostly are, from what was ticked."""
    wanted = tuple(n for n in form.all("with") if n in edit.OFFERED)
    if not wanted:
        form.wrong("with", "tick what hangs on the pump")
    form.done()
    return _entry(form, record, edit.from_template(workshop.knowledge, wanted))


def take(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The circuit of the vehicle's last visit, or of the engine card."""
    where = form.choice("where", ("vehicle", "card"))
    kept = (
        _of_vehicle(record, workshop)
        if where == "vehicle"
        else workshop.garage.circuit_of(record.job.engine.name)
    )
    if kept is None:
        form.wrong("where", "no circuit is kept there")
    form.done()
    assert kept is not None
    return _entry(form, record, kept)


class AddForm(Fields):
    kind: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.circuit.kinds)]
    title: Annotated[str | None, line(60)]


def add(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A part, on a free port or into a hose."""
    fields = form.read(AddForm, record, workshop)
    now = now_on(record, _of(form))
    knowledge = workshop.knowledge
    hoses = [h["id"] for h in now["hoses"]]
    places = [i for i, _ in edit.free_ports(now, knowledge.circuit.part_kinds)] + hoses
    places += [edit.IN_LINE + h for h in hoses]
    on = form.choice("on", places, needed=False)
    if len(now["parts"]) >= edit.MOST_PARTS:
        form.wrong("kind", f"at most {edit.MOST_PARTS} parts stand on one list")
    in_line = (on or "").startswith(edit.IN_LINE)
    if in_line and fields.kind and not edit.passes(knowledge.circuit.part_kinds[fields.kind]):
        form.wrong("on", "nothing goes on behind such a part: it hangs on a tee or on a free port")
    form.done()
    assert fields.kind is not None
    return _entry(form, record, edit.added(now, knowledge, fields.kind, fields.title or "", on or ""))


def connect(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A hose between two ports; what is joined wrongly is pointed out, not forbidden."""
    now = now_on(record, _of(form))
    ports = [i for i, _ in _ports(now, workshop.knowledge)]
    near = form.choice("near", ports)
    far = form.choice("far", ports)
    if near and near == far:
        form.wrong("far", "choose another port than the first")
    form.done()
    assert near is not None and far is not None
    return _entry(form, record, edit.joined(now, near, far))


class PartForm(Fields):
    title: Annotated[str | None, line(60, "a name is wanted")]
    kind: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.circuit.kinds)]


def part(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A part renamed, or called of another kind."""
    fields = form.read(PartForm, record, workshop)
    now = now_on(record, _of(form))
    item = form.choice("item", [p["id"] for p in now["parts"]])
    form.done()
    assert item is not None
    return _entry(
        form, record, edit.changed(now, "parts", item, {"title": fields.title, "kind": fields.kind})
    )


class HoseForm(Fields):
    mark: Annotated[str | None, line(60)]
    length_mm: Annotated[float | None, figure("mm", 10, 20_000)]
    heat: Annotated[str | None, one_of(*HEAT, needed=False)]
    age_years: Annotated[float | None, figure("", 0, 100)]
    access_min: Annotated[float | None, figure("", 0, 1000)]


def hose(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """What is known of a hose, and which ports it joins."""
    fields = form.read(HoseForm, record, workshop)
    now = now_on(record, _of(form))
    ports = [i for i, _ in _ports(now, workshop.knowledge)]
    item = form.choice("item", [h["id"] for h in now["hoses"]])
    near = form.choice("near", ports)
    far = form.choice("far", ports)
    if near and near == far:
        form.wrong("far", "choose another port than the first")
    form.done()
    assert item is not None
    given = {
        "from": near,
        "to": far,
        "mark": fields.mark,
        "length_mm": fields.length_mm,
        "heat": fields.heat,
        "age_years": fields.age_years,
        "access_min": fields.access_min,
        "last_hands": True if form.raw("last_hands") == "yes" else None,
    }
    return _entry(form, record, edit.changed(now, "hoses", item, given))


def remove(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A part with its hoses, or a hose."""
    now = now_on(record, _of(form))
    item = form.choice("item", [x["id"] for x in (*now["parts"], *now["hoses"])])
    form.done()
    assert item is not None
    return _entry(form, record, edit.removed(now, item))


def undo(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The list as it was before the last change."""
    last = circuit_entry(record.job, _of(form))
    if last is None:
        form.wrong("item", "there is nothing to undo")
    form.done()
    assert last is not None
    return [form.entry("correction", {"corrects": last.id, "reason": "undone in the list of the circuit"})]


FORMS: dict[str, Callable[[Form, JobRecord, Workshop], list[dict[str, Any]]]] = {
    "start": start,
    "take": take,
    "add": add,
    "connect": connect,
    "part": part,
    "hose": hose,
    "remove": remove,
    "undo": undo,
    "apart": apart,
}


@router.get("/jobs/{job_id}/circuit")
def circuit_page(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    opened = request.query_params.get("open", "")
    of = SHOULD if request.query_params.get("of") == SHOULD else FOUND
    return job_page(request, record, "circuit", WORK, show(record, workshop, opened, of))


@router.post("/jobs/{job_id}/circuit/keep")
def keep(request: Request, job_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Copy the circuit to the engine card."""
    record = workshop.tapes.job(job_id)
    workshop.garage.keep_circuit(record.job.engine.name, now_on(record), person(request))
    return RedirectResponse(f"/jobs/{job_id}/circuit", 303)


@router.post("/jobs/{job_id}/circuit/{name}")
def circuit_form(
    request: Request, job_id: str, name: str, form: GivenForm, workshop: GivenWorkshop
) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name=_stands_at(form, name, now_on(workshop.tapes.job(job_id), _of(form))),
        maker=FORMS[name],
        stage="circuit",
        work=WORK,
        show=lambda r, w: show(r, w, form.raw("item") if name != "undo" else "", _of(form)),
        back=f"/jobs/{job_id}/circuit" + (f"?of={SHOULD}" if _of(form) == SHOULD else ""),
    )


def _stands_at(form: Form, name: str, listed: edit.Listed) -> str:
    """The form of the page at which a refusal stands; the page itself where that form is not shown."""
    if name in ("start", "take"):
        return "circuit" if listed["parts"] else name
    if name in ("part", "hose", "remove"):
        known = form.raw("item") in {x["id"] for x in (*listed["parts"], *listed["hoses"])}
        return f"{name}-{form.raw('item')}" if known else "circuit"
    return name
