"""A home-made electronic load: how many pass devices it takes, its lowest volts, what it holds for good.

Every device has its own shunt and its own amplifier. One gate for several is refused: a threshold falls as
its device warms, and the warmest takes ever more.
"""

import math
from collections.abc import Sequence
from functools import cached_property

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError

#: Rds(on) for each K over 25 °C, as a share: silicon about doubles to 150 °C. Rule of thumb.
RDS_PER_K = 0.0065
#: What of a DC curve is counted on of a part that is made for switching; rule of thumb.
SWITCHING_SHARE = 0.5
#: A shunt is used to half of its rating, and is so many K warmer at all of it; rules of thumb.
SHUNT_SHARE, SHUNT_RISE_K = 0.5, 70.0
#: The most devices that are looked for, and points of the area.
MOST_DEVICES, POINTS = 24, 200


class Device(Struct, frozen=True):
    """A pass device: Ω fully on at 25 °C, K/W, hottest °C, its DC curve as (V, A) at a case of `soa_case_C`.

    `switching`: made for switching, and so derated.
    """

    rds_on_ohm: float
    junction_K_W: float
    mounting_K_W: float
    hottest_C: float
    soa: tuple[tuple[float, float], ...]
    soa_case_C: float = 25.0
    switching: bool = False

    def allowed_A(self, volts: Array, case_C: Array | float) -> Array:
        """DC amps that it stands at V (n,) with its case at °C; none beyond the end of its curve.

        Between two points of the curve straight in logarithms, below the first its amps; with the case it
        falls in a straight line to nothing at the hottest junction.
        """
        points = sorted(self.soa)
        v, a = np.array(points).T
        at = np.exp(np.interp(np.log(np.maximum(volts, 1e-9)), np.log(v), np.log(a)))
        cold = np.clip((self.hottest_C - np.asarray(case_C)) / (self.hottest_C - self.soa_case_C), 0.0, 1.0)
        share = SWITCHING_SHARE if self.switching else 1.0
        return np.asarray(np.where(np.asarray(volts) > v[-1], 0.0, at * cold * share))


class SinkLoad(Struct, frozen=True, dict=True):
    """A load of `devices` at its limits: V, A and W that are wanted, a shunt and a share of the sink each."""

    device: Device
    devices: int
    volts: float
    amps: float
    watts: float
    shunt_ohm: float
    sink_K_W: float
    ambient_C: float
    leads_ohm: float = 0.0
    #: How much of its rise the sink has come to: all of it for good, less for minutes.
    warmed: float = 1.0

    @cached_property
    def area(self) -> tuple[Array, Array]:
        """Volts (n,) and the most amps wanted at each."""
        volts = np.geomspace(max(min(self.volts, self.watts / self.amps) / 20, 1e-3), self.volts, POINTS)
        # Where amps turn to watts, and at the points of its curve, what is wanted comes nearest to it.
        shunt_V = self.amps / self.devices * self.shunt_ohm
        bends = [self.watts / self.amps, *(v for at, _ in self.device.soa for v in (at, at + shunt_V))]
        volts = np.unique(np.append(volts, [v for v in bends if v <= self.volts]))
        return volts, np.minimum(self.amps, self.watts / volts)

    @cached_property
    def each_W(self) -> Array:
        """Watts in each device over the area (n,)."""
        volts, amps = self.area
        own = amps / self.devices
        return np.asarray(own * np.maximum(volts - own * self.shunt_ohm - amps * self.leads_ohm, 0.0))

    @property
    def case_C(self) -> Array:
        """°C of each case over the area (n,): all devices share the sink."""
        return np.asarray(
            self.ambient_C
            + self.each_W * (self.devices * self.sink_K_W * self.warmed + self.device.mounting_K_W)
        )

    @property
    def junction_C(self) -> Array:
        """°C of each junction over the area (n,)."""
        return np.asarray(self.case_C + self.each_W * self.device.junction_K_W)

    @property
    def soa_margin(self) -> float:
        """How many times what is wanted the DC curve allows, at the worst volts of the area."""
        volts, amps = self.area
        own = amps / self.devices
        across = np.maximum(volts - own * self.shunt_ohm, 1e-9)
        return float((self.device.allowed_A(across, self.case_C) / own).min())

    @property
    def holds(self) -> bool:
        """Whether every junction and every point of the DC curve holds over the whole area."""
        return bool(self.junction_C.max() <= self.device.hottest_C) and self.soa_margin >= 1.0

    @property
    def lowest_V(self) -> float:
        """Volts below which it can't sink all of its amps, its devices as hot as they get."""
        own = self.amps / self.devices
        hot = min(float(self.junction_C.max()), self.device.hottest_C)
        rds = self.device.rds_on_ohm * (1 + RDS_PER_K * max(hot - 25.0, 0.0))
        return own * (rds + self.shunt_ohm) + self.amps * self.leads_ohm

    @property
    def shunt_V(self) -> float:
        """Volts across each shunt at full amps."""
        return self.amps / self.devices * self.shunt_ohm

    @property
    def shunt_W(self) -> float:
        """Watts in each shunt at full amps."""
        return self.shunt_V**2 / self.shunt_ohm

    def minutes_at(self, watts: float, sink_J_K: float) -> float:
        """How long it holds more watts from cold, its sink warming up with its capacity; inf for good, min.

        The sink comes to a share 1 − e^(−t/RC) of its rise; the devices follow it at once.
        """
        hot = replace(self, watts=watts)
        if hot.holds:
            return math.inf
        low, high = 0.0, 1.0
        if not replace(hot, warmed=0.0).holds:
            return 0.0
        for _ in range(40):
            middle = (low + high) / 2
            low, high = (middle, high) if replace(hot, warmed=middle).holds else (low, middle)
        return -self.sink_K_W * sink_J_K * math.log1p(-low) / 60

    def continuous_W(self) -> float:
        """The most watts that it holds for good at these volts and amps, found by halving."""
        low, high = 0.0, self.volts * self.amps
        if replace(self, watts=high).holds:
            return high
        for _ in range(50):
            middle = (low + high) / 2
            low, high = (middle, high) if replace(self, watts=middle).holds else (low, middle)
        return low


