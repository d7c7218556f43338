"""Practice: what the simulated supply reads at each place, put together rightly or with a mistake."""

from collections.abc import Mapping
from typing import Literal

import numpy as np
from msgspec import Struct

from tensimeter.core.circuit.network import build
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.solver import solve
from tensimeter.core.model.job import Job
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.steps import PowerUpStep
from tensimeter.core.procedure.first_power import power_up_steps
from tensimeter.core.procedure.matrix import NodePair, matrix
from tensimeter.core.procedure.stored_energy import stored

Mistake = Literal[
    "none",
    "reversed",
    "no_reverse_diode",
    "negative_on_chassis",
    "swapped_rails",
    "trim_at_top",
    "open_feedback",
]


class Practice(Struct, frozen=True):
    """The job as it was put together: a mistake, and the link where it was made (two for swapped rails)."""

    job: Job
    mistake: Mistake = "none"
    at: tuple[str, ...] = ()
    truths: Mapping[tuple[str, str], float] | None = None

    def value(self, place: str) -> float | None:
        """What a meter shows there, without its own error: V, Ω or °C; None for a place that is not known."""
        for pair in matrix(self.job):
            if pair.place == place:
                return self._pair(pair)
        for at in stored(self.job):
            if at.place == place:
                return 0.6
        step = next((s for s in power_up_steps(self.job) if s.place == place and s.band is not None), None)
        return None if step is None else self._step(step)

    def _pair(self, pair: NodePair) -> float:
        here = {pair.first.id, pair.second.id}
        if self.mistake == "negative_on_chassis" and here == {f"{self.at[0]}-minus", f"{self.at[0]}-case"}:
            return 0.3
        if self.mistake == "no_reverse_diode" and pair.kind == "diode" and f"{self.at[0]}-plus" in here:
            return float("inf")
        return {"joined": 0.2, "apart": float("inf"), "not_shorted": 4700.0, "diode": 0.52, "either": 0.2}[
            pair.kind
        ]

    def _step(self, step: PowerUpStep) -> float:
        if step.id.startswith("earth-open"):
            return 61.0
        if step.id.startswith("earth-loaded"):
            return 4.2
        if step.quantity == "C" or step.id == "standby":
            return float(step.expected or 0.0) + 0.04
        volts = self._volts(step, self._idle())
        if self.mistake == "swapped_rails" and step.link in self.at:
            other = self.at[1 - self.at.index(step.link)]
            twin = next(
                (s for s in power_up_steps(self.job) if s.link == other and s.id[:5] == step.id[:5]), None
            )
            return self._volts(twin, self._idle()) if twin else volts
        if self.mistake == "reversed" and step.link in self.at and step.id.startswith("outlet"):
            return -volts
        if self.mistake in ("trim_at_top", "open_feedback") and step.id == f"trim-{self.at[0]}":
            return self._runaway()
        return volts

    def _runaway(self) -> float:
        """What a converter gives with its trim at the top, or with nothing fed back."""
        point = self._idle()[self.at[0]]
        part = self.job.part(self.job.design.link(self.at[0]).part)
        assert isinstance(part, ConverterPart)
        given = float(np.nan_to_num(point.V_in))
        left = given - (part.dropout_V if part.steps_down else 0.0)
        return min(part.out_max_V, left) if self.mistake == "trim_at_top" else left

    def _idle(self) -> Solution:
        network = build(self.job).with_values(dict(self.truths or {}))
        return solve(network, {o.id: 0.0 for o in self.job.design.outputs()}, as_set=True)

    def _volts(self, step: PowerUpStep, idle: Solution) -> float:
        """The true volts behind a step: of the place itself, with what is hidden in the supply."""
        if step.link is None or step.expected is None:
            return 0.0
        link = self.job.design.link(step.link)
        point = idle[step.link]
        if step.id.startswith("in-"):
            return float(np.nan_to_num(point.V_in))
        if step.id.startswith("alone") and link.fed_by is not None:
            return float(np.nan_to_num(point.V - idle[link.fed_by].V))
        volts = float(np.nan_to_num(point.V))
        # An aim at the far end raises the trim above what is set in the design.
        return volts + (step.expected - getattr(link, "set_V", step.expected))


def mistakes(job: Job) -> list[Practice]:
    """Every mistake that this design can be put together with, each at the first place for it."""
    links = job.design.links
    stacked = next((x.id for x in links if x.kind == "unit" and x.fed_by), None)
    rails = [x.id for x in links if getattr(x, "rail", None)]
    converter = next((x.id for x in links if x.kind == "converter"), None)
    outputs = [o.id for o in job.design.outputs()]
    found = [Practice(job, "reversed", (outputs[0],))] if outputs else []
    if stacked:
        found += [
            Practice(job, "negative_on_chassis", (stacked,)),
            Practice(job, "no_reverse_diode", (stacked,)),
        ]
    if len(rails) > 1:
        found.append(Practice(job, "swapped_rails", (rails[0], rails[1])))
    if converter:
        found += [Practice(job, "trim_at_top", (converter,)), Practice(job, "open_feedback", (converter,))]
    return found
