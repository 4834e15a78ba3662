"""Recordings: brought in, mapped to channels once per layout, looked at, marked, compared, judged, taken out
again."""

from collections.abc import Sequence
from dataclasses import asdict
from typing import Annotated, Any
from urllib.parse import urlencode

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from frosty_piston.core.actuators import dead_stretches
from frosty_piston.core.boost import BoostLimits, boost_table
from frosty_piston.core.errors import BadInput, Fault, NotHere
from frosty_piston.core.quantity import plain
from frosty_piston.core.traces import Signal, cut, event_s, figures_of, signal, spaced, thin
from frosty_piston.core.words import counted, sign
from frosty_piston.formats.channel_map import converted, guess, mapped, shape_of
from frosty_piston.formats.child_process import Readers
from frosty_piston.formats.mdf_recording import write_mdf
from frosty_piston.formats.recording import MOST_BYTES, Recording
from frosty_piston.formats.trace_files import write_csv
from frosty_piston.job.entries import Stretch
from frosty_piston.job.judging.air_recorded import analysed, swirl_of_two
from frosty_piston.job.judging.analysed import Analysed
from frosty_piston.job.judging.recorded import drives_in, judged_drive, judged_position, without_command
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.recordings import TraceInfo
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.drawing.chart_picture import chart_picture
from frosty_piston.web.drawing.loop_picture import loop_picture
from frosty_piston.web.frame.dependencies import (
    GivenForm,
    GivenPools,
    GivenReaders,
    GivenUpload,
    GivenWorkshop,
    Upload,
)
from frosty_piston.web.frame.downloads import download
from frosty_piston.web.frame.forms import Fields, Form, figure, line
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.page import Kept, job_page, person, render

router = APIRouter()
LIST = "traces/_list.html"
MAP = "traces/_map.html"
VIEW = "traces/_view.html"
FIRST_ROWS = 5
MOST_POINTS = 4000
SHOWN_FIRST = 4
FIRST_SHOWN = ("egr_valve", "boost_trace", "turbo_actuator", "inlet_flap", "egr_air_change", "bypass_watch")
MOST_AT_ONCE = 500_000


# the list, and what comes in


