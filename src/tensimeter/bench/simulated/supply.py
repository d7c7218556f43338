"""The supply under test: the job's own network with hidden truths, warmth and settling on top."""

import math
import zlib
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from tensimeter.core.electrical.network import Conversion, Network, build
from tensimeter.core.electrical.solution import Point
from tensimeter.core.electrical.solver import solve
from tensimeter.core.job.document import Job
from tensimeter.core.judge import Accuracy

#: Time constant in s with which a reading follows a change of load.
SETTLING_S = 0.12


@dataclass
class SimulatedSupply:
    """DC behaviour from the path solver; the hottest converter warms with its loss.

    `truths` replaces figures of the network by (element, field). `drift` is the change of a warm
    converter's set volts per kelvin, as a fraction; `theta` its rise per watt, `tau` its time
    constant in s.
    """

    job: Job
    truths: Mapping[tuple[str, str], float] = field(default_factory=dict)
    drift: float = 0.0
    theta: float = 3.5
    tau: float = 420.0

    def __post_init__(self) -> None:
        self._network: Network = build(self.job).with_values(dict(self.truths))
        self._load: dict[str, float] = {}
        self._rise = 0.0
        self._solve()
        self._shown = self._settled

    @property
    def case_C(self) -> float:
        """Temperature of the hottest converter's sink."""
        return self.job.settings.ambient_C + self._rise

    def draw(self, output: str, amps: float) -> None:
        """Load an output with a current in A; others stay as they are."""
        if self._load.get(output) != amps:
            self._load[output] = amps
            self._solve()

    def advance(self, seconds: float) -> None:
        """Let time pass: exact solutions of the first-order equations, for any step."""
        if seconds <= 0:
            return
        target = self.theta * self._loss
        self._rise = target + (self._rise - target) * math.exp(-seconds / self.tau)
        keep = math.exp(-seconds / SETTLING_S)
        self._shown = {o: v + (self._shown.get(o, v) - v) * keep for o, v in self._settled.items()}

    def volts(self, output: str) -> float:
        """Terminal volts now."""
        return self._shown[output] * (1 + self.drift * self._rise)

    def amps(self, output: str) -> float:
        """What really flows: less than was asked for where the supply limits."""
        return self._flows[output]

    def _solve(self) -> None:
        solution = solve(self._network, self._load)
        outputs = [o.id for o in self.job.design.outputs()]
        running = {o: _finite(solution[o]) for o in outputs}
        self._settled = {o: max(v, 0.0) for o, (v, _) in running.items()}
        self._flows = {o: i for o, (_, i) in running.items()}
        losses = [
            float(np.nan_to_num(solution[e.id].loss))
            for e in self._network.elements
            if isinstance(e, Conversion)
        ]
        self._loss = max(losses, default=0.0)


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
