"""What every kind of part must say, one that was registered a minute ago as well."""

import json
from typing import Any, Literal, get_args, get_origin

import numpy as np
import pytest
from pydantic import BaseModel
from pydantic.fields import FieldInfo

from tensimeter.core.circuit.connected import connected
from tensimeter.core.circuit.fault import fault_A
from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.network import build, extremes
from tensimeter.core.design.failures import failures
from tensimeter.core.design.sizing import sized
from tensimeter.core.electrical.reservoir import Curve
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.model.edits import changed, new_link, with_link
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job, read_job
from tensimeter.core.model.problems import problems
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.parts.converter_part import SinkPart
from tensimeter.core.parts.donor import Donor
from tensimeter.core.parts.fed_part import FedPart, PlainLoad
from tensimeter.core.parts.instrument_part import Instrument
from tensimeter.core.parts.part import PartRecord
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.parts.registry import BY_KEY, FED_KINDS, KINDS, PART_KINDS, SHELVES
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import ENDS
from tensimeter.core.procedure.first_power import power_up_steps
from tensimeter.core.procedure.incoming_check import incoming_steps
from tensimeter.core.procedure.matrix import matrix
from tensimeter.core.procedure.notices import notices
from tensimeter.core.rating.dissipation import losses
from tensimeter.core.rating.ladder import at
from tensimeter.store.library import read_parts

#: A figure that is usual for its unit, by the end of the field's name; 5 for any other.
USUAL = {"_V": 12.0, "volts": 12.0, "_ohm": 0.1, "_F": 4.7e-3}


def _value(name: str, field: FieldInfo) -> object:
    """Something that a field takes: a figure by its unit, one record where records stand."""
    kind = field.annotation
    if name == "curve":
        # A curve for DC falls over the volts, and is the one thing that nobody may make up.
        return ({"volts": 10.0, "amps": 12.0}, {"volts": 30.0, "amps": 2.5}, {"volts": 60.0, "amps": 0.6})
    usual = next((v for end, v in USUAL.items() if name.endswith(end)), 5.0)
    if get_origin(kind) is Literal:
        return get_args(kind)[0]
    if get_origin(kind) is tuple:
        inner = get_args(kind)[0]
        return (_filled(inner) if isinstance(inner, type) and issubclass(inner, BaseModel) else usual,)
    if isinstance(kind, type) and issubclass(kind, BaseModel):
        return _filled(kind)
    return "sample" if kind is str else usual if kind is float else 1


def _filled(kind: type[BaseModel]) -> dict[str, Any]:
    if kind is Accuracy:
        return {"of_reading": 0.005, "counts": 2, "resolution": 0.01}
    return {n: _value(n, f) for n, f in kind.model_fields.items() if f.is_required()}


def sample(kind: type[PartRecord]) -> PartRecord:
    """A part of a kind with nothing but what its card asks for."""
    return kind.model_validate(_filled(kind))


def in_a_path(kind: type[PathPart]) -> tuple[Job, str]:
    """A job whose one path runs through a part of the kind: by itself where it feeds, else behind a donor."""
    part = sample(kind)
    feeder = Donor(id="feeder", name="Feeder", no_load_V=12.0, rated_A=10, rated_W=120)
    job = Job(name="contract", stock=(feeder, part))
    lines = [part.name] if isinstance(part, SourcePart) else ["Feeder", part.name]
    after = None
    for line in lines:
        job = new_link(job, line, after)
        after = job.design.links[-1].id
    link = next(x for x in job.design.links if x.part == part.id)
    if link.kind in ENDS:
        after = link.fed_by
    return new_link(job, "output OUT 5V 0.5A", after), link.id


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_says_what_it_is(kind: type[PartRecord]) -> None:
    part = sample(kind)
    first, second = part.summary()
    assert first
    assert isinstance(second, str)
    assert part.rated() is None or all(x > 0 for x in part.rated() or ())
    assert any(part.kind in kinds for _, kinds in SHELVES)
    # It comes back out of a file as what it was.
    job = with_part(Job(name="j"), part)
    assert read_job(job.model_dump_json()).stock[0] == part
    schema = json.dumps(Job.model_json_schema())
    assert f'"{kind.__name__}"' in schema
    for step in incoming_steps(job, part):
        assert step.do
        assert step.rules_out
        assert step.band.low is not None or step.band.high is not None
    if isinstance(part, Instrument):
        assert isinstance(part.accuracy_text(), str)
        assert accuracy_of(job, part.id, "V", 1.0)[0].resolution > 0
    if isinstance(part, SinkPart):
        assert part.as_sink().still_K_W > 0
    if isinstance(part, PlainLoad):
        assert part.draw_A(5.0) > 0
        assert isinstance(part.unfit(5.0), str)
    if not isinstance(part, PathPart):
        assert part.elsewhere
        with pytest.raises(Exception, match=part.name):
            new_link(job, part.name, None)


