"""Edits of the stock: each takes a job and gives a new one; none changes what it was given."""

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, identifier, with_campaign
from tensimeter.core.model.job import Job
from tensimeter.core.model.nameplate import read_nameplate, read_rails
from tensimeter.core.parts.battery import CELLS, Battery
from tensimeter.core.parts.compared import ComparedPart
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.donor import Donor
from tensimeter.core.parts.figures import EfficiencyPoint, MeterCheckRecord
from tensimeter.core.parts.instrument_part import SetLoad, TemperatureMeter, VoltMeter
from tensimeter.core.parts.rail import CombinedLimit, Rail
from tensimeter.core.parts.rails import RailSupply
from tensimeter.core.parts.registry import Part
from tensimeter.core.parts.transformer import Transformer


def with_part(job: Job, part: Part) -> Job:
    """The job with a part added, or replaced where its id is known already."""
    if job.part(part.id) is None:
        grown = job.model_copy(update={"stock": (*job.stock, part)})
        return _first_of_its_role(grown, part)
    stock = tuple(part if old.id == part.id else old for old in job.stock)
    return job.model_copy(update={"stock": stock})


def _first_of_its_role(job: Job, part: Part) -> Job:
    """The campaign takes the first load, meter or thermometer that comes into the stock."""
    campaign, taken = job.campaign, {}
    if isinstance(part, SetLoad):
        taken = {"load": part.id, "ammeter": campaign.ammeter or part.id}
    elif isinstance(part, VoltMeter):
        taken = {"voltmeter": part.id}
    elif isinstance(part, TemperatureMeter):
        taken = {"thermometer": part.id}
    free = {role: i for role, i in taken.items() if getattr(campaign, role) in (None, i)}
    return with_campaign(job, **free) if free else job


def without_part(job: Job, part_id: str) -> Job:
    """The job without a part; refused while a link or the campaign uses it."""
    users = [link.name for link in job.design.links if link.part == part_id]
    campaign = job.campaign
    if part_id in (campaign.load, campaign.voltmeter, campaign.ammeter, campaign.thermometer):
        users.append("the campaign")
    if users:
        raise UserError(f"It is in use by {', '.join(users)}; take it out there first.")
    return job.model_copy(update={"stock": tuple(p for p in job.stock if p.id != part_id)})


#: Rules of thumb of a small mains transformer that is known by its label only: how far its volts fall from
#: no load to full, and the reservoir behind it, F a rated ampere.
FALLS, FARAD_PER_A = 0.15, 2.2e-3


def transformer_from_nameplate(job: Job, text: str) -> Transformer:
    """A transformer with a bridge and a reservoir, from a label's rms volts and amps; the rest is assumed.

    A label's volts stand at full load: without load it gives more.
    """
    plate = read_nameplate(text)
    if plate.amps is None:
        raise UserError(f"The nameplate “{text}” needs amps or watts beside the volts.")
    volts = plate.volts * (1 + FALLS)
    # On the reservoir at high mains, no load and a winding 5 % up; the next usual capacitor above that.
    least = volts * 1.05 * 1.1 * 2**0.5
    return Transformer(
        id=identifier(plate.name, (p.id for p in job.stock)),
        name=plate.name,
        tap_V=(volts,),
        resistance_ohm=plate.volts * FALLS / plate.amps,
        rated_A=plate.amps,
        capacitance_F=FARAD_PER_A * max(plate.amps, 0.1),
        capacitor_V=next((v for v in (16, 25, 35, 50, 63, 80, 100, 160) if v >= least), 1.2 * least),
        count=plate.count,
        note="volts without load, resistance and reservoir are rules of thumb: read them",
        origins={
            "tap_V": "assumed", "resistance_ohm": "assumed", "rated_A": "label", "capacitance_F": "assumed",
            "capacitor_V": "assumed",
        },
    )  # fmt: skip


def rails_from_nameplate(
    job: Job, name: str, rails: list[tuple[float, float]], watts: float | None
) -> RailSupply:
    """A supply with several rails from its label: volts and amps of each, and the watts of them all."""
    called = [f"{volts:g} V".replace("-", "−") for volts, _ in rails]
    if len(set(called)) < len(called):
        raise UserError("Two rails of that label have the same volts; type their sum as one.")
    return RailSupply(
        id=identifier(name or "supply with rails", (p.id for p in job.stock)),
        name=name or f"Supply {', '.join(called)}",
        rails=tuple(
            Rail(name=n, volts=abs(v), below=v < 0, rated_A=a)
            for n, (v, a) in zip(called, rails, strict=True)
        ),
        combined=(CombinedLimit(rails=tuple(called), watts=watts),) if watts else (),
        note="" if watts else "how many watts its rails give together is not known: read its label",
        origins={"rails": "label"},
    )