def show_list(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    found = workshop.recordings.of_job(record.job.id)
    gone = record.job.gone
    return {
        "traces": [
            {
                "t": t,
                "seconds": plain(t.span[1] - t.span[0]),
                "gone": t.id in gone,
                "channels": [_title(workshop, c.channel) for c in t.channels],
            }
            for t in found
        ],
        "most_mb": MOST_BYTES // 1_000_000,
    }


@router.get("/jobs/{job_id}/traces")
def traces(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "traces", LIST, show_list(record, workshop))


@router.post("/jobs/{job_id}/traces")
async def bring_in(
    request: Request,
    job_id: str,
    workshop: GivenWorkshop,
    upload: GivenUpload,
    readers: GivenReaders,
    pools: GivenPools,
) -> Response:
    """Keep a file and go on to its columns; what is no recording is answered at the field."""
    return await pools.uploads.run(_bring_in, request, job_id, workshop, upload, readers)


def _bring_in(
    request: Request, job_id: str, workshop: Workshop, upload: Upload | None, readers: Readers[Recording]
) -> Response:
    record = workshop.tapes.job(job_id)
    try:
        if upload is None or not upload.data:
            raise BadInput([Fault("file", "choose a file: CSV or MDF 4, as the scan tool exports it")])
        readers.read(upload.data)
    except BadInput as error:
        says = error.faults[0].says if error.faults else str(error)
        return job_page(
            request,
            record,
            "traces",
            work=LIST,
            view=show_list(record, workshop),
            kept=Kept("trace", {}, {"file": says}),
            status=422,
        )
    attachment = workshop.recordings.keep_file(
        job_id, upload.name, upload.data, person(request) or "nobody named"
    )
    return RedirectResponse(f"/jobs/{job_id}/traces/map/{attachment}", 303)


# columns to channels


def show_map(
    record: JobRecord,
    workshop: Workshop,
    readers: Readers[Recording],
    attachment_id: str,
    typed: Form | None = None,
) -> dict[str, Any]:
    knowledge = workshop.knowledge
    name, recording = workshop.recordings.parsed(record.job.id, attachment_id, readers.read)
    known = workshop.recordings.layout(recording.layout)
    rows = []
    for column, g in zip(recording.columns, guess(recording, knowledge), strict=True):
        channel, unit = (
            (typed.raw(f"channel-{column.index}"), typed.raw(f"unit-{column.index}"))
            if typed
            else known.get(column.name, [g.channel, column.unit])
        )
        taken = mapped(column, channel, unit, recording, knowledge)
        values = recording.values[column.index]
        first = [plain(float(v)) for v in values[np.isfinite(values)][:FIRST_ROWS]]
        rows.append(
            {
                "c": column,
                "channel": channel,
                "unit": unit,
                "why": taken.why,
                "first": first,
                "count": int(np.isfinite(values).sum()),
            }
        )
    return {
        "attachment": attachment_id,
        "file_name": name,
        "rows": rows,
        "recording": recording,
        "by_layout": bool(known) and typed is None,
        "channels": _channel_choices(recording, workshop),
        "unread": sorted(recording.unread.by_why.items(), key=lambda x: -x[1]),
    }


def _channel_choices(recording: Recording, workshop: Workshop) -> list[tuple[str, str]]:
    pairs: list[tuple[str, str]] = [("", "leave out")]
    for key, shape in workshop.knowledge.channels.items():
        pairs += (
            [(f"{key}_{n}", f"{shape.title} {n} ({shape.unit})") for n in range(1, 9)]
            if shape.numbered
            else [(key, f"{shape.title}{f' ({shape.unit})' if shape.unit else ''}")]
        )
    return pairs


@router.get("/jobs/{job_id}/traces/map/{attachment_id}")
def map_page(
    request: Request, job_id: str, attachment_id: str, workshop: GivenWorkshop, readers: GivenReaders
) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "traces", MAP, show_map(record, workshop, readers, attachment_id))


@router.post("/jobs/{job_id}/traces/map/{attachment_id}")
def keep_map(
    request: Request,
    job_id: str,
    attachment_id: str,
    form: GivenForm,
    workshop: GivenWorkshop,
    readers: GivenReaders,
) -> Response:
    """Turn the mapped columns into a recording of the job, and keep the map for this layout."""
    record = workshop.tapes.job(job_id)
    knowledge = workshop.knowledge
    name, recording = workshop.recordings.parsed(job_id, attachment_id, readers.read)
    signals: dict[str, Signal] = {}
    columns: dict[str, str] = {}
    units: dict[str, str] = {}
    for column in recording.columns:
        channel = form.raw(f"channel-{column.index}")
        unit = form.raw(f"unit-{column.index}")
        shape = shape_of(channel, knowledge) if channel else None
        if not channel:
            continue
        if shape is None:
            form.wrong(f"channel-{column.index}", "choose one of the list")
        elif channel in signals:
            form.wrong(f"channel-{column.index}", f"{shape.title} is taken by {columns[channel]!r} already")
        else:
            try:
                signals[channel] = signal(
                    recording.times_s[column.time_column],
                    converted(recording.values[column.index], unit, shape.unit),
                )
                columns[channel] = column.name
                units[channel] = shape.unit
            except ValueError as error:
                form.wrong(f"unit-{column.index}", str(error))
    signals = {key: s for key, s in signals.items() if len(s)}
    if not signals and not form.faults:
        form.wrong("channel", "map at least one column to a channel")
    if form.faults:
        return job_page(
            request,
            record,
            "traces",
            work=MAP,
            view=show_map(record, workshop, readers, attachment_id, form),
            kept=Kept.of("map", BadInput(form.faults, form.kept), form.kept),
            status=422,
        )
    trace_id = workshop.bring_in(
        job_id, attachment_id, name, signals, columns, units, person(request) or None
    )
    workshop.recordings.keep_layout(
        recording.layout,
        {c.name: [form.raw(f"channel-{c.index}"), form.raw(f"unit-{c.index}")] for c in recording.columns},
    )
    return RedirectResponse(f"/jobs/{job_id}/traces/{trace_id}", 303)


