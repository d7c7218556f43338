"""What a hand with a meter reads of a simulated supply: along its path, off its displays, after a turn."""

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from msgspec import Struct, field

from tensimeter.core.circuit.along_path import DROP, JOINTS, LEAST, OTHER, link_of
from tensimeter.core.circuit.network import build
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading, standing
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.testplan.step import FAN
from tensimeter.core.tuning.asked import Asked
from tensimeter.core.tuning.turning import behind_play
from tensimeter.simulation.supply import HiddenErrors

#: Play of every screw of a simulated supply, turns.
PLAY = 0.125
#: How loud the room is, dB.
ROOM_DB = 18.0


class HiddenDisplay(Struct, frozen=True):
    """How an own display errs: what it shows is gain·true + offset, in whole digits."""

    gain: float = 1.0
    offset: float = 0.0
    digit: float = 0.01
    #: Share of the current that goes back another way, past its shunt.
    second_return: float = 0.0


class HiddenFan(Struct, frozen=True):
    """A fan: V at which it starts and stops, turns a minute a volt and at none, dB at 12 V."""

    starts_V: float = 5.4
    stops_V: float = 3.6
    rpm_a_volt: float = 240.0
    rpm_at_none: float = 120.0
    at_12_dB: float = 31.0

    def rpm(self, volts: Sequence[float]) -> float:
        """Turns a minute at the last of its volts: it starts higher than it stops."""
        turns = False
        for v in volts:
            turns = v >= self.starts_V or (turns and v > self.stops_V)
        return self.rpm_a_volt * volts[-1] + self.rpm_at_none if turns and volts else 0.0


class HiddenTuning(Struct, frozen=True):
    """Displays by place and quantity; what a screw moves of an output, V a turn, or of a display's gain."""

    displays: Mapping[tuple[str, str], HiddenDisplay] = field(default_factory=dict)
    volts_a_turn: Mapping[tuple[str, str], float] = field(default_factory=dict)
    gain_a_turn: Mapping[tuple[str, str], float] = field(default_factory=dict)
    fan: HiddenFan = field(default_factory=HiddenFan)
    #: By how much of itself the campaign's voltmeter drifts with each reading taken.
    drift: float = 0.0


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
            return f"{asked.place} {asked.to:.2f} turn"
        if asked.place == FAN:
            return self._of_fan(asked, readings)
        at = f" @{asked.amps_A:.6g}A" if asked.output else ""
        taken = standing(readings)
        shafts = self._shafts(taken)
        if asked.place.endswith(("-panel", "-panel-alone")):
            return f"{asked.place} {self._shown(asked, shafts)}{at}"
        amps = asked.quantity == "A"
        value = asked.amps_A if amps else self._true(asked, shafts)
        value *= 1 + self.hidden.drift * sum(1 for r in taken if r.quantity == asked.quantity)
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

    def _of_fan(self, asked: Asked, readings: Iterable[Reading]) -> str:
        """The fan's volts as they are set, its turns, or how loud it is."""
        if asked.quantity == "V":
            return f"{FAN} {asked.to:.2f}V"
        own = self.hidden.fan
        rpm = own.rpm([r.value for r in standing(readings) if r.place == FAN and r.quantity == "V"])
        if asked.quantity == "rpm":
            return f"{FAN} {10 * round(rpm / 10)}rpm"
        full = own.rpm_a_volt * 12 + own.rpm_at_none
        # What the room itself is loud with is added.
        loud = 10 * np.log10(10 ** (ROOM_DB / 10) + (rpm / full) ** 5 * 10 ** (own.at_12_dB / 10))
        return f"{FAN} {loud:.1f}dB"

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
