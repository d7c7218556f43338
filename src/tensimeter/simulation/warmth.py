"""How the simulated supply warms: case and sink of converters and loads, the air inside, a fan."""

import math
from collections.abc import Mapping

import numpy as np
from msgspec import Struct, field

from tensimeter.core.arrays import Array
from tensimeter.core.model.job import Job
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.hot_part import HotPart
from tensimeter.core.path import LoadLink
from tensimeter.core.rating.dissipation import hot_part_of
from tensimeter.core.rating.fan_cooling import box_resistance, fan_of, fan_steps, resistance_at, still_air_K_W
from tensimeter.core.thermal.network import AMBIENT, Modes, ThermalNetwork, modes_of, relaxed

#: What a converter that states nothing of its heat gets: K/W of its sink, J/K, K/W of its mounting.
PLAIN_SINK_K_W, PLAIN_SINK_J_K, PLAIN_PAD_K_W = 3.5, 120.0, 0.6
#: Samples that are worked out in one go, and the longest step in s while nobody looks.
BLOCK, LONGEST_S = 4096, 5.0


class HeatGuard(Struct, frozen=True):
    """A converter's own protection: off at this °C of its case, back at the other; none: it stays off."""

    off_C: float
    back_C: float | None = None


class HiddenHeat(Struct, frozen=True):
    """What the builder does not know of the heat. Fields by link: K/W of its mounting, of its sink; J/K.

    A junction dies as its damage comes to one: each second at `dies_C` adds 1/`dies_s`, and twice as much for
    every 3 K more. `growth` is the share that a converter's loss grows for each K of its case. `lag_s` is a
    probe's time constant by place, `contact` how much of the difference to the ambient it sees. `fan_on_C`
    and `fan_off_C` shift the fan's thresholds.
    """

    pad_K_W: Mapping[str, float] = field(default_factory=dict)
    sink_K_W: Mapping[str, float] = field(default_factory=dict)
    case_J_K: Mapping[str, float] = field(default_factory=dict)
    sink_J_K: Mapping[str, float] = field(default_factory=dict)
    growth: Mapping[str, float] = field(default_factory=dict)
    dies_C: Mapping[str, float] = field(default_factory=dict)
    dies_s: float = 240.0
    guards: Mapping[str, HeatGuard] = field(default_factory=dict)
    lag_s: Mapping[str, float] = field(default_factory=dict)
    contact: Mapping[str, float] = field(default_factory=dict)
    air_J_K: float = 400.0
    drift_K_h: float = 0.0
    lid_open: bool = False
    #: K/W of the box with its lid open, as a share of closed.
    open_share: float = 0.35
    fan_on_K: float = 0.0
    fan_off_K: float = 0.0


