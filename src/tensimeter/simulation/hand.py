"""What a hand with a meter reads of a simulated supply: along its path, off its displays, after a turn."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from tensimeter.core.circuit.along_path import DROP, JOINTS, LEAST, OTHER, link_of
from tensimeter.core.circuit.network import build
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading, standing
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.tuning.asked import Asked
from tensimeter.core.tuning.turning import behind_play
from tensimeter.simulation.supply import HiddenErrors

#: Play of every screw of a simulated supply, turns.
PLAY = 0.125


@dataclass(frozen=True)
class HiddenDisplay:
    """How an own display errs: what it shows is gain·true + offset, in whole digits."""

    gain: float = 1.0
    offset: float = 0.0
    digit: float = 0.01
    #: Share of the current that goes back another way, past its shunt.
    second_return: float = 0.0


@dataclass(frozen=True)
class HiddenTuning:
    """Displays by place and quantity; what a screw moves of an output, V a turn, or of a display's gain."""

    displays: Mapping[tuple[str, str], HiddenDisplay] = field(default_factory=dict)
    volts_a_turn: Mapping[tuple[str, str], float] = field(default_factory=dict)
    gain_a_turn: Mapping[tuple[str, str], float] = field(default_factory=dict)


class SimulatedHand:
    """Reads one figure at a time; screws stand where the readings of a job say that they were turned to."""

    def __init__(
        self, job: Job, truths: Mapping[tuple[str, str], float], hidden: HiddenTuning, seed: int = 1
    ) -> None:
        self.job, self.hidden = job, hidden
        network = build(job)
        self._network = network.with_values({k: v for k, v in truths.items() if network.has(*k)})
        self._errors = HiddenErrors(seed)

    def line(self, asked: Asked, readings: Iterable[Reading] = ()) -> str:
        """A figure as it would be typed; UserError where nothing is to be read there."""
        if asked.quantity == "turn":
            return f"{asked.place} {asked.turns:.2f} turn"
        at = f" @{asked.amps_A:.6g}A" if asked.output else ""
        shafts = self._shafts(standing(readings))
        if asked.place.endswith(("-panel", "-panel-alone")):
            return f"{asked.place} {self._shown(asked, shafts)}{at}"
        amps = asked.quantity == "A"
        value = asked.amps_A if amps else self._true(asked, shafts)
        meter = None if asked.place.endswith(OTHER) else self.job.campaign.voltmeter
        accuracy, scale = accuracy_of(self.job, meter, asked.quantity, value, 0.001)
        read = self._errors.read(f"{meter}-{asked.quantity}-{scale}", value, accuracy)
        return f"{asked.place} {read:.{_decimals(accuracy.resolution)}f}{asked.quantity}{at}"

    def _true(self, asked: Asked, shafts: Mapping[str, Sequence[float]]) -> float:
        """Volts that stand there."""
        place, link = asked.place, link_of(asked.place)
        if not any(x.id == link for x in self.job.design.links):
            raise UserError(f"The demo supply has nothing to read at {place}.")
        solution = solve(self._network, {asked.output: np.float64(asked.amps_A)} if asked.output else {})
        point = solution[link]
        if place.endswith(DROP):
            return float(point.V_in - point.V)
        if place.endswith(JOINTS):
            return float(point.I * getattr(self._network[link], "contact", 0.0))
        if place.endswith(LEAST):
            joined = self.job.design.link(link)
            part = self.job.part(joined.part)
            return float(point.I) * ((part.strand_ohm(joined) or 0.0) if isinstance(part, PathPart) else 0.0)
        moved = sum(
            a_turn * _at(shafts[screw])
            for (screw, output), a_turn in self.hidden.volts_a_turn.items()
            if output == link and screw in shafts
        )
        return float(np.nan_to_num(point.V)) + moved

    def _shown(self, asked: Asked, shafts: Mapping[str, Sequence[float]]) -> str:
        """What an own display shows, with its unit."""
        output = asked.place.removesuffix("-alone").removesuffix("-panel")
        panel = f"{output}-panel"
        own = self.hidden.displays.get((panel, asked.quantity), HiddenDisplay())
        gain = own.gain + sum(
            a_turn * _at(shafts[screw])
            for (screw, place), a_turn in self.hidden.gain_a_turn.items()
            if place == panel and screw in shafts
        )
        true = asked.amps_A
        if asked.quantity == "V":
            true = self._true(Asked(output, "V", output, asked.amps_A), shafts)
        elif not asked.place.endswith("-alone"):
            true *= 1 - own.second_return
        shown = own.digit * round((gain * true + own.offset) / own.digit)
        return f"{shown:.{_decimals(own.digit)}f}{asked.quantity}"

    def _shafts(self, readings: Iterable[Reading]) -> dict[str, list[float]]:
        """Where each screw stood, from the first reading on."""
        found = {s.id: [0.0] for s in self.job.assembly.trims}
        for r in readings:
            if r.quantity == "turn" and r.place in found:
                found[r.place].append(r.value)
        return found


def _decimals(digit: float) -> int:
    """Decimals that a display of such a last digit has."""
    return max(0, -int(np.floor(np.log10(digit))))


def _at(shafts: Sequence[float]) -> float:
    """Where what a screw moves stands, counted from the first reading."""
    at = behind_play(np.array(shafts), PLAY)
    return float(at[-1] - at[0])
