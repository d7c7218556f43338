"""A new card of each kind, with plain figures to be put right."""

from collections.abc import Callable

from tensimeter.core.job.document import Job
from tensimeter.core.job.edits import identifier
from tensimeter.core.job.parts import (
    Converter,
    ElectronicLoad,
    FusePart,
    LeadPart,
    MeterRange,
    Multimeter,
    Part,
    Rail,
    RailSupply,
    Thermometer,
    Transformer,
)
from tensimeter.core.judge import Accuracy


def _meter(part_id: str, name: str) -> Part:
    handheld = Accuracy(of_reading=0.005, counts=2, resolution=0.01)
    return Multimeter(
        id=part_id,
        name=name,
        ranges=(
            MeterRange(quantity="V", full_scale=20, accuracy=handheld),
            MeterRange(
                quantity="V", full_scale=200, accuracy=Accuracy(of_reading=0.005, counts=2, resolution=0.1)
            ),
            MeterRange(
                quantity="A", full_scale=10, accuracy=Accuracy(of_reading=0.015, counts=3, resolution=0.01)
            ),
        ),
    )


def _load(part_id: str, name: str) -> Part:
    plain = Accuracy(of_reading=0.002, counts=5, resolution=0.001)
    return ElectronicLoad(id=part_id, name=name, max_V=120, max_A=20, max_W=150, volts=plain, amps=plain)


def _rails(part_id: str, name: str) -> Part:
    """The rails every supply of the kind has; their amps are on its label."""
    rails = (
        Rail(name="12 V", volts=12, rated_A=16, wires=2),
        Rail(name="5 V", volts=5, rated_A=20, wires=5, minimum_A=1.0),
        Rail(name="3.3 V", volts=3.3, rated_A=18, wires=3),
    )
    return RailSupply(id=part_id, name=name, rails=rails)


def _transformer(part_id: str, name: str) -> Part:
    return Transformer(
        id=part_id,
        name=name,
        tap_V=(18.0,),
        resistance_ohm=0.5,
        rated_A=3,
        capacitance_F=4.7e-3,
        capacitor_V=35,
    )  # fmt: skip


#: What can be added besides a donor, which a nameplate makes.
BLANKS: dict[str, tuple[str, Callable[[str, str], Part]]] = {
    "rails": ("24-pin PC supply", _rails),
    "transformer": ("Transformer, bridge, reservoir", _transformer),
    "converter": (
        "Step-down module",
        lambda i, n: Converter(id=i, name=n, out_min_V=1.2, out_max_V=30, in_max_V=40, rated_A=5),
    ),
    "fuse": ("Fuse 5 A slow", lambda i, n: FusePart(id=i, name=n, rated_A=5)),
    "lead": ("Lead 1 m, 1.5 mm²", lambda i, n: LeadPart(id=i, name=n, length_m=1, area_mm2=1.5)),
    "load": ("Electronic load", _load),
    "meter": ("Handheld multimeter", _meter),
    "thermometer": ("Thermometer", lambda i, n: Thermometer(id=i, name=n)),
}


def blank(job: Job, kind: str) -> Part:
    """A new part of a kind, under a name and id that are free."""
    name, make = BLANKS[kind]
    taken = {p.name for p in job.stock}
    fresh = (
        name
        if name not in taken
        else next(f"{name} ({n})" for n in range(2, 1000) if f"{name} ({n})" not in taken)
    )
    return make(identifier(fresh, (p.id for p in job.stock)), fresh)