def unequal_C(
    devices: Sequence[Device], amps: Sequence[float], shunts: Sequence[float], volts: float, sink_K_W: float,
    ambient_C: float,
) -> Array:  # fmt: skip
    """°C of every junction (n,) of devices that differ, each with amps and a shunt of its own, on one sink.

    T_k = air + θsink·ΣP + P_k·(θmounting + θjunction) with P_k = I_k·(V − I_k·R_k).

    References
    ----------
    Superposition in a linear thermal network; each device heats the sink, and itself above it.
    """
    own = np.asarray(amps, float) * (volts - np.asarray(amps, float) * np.asarray(shunts, float))
    chain = np.array([d.junction_K_W + d.mounting_K_W for d in devices])
    return np.asarray(ambient_C + sink_K_W * own.sum() + own * chain)


def sized(load: SinkLoad) -> SinkLoad:
    """The load with as few devices as hold over its area.

    Raises
    ------
    UserError
        Without a DC curve, for figures that are none, or where no number of devices holds.

    References
    ----------
    Thermal resistances in series, devices on one sink; linear derating of the DC safe area with the case
    temperature, as data sheets of linear parts state it.
    """
    device = load.device
    if not device.soa:
        raise UserError("Without a published DC curve no device is used: nobody knows what it stands.")
    figures = (load.volts, load.amps, load.watts, load.shunt_ohm, device.rds_on_ohm)
    thermal = (device.junction_K_W, device.mounting_K_W, load.sink_K_W, load.leads_ohm)
    if not all(math.isfinite(x) and x > 0 for x in figures) or not all(x >= 0 for x in thermal):
        raise UserError("A load has volts, amps, watts, a shunt and a resistance above zero.")
    if any(v <= 0 or a <= 0 for v, a in device.soa) or len({v for v, _ in device.soa}) < len(device.soa):
        raise UserError("A DC curve is points of volts and amps above zero, each volts once.")
    if not device.hottest_C > max(device.soa_case_C, load.ambient_C):
        raise UserError("The hottest junction lies above the room, and above the case that the curve is for.")
    for n in range(1, MOST_DEVICES + 1):
        one = replace(load, devices=n)
        if one.holds:
            return one
    raise UserError(
        f"Not with {MOST_DEVICES} devices either: the curve ends before {load.volts:g} V, or the sink is too "
        "small for these watts. Less watts, a larger sink, or a part with a wider DC curve."
    )
