"""How hot each part comes to be at every speed of a fan, in the worst state that a design can be in."""

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.model.job import Job
from tensimeter.core.rating.dissipation import hot_part_of, hottest_allowed_C, losses
from tensimeter.core.rating.envelope import State, envelope
from tensimeter.core.rating.fan_cooling import box_resistance, fan_of, resistance_at, still_air_K_W


class AtSpeeds(Struct, frozen=True, eq=False):
    """A part at speeds of the fan (n,), in its worst state at each: °C of hot spot, sink and limit.

    `own_W` is lost in it then, and `capacity_J_K` its sink's.
    """

    link: str
    name: str
    hot_C: Array
    sink_C: Array
    limit_C: Array
    own_W: Array
    capacity_J_K: float
    states: tuple[State, ...]

    @property
    def room_K(self) -> Array:
        """What is left to its limit at each speed, K; below zero it is too hot."""
        return np.asarray(self.limit_C - self.hot_C)


def at_speeds(job: Job, speeds: Array) -> list[AtSpeeds]:
    """Every part that says how it sheds its heat, long after load on, at shares (n,) of the fan's full speed.

    No fan is switched: each speed is held. No source stands at its trip.
    UserError for a path that does not join up.
    """
    found: dict[str, AtSpeeds] = {}
    fan = fan_of(job)
    for part in envelope(job).parts:
        here, solution = part.job, part.solution
        lost = losses(here, solution)
        total = part.of(np.asarray(sum(lost.values(), start=np.float64(0.0))), faults=False)
        air = np.array([box_resistance(still_air_K_W(here), fan, s) for s in speeds])
        inside = here.settings.ambient_C + air[:, None] * total
        for link in here.design.links:
            hot = hot_part_of(here, link)
            if hot is None or hot.sink is None or link.id not in solution.points:
                continue
            own = part.of(np.asarray(lost[link.id] * hot.loss_share), faults=False)
            sink, cooled = (
                hot.sink,
                [resistance_at(hot.sink.still_K_W, hot.sink.blown_K_W, s) for s in speeds],
            )
            sink_C = inside + np.array(cooled)[:, None] * own
            hot_C = sink_C + own * (hot.above_sink_K_W or 0.0)
            amps = part.of(np.asarray(solution[link.id].I * hot.current_share), faults=False)
            limit = np.broadcast_to(np.asarray(hottest_allowed_C(hot, amps), float), own.shape)
            at = np.argmin(np.where(np.isfinite(hot_C), limit - hot_C, np.inf), axis=1)
            row = np.arange(len(speeds))
            new = AtSpeeds(
                link.id, f"{link.name}, {hot.what}" if hot.what else link.name,
                hot_C[row, at], sink_C[row, at], limit[at], own[at], sink.capacity_J_K,
                tuple(part.states[k] for k in at),
            )  # fmt: skip
            found[link.id] = worse(found[link.id], new) if link.id in found else new
    return list(found.values())


def worse(one: AtSpeeds, other: AtSpeeds) -> AtSpeeds:
    """The worse of two sets of states, speed by speed."""
    takes = other.room_K < one.room_K

    def of(a: Array, b: Array) -> Array:
        return np.asarray(np.where(takes, b, a))

    return AtSpeeds(
        one.link, one.name, of(one.hot_C, other.hot_C), of(one.sink_C, other.sink_C),
        of(one.limit_C, other.limit_C), of(one.own_W, other.own_W), one.capacity_J_K,
        tuple(b if t else a for a, b, t in zip(one.states, other.states, takes, strict=True)),
    )  # fmt: skip
