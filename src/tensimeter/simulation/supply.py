"""The supply under test: the job's own network with hidden truths, warmth, settling and limits on top."""

import math
import zlib
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from msgspec.structs import replace

from tensimeter.core.analysis.current_limit import LimitKind
from tensimeter.core.circuit.network import build
from tensimeter.core.electrical.elements import Conversion, Network
from tensimeter.core.electrical.solution import Point, Solution
from tensimeter.core.electrical.solver import solve
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.model.job import Job
from tensimeter.core.rating.dissipation import losses, wall_W
from tensimeter.simulation.behaviour import Behaviour, Demand, meeting_point
from tensimeter.simulation.warmth import HiddenHeat, Warmth

#: Time constant in s with which a reading follows a change of load.
SETTLING_S = 0.12


@dataclass
class _Output:
    """What one output is doing: what is asked of it, what stands there."""

    behaviour: Behaviour
    limit_A: float
    demand: Demand = field(default_factory=Demand)
    trim: float = 1.0
    volts: float = 0.0
    amps: float = 0.0
    off: bool = False
    broken: bool = False
    hot: bool = False
    overloaded_at: float | None = None

    @property
    def dark(self) -> bool:
        """Whether nothing comes out of it, whatever is asked."""
        return self.off or self.broken or self.hot