def volts_of(end: object) -> float:
    """A figure, or what a curve gives without load."""
    return end.volts[0] if isinstance(end, Curve) else float(end)


@pytest.mark.parametrize("kind", [k for k in KINDS if issubclass(k, PathPart)])
def test_every_kind_of_a_path_is_solved_limited_shorted_and_woken(kind: type[PathPart]) -> None:
    job, link_id = in_a_path(kind)
    link = job.design.link(link_id)
    part = job.part(link.part)
    assert not problems(job.design, job.stock)
    assert part is not None
    assert part.kind in PART_KINDS[link.kind]
    network, solution, limits = at(job, full_load(job))
    assert np.isfinite(float(solution[link_id].V))
    own = [x for x in limits if x.link == link_id]
    assert own, "nothing limits it"
    assert all(np.isfinite(float(x.fraction)) and x.note for x in own)
    # Every figure that it is uncertain of is one of its element's.
    ends = extremes(network, job).values()
    assert all(volts_of(low) <= volts_of(high) for low, high in ends)
    fault_A(job, link_id)
    how = {f.how for f in failures(job) if f.link == link_id}
    # A load that takes nothing any more harms nobody.
    assert how == ({"short"} if link.kind == "made_load" else {"open", "short"})
    assert losses(job, solution).get(link_id, 0.0) >= 0.0
    assert isinstance(sized(job, link_id, solution).notes, tuple)
    assert {n.stage for n in notices(job, [])} <= {"stock", "design", "assemble", "wake", "prove"}
    if isinstance(part, SourcePart):
        assert f"alone-{link_id}" in {s.id for s in power_up_steps(job)}
        assert part.drives_A > 0
        assert part.strays > 0
        assert [p for p in matrix(job) if p.hold or "nothing" in p.why]
        assert isinstance(part.beyond_words, str)


@pytest.mark.parametrize("kind", [BY_KEY[k] for k in FED_KINDS])
def test_every_kind_that_is_fed_is_connected(kind: type[PartRecord]) -> None:
    job, _ = in_a_path(BY_KEY["lead"])  # type: ignore[type-abstract,arg-type]
    job = with_part(job, changed(sample(kind), id="fed"))
    output = job.design.outputs()[0]
    job = with_link(job, changed(output, device="fed"))
    found = connected(job, job.design.outputs()[0])
    assert found.name
    part = job.part("fed")
    assert isinstance(part, FedPart)
    assert found == part.connected()


def test_a_kind_that_lacks_something_can_not_be_made() -> None:
    class Half(SourcePart):
        """A source that leaves out nearly everything."""

        kind: Literal["half"] = "half"

        def summary(self) -> tuple[str, str]:
            return "half", ""

    with pytest.raises(TypeError, match="abstract"):
        Half(id="h", name="h")  # type: ignore[abstract]


def test_a_charger_gives_the_volts_that_its_trigger_asks_for() -> None:
    (charger,) = read_parts(
        'part = [{kind = "power_delivery", name = "Charger", cable_A = 3.0, profiles = '
        "[{volts = 5, amps = 3}, {volts = 20, amps = 5}]}]",
        "here",
    )
    job = new_link(Job(name="j", stock=(charger,)), "Charger", None)
    job = new_link(job, "output OUT 20V 2A", job.design.links[0].id)
    unit = job.design.links[0]
    # 20 V less 2 A through 50 mΩ; the cable without a chip bounds 5 A to 3 A.
    _, solution, limits = at(job, {"out": np.float64(2.0)})
    assert float(solution[unit.id].V) == pytest.approx(19.9)
    assert {x.short: float(x.allowed) for x in limits if x.link == unit.id} == {
        "continuous amps": pytest.approx(4.0),
        "cable": 3.0,
    }
    asked = with_link(job, changed(unit, tap=0))
    assert float(build(asked)[unit.id].emf) == 5.0  # type: ignore[union-attr]
    beyond = with_link(job, changed(unit, tap=2))
    assert "has 2" in problems(beyond.design, beyond.stock)[unit.id]
    assert any(n.id == f"asked:{unit.id}" for n in notices(job, []))