# looking at one


def _title(workshop: Workshop, channel: str) -> str:
    shape = shape_of(channel, workshop.knowledge)
    number = channel.rsplit("_", 1)[-1]
    return (shape.title if shape else channel) + (
        f" {number}" if shape and shape.numbered and number.isdigit() else ""
    )


def _range(asked: Form, trace: TraceInfo) -> tuple[float, float]:
    first, last = trace.span
    start = asked.figure("start", "", -1e9, 1e9)
    end = asked.figure("end", "", -1e9, 1e9)
    start = first if start is None else max(first, start)
    end = last if end is None else min(last, end)
    return (start, end) if end > start else (first, last)


def in_words(title: str, unit: str, s: Signal) -> str:
    """A channel in one plain sentence, for those who cannot see the chart."""
    figures = figures_of(s)
    sentence = (
        f"{title} goes from {plain(figures.low)} to {plain(figures.high)} {sign(unit)}".rstrip()
        + f", {plain(figures.mean)} on average;"
        + f" it begins at {plain(figures.first)} and ends at {plain(figures.last)}"
    )
    return sentence + (f", with {counted(figures.gaps, 'gap')}." if figures.gaps else ".")


def show(record: JobRecord, workshop: Workshop, trace_id: str, asked: Form) -> dict[str, Any]:
    trace = workshop.recordings.info(record.job.id, trace_id)
    signals = workshop.recordings.signals(record.job.id, trace_id)
    start, end = _range(asked, trace)
    picked = [c for c in asked.all("channel") if c in signals] or _first_look(
        workshop.knowledge, list(signals)
    )
    parts = {c: cut(signals[c], start, end) for c in picked}
    rows = [
        {
            "channel": channel.channel,
            "title": _title(workshop, channel.channel),
            "unit": channel.unit,
            "on": channel.channel in picked,
            "column": channel.column,
            "f": figures_of(parts[channel.channel])
            if channel.channel in parts and len(parts[channel.channel])
            else None,
        }
        for channel in trace.channels
    ]
    others = [
        t
        for t in workshop.recordings.of_job(record.job.id)
        if t.id != trace_id and t.id not in record.job.gone
    ]
    other = next((t for t in others if t.id == asked.raw("with")), None)
    waits = (
        sum(len(cut(s, start, end)) for s in signals.values()) > MOST_AT_ONCE and asked.raw("judged") != "yes"
    )
    judged = (
        {"found": [], "drives": [], "rev_pair": None}
        if waits
        else judged_parts(record, workshop, signals, start=start, end=end, other=other)
    )
    shift = _shift(workshop, record, trace, other, asked) if other else None
    stretches = [x for x in record.job.of(Stretch) if x.data.trace == trace_id]
    spans = _spans(judged, stretches)
    asks = urlencode({"start": start, "end": end, **({"with": other.id} if other else {})}) + "".join(
        f"&channel={c}" for c in picked
    )
    return {
        **judged,
        "waits": waits,
        "asks": asks,
        "trace": trace,
        "start": start,
        "end": end,
        "picked": picked,
        "rows": rows,
        "others": others,
        "other": other,
        "shift": shift,
        "shared": [c for c in picked if other and c in {o.channel for o in other.channels}],
        "chart": chart_picture(
            _titled(workshop, trace, parts),
            start,
            end,
            _moved(record, workshop, other, shift, picked, (start, end)) if other else (),
            spans,
        ),
        "spans": spans,
        "others_titles": [_title(workshop, c.channel) for c in other.channels] if other else [],
        "sentences": [
            in_words(_title(workshop, key), next(i.unit for i in trace.channels if i.channel == key), part)
            for key, part in parts.items()
            if len(part)
        ],
        "stretches": stretches,
        "asked_event": asked.raw("event") if asked.raw("event") in signals else "",
        "asked_level": asked.raw("level"),
        "scripts": ["/static/vendor/uplot-1.6.32.iife.min.js", "/static/js/trace.js"],
        "styles": ["/static/vendor/uplot-1.6.32.min.css"],
    }


