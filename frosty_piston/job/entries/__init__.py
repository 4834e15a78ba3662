"""Every kind of entry a tape can hold: one model each, which owns its data, its words and its faults."""

from . import arrival, measuring, proving, tape, work
from .arrival import (
    Before,
    Code,
    CodeClear,
    CodeScan,
    Complaint,
    Condition,
    Context,
    Deadline,
    Lamp,
    State,
    Symptom,
)
from .kind import Against, Conditions, Data, Entry, EntryData, EntryEnvelope, Where
from .measuring import Instrument, Outcome, Reading, Stretch, Trace
from .proving import Drive, Handover, ProofStep, SootCause
from .tape import CardChange, Correction, Note, Tick
from .work import (
    Action,
    Circuit,
    Consent,
    FitStep,
    Hardware,
    OptionPicked,
    Piece,
    ResetStep,
    TopUp,
    Trim,
    Wait,
    Warning_,
)

KINDS: dict[str, type[EntryData]] = {
    **arrival.KINDS,
    **measuring.KINDS,
    **work.KINDS,
    **proving.KINDS,
    **tape.KINDS,
}

__all__ = [
    "KINDS",
    "Action",
    "Against",
    "Before",
    "CardChange",
    "Circuit",
    "Code",
    "CodeClear",
    "CodeScan",
    "Complaint",
    "Condition",
    "Conditions",
    "Consent",
    "Context",
    "Correction",
    "Data",
    "Deadline",
    "Drive",
    "Entry",
    "EntryData",
    "EntryEnvelope",
    "FitStep",
    "Handover",
    "Hardware",
    "Instrument",
    "Lamp",
    "Note",
    "OptionPicked",
    "Outcome",
    "Piece",
    "ProofStep",
    "Reading",
    "ResetStep",
    "SootCause",
    "State",
    "Stretch",
    "Symptom",
    "Tick",
    "TopUp",
    "Trace",
    "Trim",
    "Wait",
    "Warning_",
    "Where",
]
