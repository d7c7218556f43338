"""Where temperatures are read in a design, its thermal stages there, and what it expects of a soak."""

from collections.abc import Mapping, Sequence
from types import MappingProxyType

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.heatup.prior import Expected
from tensimeter.core.model.job import Job
from tensimeter.core.parts.hot_part import HotPart
from tensimeter.core.parts.instrument_part import TemperatureMeter
from tensimeter.core.parts.instruments import Thermometer
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.path import ConverterLink, Link
from tensimeter.core.rating.dissipation import hot_part_of, hottest_allowed_C, losses
from tensimeter.core.rating.fan_cooling import (
    box_resistance,
    fan_of,
    resistance_at,
    resting_speed,
    still_air_K_W,
)
from tensimeter.core.rating.ladder import at
from tensimeter.core.thermal.heatsink import SinkFigures
from tensimeter.core.thermal.rc_ladder import CauerLadder

#: J/K of the air inside with the walls of a small box: a rule of thumb.
BOX_J_K = 400.0
#: Least θ of a mounting, K/W, and how far θ inside a part and of its mounting stray, as shares.
LEAST_K_W, JUNCTION_SHARE, MOUNTING_SHARE = 0.05, 0.15, 0.35
#: How far off a thermometer is that nobody named, K.
ASSUMED_K = 2.0


def thermometer(job: Job) -> TemperatureMeter:
    """The campaign's thermometer, else a plain one that is assumed."""
    part = job.part(job.campaign.thermometer)
    if isinstance(part, TemperatureMeter):
        return part
    return Thermometer(id="assumed", name="thermometer (assumed)", accuracy_K=ASSUMED_K)


def measuring_points(job: Job) -> dict[str, str]:
    """Names of the places that a thermometer may sit at, by their ids."""
    found = {"ambient": "room"}
    for link in job.design.links:
        hot = hot_part_of(job, link)
        if hot is not None:
            of = f"{link.name} {hot.what}".rstrip()
            found |= {f"{link.id}-case": f"{of} case", f"{link.id}-sink": f"{of} sink"}
    return found | {"air": "air inside", "case": "hottest case", "sink": "hottest sink"}


def watched(job: Job, output: str) -> str:
    """The part on the way to an output that gets hottest by design; UserError where none says how."""
    known = [x for x in job.design.path_to(output) if chain(job, x.id) is not None]
    if not known:
        raise UserError(
            f"No part on the way to {job.output(output).name} says how it sheds its heat: give a converter "
            "K/W of its switch and its sink in Stock, or a donor its inside, or watch temperatures without "
            "a forecast of a junction."
        )
    amps = (job.output(output).full_load_A,)

    def above_sink(link: Link) -> float:
        return float(heats(job, output, amps, link.id)[0][0]) * spot_above(job, link.id, "sink")

    return max(known, key=above_sink).id


def chain(job: Job, link: str, speed: float | None = None) -> CauerLadder | None:
    """The thermal stages of a part by the design, its fan at a share of full speed, at rest where None.

    None where the design does not say.
    """
    speed = resting_speed(job) if speed is None else speed
    hot = hot_part_of(job, job.design.link(link))
    if hot is None or hot.above_sink_K_W is None or hot.sink is None:
        return None
    sink = hot.sink
    theta = {
        "case": max(hot.above_sink_K_W - hot.junction_K_W, LEAST_K_W),
        "sink": resistance_at(sink.still_K_W, sink.blown_K_W, speed),
    }
    capacity = {"case": hot.case_J_K, "sink": sink.capacity_J_K}
    if still_air_K_W(job):
        theta["air"] = box_resistance(still_air_K_W(job), fan_of(job), speed)
        capacity["air"] = BOX_J_K
    return CauerLadder(theta, capacity)


#: What other outputs carry at each load of the one that is looked at, A by output.
Beside = Mapping[str, Sequence[float]]
IDLE: Beside = MappingProxyType({})


def heats(
    job: Job, output: str, amps: Sequence[float], link: str, beside: Beside = IDLE
) -> tuple[Array, Array]:
    """W lost in what gets hot of a link, and elsewhere inside, at each of these loads of an output.

    The other outputs carry what they do `beside` it, a figure for each of these loads; else they are idle.
    """
    load = np.asarray(amps, float)
    others = {o: np.asarray(a, float) for o, a in beside.items() if o != output}
    _, solution, _ = at(job, {output: load, **others}, as_set=True)
    lost = {k: np.broadcast_to(np.nan_to_num(v), load.shape) for k, v in losses(job, solution).items()}
    hot = hot_part_of(job, job.design.link(link))
    own = lost[link] * (hot.loss_share if hot else 1.0)
    lost[link] = lost[link] - own
    return np.asarray(own), np.asarray(sum(lost.values(), start=np.zeros(load.shape)))


def stage_of(place: str) -> str:
    """Which stage of a chain a place is: case, sink or air; empty where it is none."""
    end = place.rsplit("-", 1)[-1]
    return end if end in ("case", "sink", "air") else ""