def _titled(workshop: Workshop, trace: TraceInfo, parts: dict[str, Signal]) -> list[tuple[str, str, Signal]]:
    units = {c.channel: c.unit for c in trace.channels}
    return [(_title(workshop, c), units[c], s) for c, s in parts.items()]


def _moved(
    record: JobRecord,
    workshop: Workshop,
    other: TraceInfo,
    shift: float | None,
    picked: list[str],
    within: tuple[float, float],
) -> list[tuple[str, str, Signal]]:
    """What the other recording has of the channels shown, moved so that both fall together."""
    if shift is None:
        return []
    signals = workshop.recordings.signals(record.job.id, other.id)
    moved = {c: Signal(signals[c].times_s + shift, signals[c].values) for c in picked if c in signals}
    return _titled(workshop, other, {c: cut(s, *within) for c, s in moved.items()})


def _spans(judged: dict[str, Any], stretches: list[Any]) -> list[tuple[float, float, str]]:
    return [
        *((s[0], s[1], "dead spot") for d in judged["drives"] for s in d["stretches"]),
        *((s[0], s[1], s[2]) for x in judged["found"] for s in x["a"].stretches),
        *((x.data.start_s, x.data.end_s, x.data.name) for x in stretches),
    ]


def _judged_part(signals: dict[str, Signal], start: float, end: float) -> dict[str, Signal]:
    """What is judged of a stretch: long recordings with every n-th sample."""
    return {c: spaced(cut(s, start, end)) for c, s in signals.items()}


def judged_parts(
    record: JobRecord,
    workshop: Workshop,
    signals: dict[str, Signal],
    start: float,
    end: float,
    other: TraceInfo | None,
) -> dict[str, Any]:
    """Everything that is judged of a stretch of a recording, and of the one beside it."""
    within = _judged_part(signals, start, end)
    readings = record.assessed.readings
    boost_limits = readings.limits(BoostLimits)
    swirl = bool(other) and not record.job.engine.rules_out(workshop.knowledge.tests["swirl_compare"].needs)
    return {
        "found": [
            {"a": a, "table": boost_table(a.boost, boost_limits) if a.boost else []}
            for a in _analysed(record, workshop, within)
        ],
        "drives": _drives(record, workshop, within),
        "rev_pair": (
            swirl_of_two(
                readings,
                within,
                _judged_part(workshop.recordings.signals(record.job.id, other.id), *other.span),
            )
            if swirl and other
            else None
        ),
    }


def _first_look(knowledge: Knowledge, channels: list[str]) -> list[str]:
    """What is shown first: a drive that can be judged or a look that can be taken, else the first
    channels."""
    for name in FIRST_SHOWN:
        drive = knowledge.drive(name) if name in knowledge.nodes else None
        recorded = drive.channels(channels) if drive else None
        pairs: Sequence[Sequence[str]]
        if name in knowledge.tests:
            pairs = knowledge.tests[name].recorded
        elif recorded:
            pairs = [recorded[:2]]
        else:
            pairs = []
        for pair in pairs:
            if set(pair) <= set(channels):
                return list(pair)
    return channels[:SHOWN_FIRST]


def _shift(
    workshop: Workshop, record: JobRecord, trace: TraceInfo, other: TraceInfo, asked: Form
) -> float | None:
    """By how many seconds the other recording is moved so that an event falls together: the channel first
    crosses the level."""
    channel = asked.raw("event")
    level = asked.figure("level", "", -1e9, 1e9)
    mine, its = (workshop.recordings.signals(record.job.id, t.id).get(channel) for t in (trace, other))
    if mine is None or its is None or level is None:
        return 0.0
    here = event_s(mine, level)
    there = event_s(its, level)
    return None if here is None or there is None else here - there


