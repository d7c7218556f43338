"""The elements of a network that the path solver works on: numbers alone, no parts."""

from collections.abc import Mapping

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.electrical.reservoir import Curve


class Series(Struct, frozen=True):
    """EMF and resistance in series: a unit (EMF > 0), a fuse or a lead; a diode also drops volts."""

    id: str
    fed_by: str | None
    emf: Figure = 0.0
    resistance: Figure = 0.0
    contact: Figure = 0.0
    limit_A: Figure = np.inf
    #: Volts that it loses for each ampere through another source, Ω, by that one's id.
    couplings: tuple[tuple[str, float], ...] = ()
    #: A source whose volts follow no straight line: amps and volts, in rising amps.
    curve: Curve | None = None
    #: Its curve on the lower tap, and where that one feeds.
    lower: Curve | None = None
    on_lower: Figure = 0.0
    drop_V: Figure = 0.0


class Conversion(Struct, frozen=True):
    """A converter: set volts behind a resistance, a current limit, total loss P0 + a·I + b·I²."""

    id: str
    fed_by: str | None
    set_V: Figure
    limit_A: Figure
    dropout_V: Figure
    loss_fixed_W: Figure
    loss_per_A: Figure
    loss_per_A2: Figure
    resistance: Figure = 0.0
    topology: str = "step_down"

    def loss(self, current: Array) -> Array:
        """Loss in W at an output current in A."""
        return np.asarray(self.loss_fixed_W + self.loss_per_A * current + self.loss_per_A2 * current**2)


class CurrentSink(Struct, frozen=True):
    """Where a load current is drawn: an output, or what runs a fan or a meter and draws `own_A` by itself."""

    id: str
    fed_by: str | None
    own_A: Figure = 0.0


Element = Series | Conversion | CurrentSink
_FIELDS = {kind: frozenset(kind.__struct_fields__) for kind in (Series, Conversion, CurrentSink)}


#: What may stand in a field of an element that strays.
Value = Figure | Curve | None
#: The least and the most of an element's figures, by the field's name.
Extremes = dict[str, tuple[Value, Value]]


class Network(Struct, frozen=True):
    """Elements in the order of the path, each after what feeds it."""

    elements: tuple[Element, ...]

    def __getitem__(self, element_id: str) -> Element:
        for element in self.elements:
            if element.id == element_id:
                return element
        raise KeyError(element_id)

    def has(self, element_id: str, field: str) -> bool:
        """Whether an element is there and has a figure of that name."""
        return any(e.id == element_id and field in _FIELDS[type(e)] for e in self.elements)

    def with_values(self, values: Mapping[tuple[str, str], Value]) -> "Network":
        """A copy with figures replaced, by (element id, field)."""
        own: dict[str, dict[str, Value]] = {}
        for (name, field), value in values.items():
            own.setdefault(name, {})[field] = value
        known = {e.id: e for e in self.elements}
        for name, changed in own.items():
            for field in changed:
                if name not in known or field not in _FIELDS[type(known[name])]:
                    raise KeyError((name, field))
        # Every name was found to be a field of it, and every value a figure.
        made = (replace(e, **own[e.id]) if e.id in own else e for e in self.elements)
        return Network(tuple(made))


def extremes_of(element: Element, shares: Mapping[str, float]) -> Extremes:
    """The ends of an element's figures that stray by a fraction each, by name; those of zero stay."""
    found: Extremes = {}
    for field, share in shares.items():
        value = getattr(element, field)
        if share and np.any(value):
            found[field] = (value * (1 - share), value * (1 + share))
    return found
