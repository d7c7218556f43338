"""What one makes oneself: a part by its circuit, its ratings worked out of that and never typed."""

from abc import abstractmethod
from collections.abc import Mapping
from typing import ClassVar

from pydantic import ValidationError, ValidationInfo, model_validator

from tensimeter.core.electrical.control_loop import ControlLoop
from tensimeter.core.parts.part import PartRecord
from tensimeter.core.parts.sized import Sized
from tensimeter.core.record import Record


class Circuit(Record):
    """The circuit of a made part."""

    @abstractmethod
    def ratings(self) -> dict[str, object]:
        """The figures of its part that follow from it, by field; UserError where it is no circuit."""


class MadePart(PartRecord):
    """A part of a plain kind whose ratings follow from its `circuit`."""

    circuit_kind: ClassVar[type[Circuit]]

    @model_validator(mode="before")
    @classmethod
    def _as_its_circuit(cls, given: object, info: ValidationInfo) -> object:
        if not isinstance(given, Mapping) or "circuit" not in given:
            return given
        try:
            circuit = cls.circuit_kind.model_validate(given["circuit"], context=info.context)
        except ValidationError:
            # Its own field says what is wrong with it.
            return given
        # What was measured of it is known better than by its circuit.
        origins = given.get("origins") or {}
        read = {f: given[f] for f, origin in origins.items() if origin == "measured" and f in given}
        return {**given, "circuit": circuit, **circuit.ratings(), **read}

    @abstractmethod
    def worked_out(self) -> Sized:
        """What follows from its circuit, each figure with its why, and what is to be minded."""

    def loop(self) -> ControlLoop | None:
        """Its control loop at full amps; None where it has none, or that is its maker's."""
        return None

    @abstractmethod
    def wrong(self) -> tuple[str, ...]:
        """What does not hold of it, a sentence each."""