def card_from_nameplate(job: Job, text: str) -> Donor | Battery | Transformer | RailSupply:
    """A card from a typed nameplate: a battery where it gives Ah, a transformer by its name, else a donor."""
    rails = read_rails(text)
    if rails is not None:
        return rails_from_nameplate(job, *rails)
    plate = read_nameplate(text)
    if "transformer" in plate.name.casefold().split():
        return transformer_from_nameplate(job, text)
    if plate.amp_hours is None:
        return donor_from_nameplate(job, text)
    words = plate.name.casefold()
    chemistry = next((c for c, marks in _CHEMISTRIES.items() if any(m in words for m in marks)), "lead")
    name = plate.name or f"Battery {plate.volts:g} V {plate.amp_hours:g} Ah"
    return Battery.model_validate(
        {
            "id": identifier(name, (p.id for p in job.stock)),
            "name": name,
            "chemistry": chemistry,
            "cells": max(round(plate.volts / CELLS[chemistry].nominal_V), 1),
            "capacity_Ah": plate.amp_hours,
            "rated_A": plate.amps or plate.amp_hours,
            "count": plate.count,
            "origins": {"capacity_Ah": "label"},
        }
    )


#: Words of a battery's label by chemistry; without one it is taken for lead.
_CHEMISTRIES = {
    "lithium_iron": ("lithium iron", "iron phosphate"),
    "lithium_ion": ("lithium", "li-ion"),
    "nickel": ("nickel", "nimh"),
}


def donor_from_nameplate(job: Job, text: str) -> Donor:
    """A donor card from a typed nameplate; its figures are the label's."""
    plate = read_nameplate(text)
    if plate.amps is None or plate.watts is None:
        raise UserError(f"The nameplate “{text}” needs amps or watts beside the volts.")
    name = plate.name or f"Donor {plate.volts:g} V {plate.amps:g} A"
    return Donor(
        id=identifier(name, (p.id for p in job.stock)),
        name=name,
        no_load_V=plate.volts,
        rated_A=plate.amps,
        rated_W=plate.watts,
        efficiency=plate.efficiency or 0.85,
        family=plate.family,
        count=plate.count,
        note=plate.note,
        origins={
            "no_load_V": "label",
            "rated_A": "label",
            "rated_W": "label",
            "efficiency": "label" if plate.efficiency else "assumed",
        },
    )


def from_library(job: Job, part: Part) -> Part:
    """A part of the library under an id and a name that are free in this job."""
    taken = {p.name for p in job.stock}
    fresh = (f"{part.name} ({n})" for n in range(2, 1000))
    name = part.name if part.name not in taken else next(n for n in fresh if n not in taken)
    return changed(part, id=identifier(name, (p.id for p in job.stock)), name=name)


def split_up(job: Job, part_id: str) -> Job:
    """“Two of these” as individuals, each with its own state; the first keeps the id. UserError for one."""
    part = job.part(part_id)
    if part is None or part.count < 2:
        raise UserError("There is only one of it.")
    if part.count > 26:
        raise UserError("More than 26 of one part can't be told apart by letters; make its count smaller.")
    taken, apart = [p.id for p in job.stock], []
    for k in range(part.count):
        name = f"{part.name[:76]}, {'ABCDEFGHIJKLMNOPQRSTUVWXYZ'[k]}"
        fresh = part.id if k == 0 else identifier(name, taken)
        taken.append(fresh)
        apart.append(changed(part, id=fresh, name=name, count=1))
    stock = [p for old in job.stock for p in (apart if old.id == part.id else [old])]
    return job.model_copy(update={"stock": tuple(stock)})


def with_efficiency(job: Job, part_id: str, text: str) -> Job:
    """A converter with one more efficiency such as `12V 5A 92%`, its losses fitted anew."""
    part, plate = job.part(part_id), read_nameplate(text)
    if not isinstance(part, ConverterPart):
        raise UserError("Only a converter has a loss that is fitted.")
    if plate.amps is None or plate.efficiency is None:
        raise UserError(f"“{text}” is no efficiency; write output volts, amps and per cent: 12V 5A 92%.")
    point = EfficiencyPoint(out_V=plate.volts, out_A=plate.amps, efficiency=plate.efficiency)
    return with_part(job, part.with_losses((*part.efficiencies, point)))


def without_efficiency(job: Job, part_id: str, index: int) -> Job:
    """A converter without one of its efficiencies, fitted anew where any is left."""
    part = job.part(part_id)
    assert isinstance(part, ConverterPart)
    return with_part(job, part.with_losses(part.efficiencies[:index] + part.efficiencies[index + 1 :]))


def with_check(job: Job, part_id: str, check: MeterCheckRecord) -> Job:
    """The job with what a comparison has shown of a meter, beside earlier ones; UserError for no meter."""
    part = job.part(part_id)
    if not isinstance(part, ComparedPart):
        raise UserError("Only a meter of the stock keeps a check: put a panel meter into the path first.")
    return with_part(job, part.with_fields(checks=(*part.checks, check)))


def without_check(job: Job, part_id: str, index: int) -> Job:
    """The job without one of a meter's comparisons; its readings are again as the label says."""
    part = job.part(part_id)
    if not isinstance(part, ComparedPart) or not 0 <= index < len(part.checks):
        raise UserError("There is no such check of that meter.")
    left = tuple(c for k, c in enumerate(part.checks) if k != index)
    return with_part(job, part.with_fields(checks=left))
