"""The benches: one module each, named as in the table of benches."""

from frosty_piston.store.workshop import JobRecord, Workshop

from . import (
    battery,
    boost,
    bypass,
    dosing,
    dpf,
    egr,
    fuel,
    glow,
    injectors,
    inlet_flap,
    intermittent,
    nox,
    pins,
    relay,
    stop,
    swirl,
    turbo,
    vacuum,
)
from .bench import Bench, steps_of

BENCHES: dict[str, Bench] = {
    module.__name__.rpartition(".")[2]: module.BENCH
    for module in (
        glow,
        relay,
        battery,
        egr,
        bypass,
        inlet_flap,
        swirl,
        turbo,
        boost,
        stop,
        vacuum,
        intermittent,
        pins,
        injectors,
        fuel,
        dosing,
        nox,
        dpf,
    )
}


def fitting(record: JobRecord, workshop: Workshop) -> list[str]:
    """The benches that have something to do on this engine, in the order of their table."""
    return [key for key in workshop.knowledge.benches if steps_of(record, workshop, key)]


__all__ = ["BENCHES", "Bench", "fitting", "steps_of"]