def _drives(record: JobRecord, workshop: Workshop, channels: dict[str, Signal]) -> list[dict[str, Any]]:
    readings = record.assessed.readings
    knowledge = workshop.knowledge
    rows = []
    for node in (*drives_in(knowledge, channels), *without_command(knowledge, channels)):
        drive = knowledge.drive(node)
        if drive is None or record.job.engine.rules_out(knowledge.nodes[node].needs):
            continue
        report, judged = (
            judged_drive(readings, node, channels)
            if drive.channels(channels)
            else (None, judged_position(readings, node, channels))
        )
        rows.append(
            {
                "node": node,
                "title": knowledge.nodes[node].title,
                "judgement": judged,
                "report": report,
                "picture": loop_picture(channels, drive, report),
                "stretches": dead_stretches(channels[drive.command], report) if report else (),
                "can_write": judged.cls in knowledge.tests["actuator_sweep"].outcomes,
            }
        )
    return rows


def _analysed(record: JobRecord, workshop: Workshop, channels: dict[str, Signal]) -> list[Analysed]:
    return analysed(record.assessed.readings, {c: s for c, s in channels.items() if len(s) > 1})


def _asked(request: Request) -> Form:
    values: dict[str, list[str]] = {}
    for key, value in request.query_params.multi_items():
        values.setdefault(key, []).append(value)
    return Form(values)


@router.get("/jobs/{job_id}/traces/{trace_id}")
def trace_page(request: Request, job_id: str, trace_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "traces", VIEW, show(record, workshop, trace_id, _asked(request)))


@router.get("/jobs/{job_id}/traces/{trace_id}/judged")
def judged(request: Request, job_id: str, trace_id: str, workshop: GivenWorkshop) -> Response:
    """What a long recording says, for the page that shows it already."""
    record = workshop.tapes.job(job_id)
    asked = _asked(request)
    asked.values["judged"] = ["yes"]
    return render(
        request, "traces/_judged.html", job=record.job, kept=Kept(), **show(record, workshop, trace_id, asked)
    )


@router.get("/api/v1/jobs/{job_id}/traces")
def list_json(job_id: str, workshop: GivenWorkshop) -> JSONResponse:
    workshop.tapes.job(job_id)
    return JSONResponse(
        [
            {"id": trace.id, "name": trace.name, "channels": [asdict(c) for c in trace.channels]}
            for trace in workshop.recordings.of_job(job_id)
        ]
    )


@router.get("/api/v1/jobs/{job_id}/traces/{trace_id}/points")
def points(request: Request, job_id: str, trace_id: str, workshop: GivenWorkshop) -> JSONResponse:
    """Samples of some channels between two times, thinned so that no spike is lost."""
    asked = _asked(request)
    trace = workshop.recordings.info(job_id, trace_id)
    signals = workshop.recordings.signals(job_id, trace_id)
    start, end = _range(asked, trace)
    most = int(asked.figure("most", "", 8, MOST_POINTS) or 2000)
    drawn = {}
    places = max(1, 5 - int(np.floor(np.log10(max(end - start, 1e-6)) + 1)))
    for channel in asked.all("channel") or list(signals):
        if channel not in signals:
            raise NotHere(f"There is no channel {channel[:40]!r} in this recording.")
        s = thin(cut(signals[channel], start, end), most)
        drawn[channel] = {
            "t": np.round(s.times_s, places).tolist(),
            "v": [float(f"{v:.5g}") for v in s.values],
        }
    return JSONResponse({"start": start, "end": end, "channels": drawn})


# marking, judging, taking out


class StretchForm(Fields):
    name: Annotated[str | None, line(120, "name the stretch, as: pull in fourth")]
    start: Annotated[float | None, figure("", -1000000000.0, 1000000000.0, needed=True)]
    end: Annotated[float | None, figure("", -1000000000.0, 1000000000.0, needed=True)]