@dataclass
class SimulatedSupply:
    """DC behaviour from the path solver; converters warm with their loss, and one that dies feeds nothing.

    `truths` replaces figures of the network by (element, field), `behaviours` says what outputs do past
    their steady volts. `drift` is the change of a warm converter's set volts per kelvin, as a fraction;
    `theta` its rise per watt, `tau` its time constant in s.
    """

    job: Job
    truths: Mapping[tuple[str, str], float] = field(default_factory=dict)
    drift: float = 0.0
    heat: HiddenHeat | None = None
    behaviours: Mapping[str, Behaviour] = field(default_factory=dict)

    def __post_init__(self) -> None:
        network = build(self.job)
        # A link that was taken out of the design takes what was hidden in it along.
        hidden = {key: value for key, value in self.truths.items() if network.has(*key)}
        self._network: Network = network.with_values(hidden)
        self.line_V = self.job.settings.mains_V
        self.powered, self._off_since, self._on_since = True, 0.0, -1e9
        self.now = 0.0
        self.warmth = Warmth(self.job, self.heat)
        self._below = {x: self._fed_by(x) for x in self.warmth.links}
        self._free, limits = _without_limits(self._network)
        self._outputs = {
            o.id: _Output(
                b := self.behaviours.get(o.id, Behaviour()), b.limit_A or limits.get(o.id, math.inf)
            )
            for o in self.job.design.outputs()
        }
        self._solution: Solution | None = None
        self._settle()
        self._shown = {o: out.volts for o, out in self._outputs.items()}

    def _fed_by(self, link: str) -> list[str]:
        """The outputs that a converter feeds."""
        design = self.job.design
        return [o.id for o in design.outputs() if link in [x.id for x in design.path_to(o.id)]]

    @property
    def _rise(self) -> float:
        return self.warmth.celsius("sink") - self.job.settings.ambient_C

    @property
    def wall_W(self) -> float:
        """Power taken from the wall, W."""
        if not self.powered or self._solution is None:
            return 0.0
        return float(np.nan_to_num(wall_W(self.job, self._solution)))

    # -- what hands and loads do ----------------------------------------------------------------

    def draw(self, output: str, demand: float | Demand) -> None:
        """Load an output with a current in A, or as a load is set; others stay as they are."""
        wanted = demand if isinstance(demand, Demand) else Demand("CC", demand)
        out = self._outputs[output]
        if out.demand != wanted:
            out.demand = wanted
            self._settle()

    def set_line(self, volts: float) -> None:
        self.line_V = volts
        self._settle()

    def set_trim(self, output: str, volts: float) -> None:
        """Set what stands at an output without load; past its trip it goes off until it is reset."""
        out = self._outputs[output]
        as_built = self._unloaded(output)
        out.trim = volts / as_built if as_built > 0 else 1.0
        if out.behaviour.trip_V is not None and volts > out.behaviour.trip_V:
            out.off = True
        self._settle()

    def power(self, on: bool) -> None:
        """Switch at the wall; off for long enough resets what went off."""
        if on and not self.powered:
            self._on_since = self.now
            for name, out in self._outputs.items():
                if self.now - self._off_since < out.behaviour.reset_s:
                    continue
                for link in (x for x, fed in self._below.items() if name in fed):
                    self.warmth.reset(link)
                if not self._over_trip(out):
                    out.off, out.overloaded_at = False, None
            self._put_out()
        elif not on and self.powered:
            self._off_since = self.now
        self.powered = on
        self._settle()

    # -- what can be read -----------------------------------------------------------------------

    def advance(self, seconds: float) -> None:
        """Let time pass: exact solutions of the first-order equations, for any step."""
        while seconds > 1e-9:
            out = self.warmth.out
            passed = self.warmth.advance(seconds)
            self.now, seconds = self.now + passed, seconds - passed
            if self.warmth.out != out:
                self._put_out()
                self._settle()
            self._follow(passed)

    def _follow(self, seconds: float) -> None:
        """Let the volts that show go on towards those that are to stand."""
        keep = math.exp(-seconds / SETTLING_S)
        for name, out in self._outputs.items():
            if out.overloaded_at is not None or out.dark or not self.powered:
                self._limit(name, out)
                self._shown[name] = out.volts
            else:
                self._shown[name] = out.volts + (self._shown[name] - out.volts) * keep

    def volts(self, output: str) -> float:
        """Terminal volts now."""
        return self._shown[output] * (1 + self.drift * self._rise)

    def settled(self, output: str) -> float:
        """Terminal volts once they stand still."""
        return self._outputs[output].volts * (1 + self.drift * self._rise)

    def amps(self, output: str) -> float:
        """What really flows: less than was asked for where the supply limits."""
        return self._outputs[output].amps

    def behaviour(self, output: str) -> Behaviour:
        return self._outputs[output].behaviour

    # -- how it comes about ---------------------------------------------------------------------

    def _settle(self) -> None:
        """Volts and amps of every output; loads that are no fixed current are met in a few turns."""
        outs = self._outputs
        for _ in range(3):
            loads = {o: np.float64(self._wanted(o, out)) for o, out in outs.items()}
            self._solution = solve(self._free, loads)
            before = {o: out.amps for o, out in outs.items()}
            for name, out in outs.items():
                out.volts, out.amps = _finite(self._solution[name])
                out.volts = max(out.volts * self._factor(out) - self._pulled(out), 0.0)
                self._limit(name, out)
            if all(abs(out.amps - before[o]) < 1e-6 for o, out in outs.items()):
                break
        self._warm()

    def _warm(self) -> None:
        """What is lost where, for the heat."""
        if not self.powered or self._solution is None:
            self.warmth.heat({}, 0.0)
            return
        lost = {k: float(np.nan_to_num(v)) for k, v in losses(self.job, self._solution).items()}
        own = {x: lost.pop(x, 0.0) for x in self.warmth.links}
        self.warmth.heat(own, sum(lost.values()))

    def _put_out(self) -> None:
        """What died or is too hot feeds nothing."""
        for name, out in self._outputs.items():
            above = {x for x, fed in self._below.items() if name in fed}
            out.broken, out.hot = bool(above & set(self.warmth.died)), bool(above & self.warmth.hot)

    def _wanted(self, name: str, out: _Output) -> float:
        """The current that the network is asked for: what the load wants, as far as the limit lets it."""
        if not self.powered or out.dark:
            return 0.0
        volts = out.volts if out.volts > 0 else self._unloaded(name) * out.trim
        return min(float(out.demand.amps(np.array([volts]))[0]), out.limit_A)

    def _limit(self, name: str, out: _Output) -> None:
        """Past the limit, what its kind makes of it."""
        if not self.powered or out.dark:
            out.volts = out.amps = 0.0
            return
        regulated = float(np.nan_to_num(self._solution[name].V)) if self._solution is not None else 0.0
        regulated = max(regulated * self._factor(out) - self._pulled(out), 0.0)
        asked = float(out.demand.amps(np.array([regulated]))[0])
        if not out.demand.draws or asked <= out.limit_A * (1 + 1e-9):
            out.overloaded_at = None
            out.volts, out.amps = regulated, asked if out.demand.draws else 0.0
            return
        if out.overloaded_at is None:
            out.overloaded_at = self.now
        kind = out.behaviour.limit
        if kind is LimitKind.LATCH_OFF:
            out.off, out.volts, out.amps = True, 0.0, 0.0
            return
        if kind is LimitKind.HICCUP:
            turn = (self.now - out.overloaded_at) / out.behaviour.period_s % 1.0
            if turn >= out.behaviour.duty:
                out.volts = out.amps = 0.0
                return
        out.volts, out.amps = meeting_point(out.behaviour, out.demand, regulated, out.limit_A)

    def _factor(self, out: _Output) -> float:
        line = self.line_V / self.job.settings.mains_V - 1
        return out.trim * (1 + out.behaviour.line_share * line)

    def _pulled(self, out: _Output) -> float:
        return sum(ohm * self._outputs[other].amps for other, ohm in out.behaviour.couples)

    def _unloaded(self, output: str) -> float:
        return _finite(solve(self._free, {output: np.float64(0.0)})[output])[0]

    def _over_trip(self, out: _Output) -> bool:
        name = next(k for k, o in self._outputs.items() if o is out)
        trip = out.behaviour.trip_V
        return trip is not None and self._unloaded(name) * out.trim > trip