class Warmth:
    """Temperatures of all places, advanced exactly from event to event: the fan turns, a part dies."""

    def __init__(self, job: Job, truths: HiddenHeat | None = None) -> None:
        self.job, self.truths = job, truths or HiddenHeat()
        self.links: dict[str, HotPart] = {}
        for x in job.design.links:
            hot = hot_part_of(job, x)
            if hot is not None and (isinstance(job.part(x.part), ConverterPart) or isinstance(x, LoadLink)):
                self.links[x.id] = hot
        self.ambient_C = job.settings.ambient_C
        self.fan = 0
        self.died: dict[str, float] = {}
        #: What its own protection keeps off.
        self.hot: set[str] = set()
        self.now_s = 0.0
        self._speeds = (0.0, *(s.speed for s in fan_steps(job)))
        self._boxed = bool(still_air_K_W(job))
        self.places = [p for x in self.links for p in (f"{x}-case", f"{x}-sink")]
        if self._boxed:
            self.places.append("air")
        self._rise = np.zeros(len(self.places))
        self._damage = dict.fromkeys(self.links, 0.0)
        self._watts: dict[str, float] = {}
        self._air_W = 0.0
        self._modes: dict[tuple[int, bool, tuple[float, ...]], tuple[Modes, Array, Array]] = {}
        self._seen: dict[str, float] = {}
        self._start_fan()

    # -- what it is ------------------------------------------------------------------------------

    def heat(self, watts: Mapping[str, float], air_W: float) -> None:
        """What is lost in each converter, W, and elsewhere inside the box."""
        self._watts, self._air_W = dict(watts), air_W

    def celsius(self, place: str) -> float:
        """True °C at a place; `case` and `sink` alone are those of the converter that loses most."""
        if place == "ambient" or not self.places:
            return self.ambient_C
        if place in ("case", "sink") and self.links:
            most = max(self.links, key=lambda x: self._watts.get(x, 0.0))
            place = f"{most}-{place}"
        if place.endswith("-junction"):
            link = place.removesuffix("-junction")
            return self.celsius(f"{link}-case") + self._watts.get(link, 0.0) * self._junction(link)
        if place not in self.places:
            return self.ambient_C
        return self.ambient_C + float(self._rise[self.places.index(place)])

    def shown(self, place: str) -> float:
        """°C that a probe there feels: late, and less than all of it where it sits badly."""
        return self._seen.get(place, self._felt(place))

    def _felt(self, place: str) -> float:
        share = self.truths.contact.get(place, 1.0)
        return self.ambient_C + share * (self.celsius(place) - self.ambient_C)

    def _junction(self, link: str) -> float:
        return self.links[link].junction_K_W

    # -- time -----------------------------------------------------------------------------------

    @property
    def out(self) -> frozenset[str]:
        """The converters that feed nothing: dead, or kept off by their protection."""
        return frozenset((*self.died, *self.hot))

    def advance(self, seconds: float) -> float:
        """Let time pass, at most until a converter goes out or comes back; the seconds that passed."""
        out, began = self.out, self.now_s
        while (left := began + seconds - self.now_s) > 1e-9 and self.out == out:
            before, step = self.now_s, min(left, LONGEST_S)
            self._step(np.linspace(0.0, step, math.ceil(step) + 1)[1:])
            self._follow(self.now_s - before)
        return self.now_s - began

    def reset(self, link: str) -> None:
        """Let a converter start anew after it was without power; too hot, its protection keeps it off."""
        if link in self.hot and self.celsius(f"{link}-case") < self.truths.guards[link].off_C:
            self.hot.discard(link)

    def record(self, seconds: float, rate_Hz: float) -> tuple[Array, Array]:
        """Times in s and °C of every place (n, places), as fast as numbers go; events at their sample."""
        count = round(seconds * rate_Hz)
        found = np.empty((count, len(self.places)))
        done = 0
        while done < count:
            ahead = np.arange(1, min(BLOCK, count - done) + 1) / rate_Hz
            rows = self._step(ahead)
            found[done : done + len(rows)] = rows
            done += len(rows)
        return np.arange(1, count + 1) / rate_Hz, found

    def _step(self, ahead: Array) -> Array:
        """Go on to the last of these times (n,), or to the first event before; °C (m, places) on the way."""
        drift = self.truths.drift_K_h / 3600
        if not self.places:
            # Nothing of this supply says that it gets warm: only the room does.
            self.ambient_C += drift * float(ahead[-1])
            self.now_s += float(ahead[-1])
            return np.zeros((len(ahead), 0))
        modes, conductance, capacity = self._regime()
        watts = np.zeros(len(self.places))
        for link in self.links:
            grown = self.truths.growth.get(link, 0.0) * (self.ambient_C - 25.0)
            watts[self.places.index(f"{link}-case")] = self._watts.get(link, 0.0) * max(1 + grown, 0.0)
        if self._boxed:
            watts[-1] += self._air_W
        # Seen from an ambient that drifts, every capacity takes up the heat that the drift asks of it.
        final = np.asarray(np.linalg.solve(conductance, watts - drift * capacity))
        rises = relaxed(modes, final, self._rise, ahead)
        celsius = rises + (self.ambient_C + drift * ahead)[:, None]
        last = self._events(ahead, celsius)
        self._rise = rises[last]
        self.ambient_C += drift * float(ahead[last])
        self.now_s += float(ahead[last])
        return np.asarray(celsius[: last + 1])

    def _events(self, ahead: Array, celsius: Array) -> int:
        """Where the first thing happens that changes how it goes on, and make it happen; else the end."""
        damage = self._damaged(ahead, celsius)
        deaths = {link: int(np.argmax(d >= 1)) for link, d in damage.items() if d[-1] >= 1}
        guarded, turn = self._guarded(celsius), self._fan_turns(celsius)
        turns = [turn[0]] if turn else []
        last = min([len(ahead) - 1, *deaths.values(), *guarded.values(), *turns])
        for link, d in damage.items():
            self._damage[link] = float(d[last])
        for link in (x for x, at in deaths.items() if at == last):
            self.died[link] = self.now_s + float(ahead[last])
        # Each of these goes off or comes back.
        self.hot ^= {link for link, at in guarded.items() if at == last}
        if turn and turn[0] == last:
            self.fan = turn[1]
        return last

    def _damaged(self, ahead: Array, celsius: Array) -> dict[str, Array]:
        """The damage (n,) of each junction that can die, at these times; one is its end."""
        step = np.diff(ahead, prepend=0.0)
        found: dict[str, Array] = {}
        for link, dies in self.truths.dies_C.items():
            if link in self.died or link not in self.links:
                continue
            junction = celsius[:, self.places.index(f"{link}-case")]
            junction = junction + self._watts.get(link, 0.0) * self._junction(link)
            rate = np.where(junction > dies - 15, 2 ** np.clip((junction - dies) / 3, -30, 30), 0.0)
            found[link] = self._damage[link] + np.cumsum(rate * step) / self.truths.dies_s
        return found

    def _guarded(self, celsius: Array) -> dict[str, int]:
        """When a protection goes off, or lets its converter come back."""
        found: dict[str, int] = {}
        for link, guard in self.truths.guards.items():
            if link not in self.links:
                continue
            case = celsius[:, self.places.index(f"{link}-case")]
            if link not in self.hot:
                acts = case >= guard.off_C
            else:
                acts = case <= (guard.back_C if guard.back_C is not None else -math.inf)
            if acts.any():
                found[link] = int(np.argmax(acts))
        return found

    def _fan_turns(self, celsius: Array) -> tuple[int, int] | None:
        """When the fan goes to another step, and to which; None where it stays."""
        steps = fan_steps(self.job)
        if not steps or not self.links:
            return None
        sinks = celsius[:, [k for k, p in enumerate(self.places) if p.endswith("-sink")]].max(1)
        turns = []
        if self.fan < len(steps):
            up = np.flatnonzero(sinks >= steps[self.fan].from_C + self.truths.fan_on_K)
            turns += [(int(up[0]), self.fan + 1)] if len(up) else []
        if self.fan > 0:
            down = np.flatnonzero(sinks <= steps[self.fan - 1].back_C + self.truths.fan_off_K)
            turns += [(int(down[0]), self.fan - 1)] if len(down) else []
        return min(turns, default=None)

    def _start_fan(self) -> None:
        if len(self._speeds) > 1 and math.isinf(fan_steps(self.job)[0].from_C):
            self.fan = 1

    def _follow(self, seconds: float) -> None:
        for place, lag in self.truths.lag_s.items():
            felt = self._felt(place)
            before = self._seen.get(place, felt)
            self._seen[place] = felt + (before - felt) * math.exp(-seconds / lag)

    # -- the network ----------------------------------------------------------------------------

    def _regime(self) -> tuple[Modes, Array, Array]:
        """Modes, conductance and capacities, as fan and losses are now."""
        losses = tuple(
            self._watts.get(x, 0.0) * self.truths.growth[x] if x in self.truths.growth else 0.0
            for x in self.links
        )
        key = (self.fan, self.truths.lid_open, losses)
        if key not in self._modes:
            network = self._network()
            matrix = network.conductance()
            for loss, link in zip(losses, self.links, strict=True):
                at = self.places.index(f"{link}-case")
                matrix[at, at] -= loss
            capacity = np.array([network.capacity_J_K[p] for p in self.places])
            self._modes[key] = (modes_of(matrix, capacity), matrix, capacity)
        return self._modes[key]

    def _network(self) -> ThermalNetwork:
        truths, speed = self.truths, self._speeds[self.fan]
        capacity: dict[str, float] = {}
        ties: dict[tuple[str, str], float] = {}
        for link, hot in self.links.items():
            still, blown, sink_J_K = self._sink(link, hot)
            pad = max((hot.above_sink_K_W or PLAIN_PAD_K_W) - hot.junction_K_W, 0.05)
            case, sink = f"{link}-case", f"{link}-sink"
            capacity[case] = truths.case_J_K.get(link, hot.case_J_K)
            capacity[sink] = truths.sink_J_K.get(link, sink_J_K)
            ties[case, sink] = truths.pad_K_W.get(link, pad)
            ties[sink, "air" if self._boxed else AMBIENT] = resistance_at(still, blown, speed)
        if self._boxed:
            closed = box_resistance(still_air_K_W(self.job), fan_of(self.job), speed)
            capacity["air"] = truths.air_J_K
            ties["air", AMBIENT] = closed * (truths.open_share if truths.lid_open else 1.0)
        return ThermalNetwork(capacity, ties)

    def _sink(self, link: str, hot: HotPart) -> tuple[float, float | None, float]:
        found = hot.sink
        blown: float | None = None
        still, capacity = PLAIN_SINK_K_W, PLAIN_SINK_J_K
        if found is not None:
            still, blown, capacity = found.still_K_W, found.blown_K_W, found.capacity_J_K
        true = self.truths.sink_K_W.get(link, still)
        return true, blown * true / still if blown else None, capacity