def stretch(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(StretchForm, record, workshop)
    if fields.start is not None and fields.end is not None and fields.end <= fields.start:
        form.wrong("end", "the end comes after the start")
    form.done()
    return [
        form.entry(
            "stretch",
            {"trace": form.raw("trace"), "start_s": fields.start, "end_s": fields.end, "name": fields.name},
        )
    ]


def drive(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """What the recording says of a drive goes on the tape with the stretch it came from. It is worked out
    anew here."""
    trace_id = form.raw("trace")
    node = form.raw("node")
    trace = workshop.recordings.info(record.job.id, trace_id)
    start, end = _range(form, trace)
    channels = _judged_part(workshop.recordings.signals(record.job.id, trace_id), start, end)
    if node not in drives_in(workshop.knowledge, channels):
        form.wrong("node", "command and position of that part are not both in this recording")
        form.done()
    judged = judged_drive(record.assessed.readings, node, channels)[1]
    if judged.cls not in workshop.knowledge.tests["actuator_sweep"].outcomes:
        form.wrong("node", judged.because)
    form.done()
    return [
        form.entry(
            "outcome",
            {
                "test": "actuator_sweep",
                "where": {"node": node},
                "outcome": judged.cls,
                "note": judged.because,
                "source": {"trace": trace_id, "start_s": start, "end_s": end},
            },
        )
    ]


def air(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """What the recording says of the air path goes on the tape, worked out anew here."""
    trace_id = form.raw("trace")
    start, end = _range(form, workshop.recordings.info(record.job.id, trace_id))
    channels = _judged_part(workshop.recordings.signals(record.job.id, trace_id), start, end)
    analysed = next(
        (x for x in _analysed(record, workshop, channels) if x.name == form.raw("analysis")), None
    )
    if analysed is None or not analysed.writes:
        form.wrong(
            "analysis",
            analysed.judgement.because if analysed else "this recording does not hold what that needs",
        )
    point = form.choice("point", analysed.points) if analysed and analysed.points else None
    form.done()
    assert analysed is not None
    source = {"trace": trace_id, "start_s": start, "end_s": end}
    return [
        form.entry(
            kind,
            {**data, **({"where": {"point": point}} if point else {}), "source": source},
            "" if index == 0 else str(index),
        )
        for index, (kind, data) in enumerate(analysed.writes)
    ]


FORMS = {"stretch": stretch, "drive": drive, "air": air}


@router.post("/jobs/{job_id}/traces/{trace_id}/{name}")
def trace_form(
    request: Request, job_id: str, trace_id: str, name: str, form: GivenForm, workshop: GivenWorkshop
) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    form.values["trace"] = [trace_id]
    workshop.recordings.info(job_id, trace_id)
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name=name,
        maker=FORMS[name],
        stage="traces",
        work=VIEW,
        show=lambda r, w: show(r, w, trace_id, form),
        back=f"/jobs/{job_id}/traces/{trace_id}",
    )


@router.get("/jobs/{job_id}/traces/{trace_id}/export")
def export(
    request: Request, job_id: str, trace_id: str, workshop: GivenWorkshop, format: str = "csv"
) -> Response:
    """A stretch as CSV or MDF 4."""
    trace = workshop.recordings.info(job_id, trace_id)
    asked = _asked(request)
    start, end = _range(asked, trace)
    units = {c.channel: c.unit for c in trace.channels}
    channels = {
        key: (part, units[key])
        for key, signal in workshop.recordings.signals(job_id, trace_id).items()
        if len(part := cut(signal, start, end))
    }
    name = f"recording-{trace_id[-8:]}"
    if format == "mf4":
        return download(write_mdf(channels), "application/octet-stream", f"{name}.mf4")
    return download(write_csv(channels).encode(), "text/csv; charset=utf-8", f"{name}.csv")