def _without_limits(network: Network) -> tuple[Network, dict[str, float]]:
    """The network with its converters' limits taken out, and the limit of each output's own converter."""
    limits: dict[str, float] = {}
    by_id = {e.id: e for e in network.elements}
    for element in network.elements:
        at = by_id.get(element.fed_by or "")
        while at is not None and not isinstance(at, Conversion):
            at = by_id.get(at.fed_by or "")
        if isinstance(at, Conversion):
            limits[element.id] = float(at.limit_A)
    free = [replace(e, limit_A=math.inf) if isinstance(e, Conversion) else e for e in network.elements]
    return Network(tuple(free)), limits


def _finite(point: Point) -> tuple[float, float]:
    volts, amps = float(point.V), float(point.I)
    return (volts, amps) if math.isfinite(volts) and math.isfinite(amps) else (0.0, 0.0)


class HiddenErrors:
    """What makes an instrument wrong: one gain and one offset for each range, drawn once by seed.

    Rectangular within the stated accuracy; noise and quantisation anew at each reading.
    """

    def __init__(self, seed: int) -> None:
        self._seed = seed
        self._drawn: dict[str, tuple[float, float]] = {}
        self._noise = np.random.default_rng([seed, 1])

    def shifted(self, key: str, value: float, accuracy: Accuracy) -> float:
        """A value with the gain and offset of the circuit named in `key`, without noise."""
        if key not in self._drawn:
            rng = np.random.default_rng([self._seed, zlib.crc32(key.encode())])
            self._drawn[key] = (
                float(rng.uniform(-1, 1)) * accuracy.of_reading,
                float(rng.uniform(-1, 1)) * accuracy.offset,
            )
        gain, offset = self._drawn[key]
        return value * (1 + gain) + offset

    def read(self, key: str, true: float, accuracy: Accuracy) -> float:
        """The figure shown for a true value, by the instrument and range named in `key`."""
        noise = accuracy.noise_counts * accuracy.resolution * float(self._noise.standard_normal())
        counts = round((self.shifted(key, true, accuracy) + noise) / accuracy.resolution)
        return counts * accuracy.resolution