def hot_of(job: Job, link: str) -> HotPart:
    """What gets hot of a link that is watched; KeyError where its part says nothing of that."""
    hot = hot_part_of(job, job.design.link(link))
    if hot is None:
        raise KeyError(link)
    return hot


def spot_above(job: Job, link: str, place: str) -> float:
    """K/W from a place of a converter up to its junction."""
    above, stages = hot_of(job, link).junction_K_W, chain(job, link)
    if stages is None:
        return above
    for stage in stages.places[: stages.places.index(stage_of(place)) if stage_of(place) else 0]:
        above += stages.theta_K_W[stage]
    return above


def spot_spread(place: str) -> float:
    """How far the θ between a place and the junction strays, as a share."""
    return JUNCTION_SHARE if stage_of(place) == "case" else MOUNTING_SHARE


def limit_C(job: Job, link: str, output: str = "", amps: float = 0.0, beside: Beside = IDLE) -> float:
    """The hottest that a converter's junction may get; with an output's load less where it is derated.

    The other outputs carry the last of what they do `beside` it.
    """
    hot = hot_of(job, link)
    if not output:
        return hot.limit_C
    others = {o: np.float64(a[-1]) for o, a in beside.items() if o != output}
    _, solution, _ = at(job, {output: np.float64(amps), **others}, as_set=True)
    # What its curve never allows is too hot even cold.
    through = float(solution[link].I) * hot.current_share
    return max(float(hottest_allowed_C(hot, through)), job.settings.ambient_C)


def expected(
    job: Job,
    output: str,
    link: str,
    place: str,
    amps: Sequence[float],
    speed: float | None = None,
    beside: Beside = IDLE,
) -> Expected | None:
    """What the design expects of a soak that is stepped through these loads, at a place of a converter."""
    stages, stage = chain(job, link, speed), stage_of(place)
    if stages is None or stage not in stages.places or not len(amps):
        return None
    own, rest = heats(job, output, amps, link, beside)
    network = stages.network()
    watts = {"case": own, "air": rest} if "air" in stages.places else {"case": own}
    rises = network.steady(watts, 0.0)[stage]
    steps = np.diff(rises, prepend=0.0)
    constants, into, out = network.modes()
    parts = out[stages.places.index(stage)] * into[:, stages.places.index("case")] * constants
    slowest = int(np.argmax(constants))
    share = float(np.clip(1 - parts[slowest] / parts.sum(), 0.02, 0.9))
    others = np.arange(len(constants)) != slowest
    weight = np.abs(parts[others])
    fast = float((weight @ constants[others]) / weight.sum()) if weight.sum() else 0.1 * constants[slowest]
    return Expected(tuple(steps.tolist()), float(constants[slowest]), fast / float(constants[slowest]), share)


class Scenario(Struct, frozen=True):
    """What is changed to ask how hot it would get: the room, the load as a share, the fan, dust, the lid.

    `dust` is the share of its conductance that a sink loses: 0.2 is a rule of thumb for a year's use.
    """

    room_C: float
    heat_share: float = 1.0
    sink_share: float = 1.0
    dust: float = 0.0
    lid_open: bool = False


def steady_spot_C(
    stages: CauerLadder, own_W: float, rest_W: float, junction_K_W: float, asked: Scenario
) -> float:
    """°C of the junction in the end."""
    theta = dict(stages.theta_K_W)
    theta["sink"] = theta.get("sink", 0.0) * asked.sink_share / (1 - asked.dust)
    if "air" in theta and asked.lid_open:
        # The air inside is then nearly the room's: a third is a rule of thumb.
        theta["air"] /= 3
    own, rest = own_W * asked.heat_share, rest_W * asked.heat_share
    inner = sum(v for k, v in theta.items() if k != "air")
    return asked.room_C + theta.get("air", 0.0) * (own + rest) + own * (inner + junction_K_W)


def as_fitted(job: Job, link: str, stages: CauerLadder) -> Job:
    """The job with a part's thermal figures as they were fitted; nothing of the document changes."""
    part = job.part(job.design.link(link).part)
    theta, capacity = stages.theta_K_W, stages.capacity_J_K
    sink, design = hot_of(job, link).sink, chain(job, link)
    assert isinstance(part, PathPart)
    assert sink is not None
    assert design is not None
    # In still air or in the fan's, its sink is as much better or worse.
    by = theta["sink"] / design.theta_K_W["sink"]
    blown = sink.blown_K_W and sink.blown_K_W * by
    fitted = SinkFigures(sink.still_K_W * by, blown, capacity["sink"])
    changed = part.with_heat(theta["case"], capacity["case"], fitted)
    on_own = {"sink": None} if isinstance(job.design.link(link), ConverterLink) else {}
    new = {"part": changed.id, **on_own}
    links = tuple(x.model_copy(update=new) if x.id == link else x for x in job.design.links)
    settings = job.settings
    if "air" in theta:
        settings = settings.model_copy(
            update={"box_K_W": still_air_K_W(job) * theta["air"] / design.theta_K_W["air"]}
        )
    return job.model_copy(
        update={
            "stock": (*job.stock, changed),
            "design": job.design.model_copy(update={"links": links}),
            "settings": settings,
        }
    )
