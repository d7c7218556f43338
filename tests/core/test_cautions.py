"""Every caution that the table in docs/ lists, at the stage it names; and random designs from the library."""

import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tensimeter.core.assembly.box_fit import fit
from tensimeter.core.assembly.harness import harness
from tensimeter.core.assembly.wiring import wire_list
from tensimeter.core.design.failures import failures
from tensimeter.core.design.policies import POLICY_OPTIONS
from tensimeter.core.design.sizing import sized
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.assembly_edits import with_assembly
from tensimeter.core.model.edits import changed, new_link, with_link
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.notice import Notice
from tensimeter.core.parts.registry import Part
from tensimeter.core.procedure.causes import causes
from tensimeter.core.procedure.first_power import power_up_results, power_up_steps
from tensimeter.core.procedure.incoming_check import incoming_steps
from tensimeter.core.procedure.matrix import checked, matrix
from tensimeter.core.procedure.notices import notices
from tensimeter.core.procedure.practice import Practice, mistakes
from tensimeter.core.procedure.stored_energy import stored, ways
from tensimeter.core.rating.ladder import at, ranked
from tensimeter.core.settings import BoxRecord
from tensimeter.core.testplan.generator import generated
from tensimeter.demo.library import demo_job
from tensimeter.store.library import shipped_parts

GENERIC = {part.name: part for part in shipped_parts()}
TABLE = Path(__file__).parents[2] / "docs" / "cautions.md"


def policy(job: Job, **fields: object) -> Job:
    return job.model_copy(update={"policy": changed(job.policy, **fields)})


def joined(*names: str) -> Job:
    job = Job(name="x")
    for name in names:
        if name in GENERIC:
            job = with_part(job, GENERIC[name])
    for name in names:
        job = new_link(job, name, job.design.links[-1].id if job.design.links else None)
    return job


def situations() -> Iterator[Job]:
    """Jobs in which one or another caution has its place."""
    ridge, dome, bench = (demo_job(n) for n in ("ridge-pier", "dome-workshop", "finishers-bench"))
    yield from (ridge, dome, bench, generated(ridge))
    yield with_assembly(ridge, limiter="lamp")
    yield with_part(ridge, changed(ridge.part("sink-150"), watchdog=False))
    yield with_part(policy(ridge, insulation="tape"), changed(ridge.part("enclosed-b"), opened=True))
    sink = with_part(ridge, GENERIC["Heat sink 200 mm, finned"])
    for link in ("front-end", "dew-module"):
        sink = with_link(sink, changed(sink.design.link(link), sink=GENERIC["Heat sink 200 mm, finned"].id))
    yield sink
    yield with_part(bench, changed(bench.part("two-taps"), topology="centre_tap"))
    high = changed(ridge.part("enclosed-b"), no_load_V=48.0)
    yield with_part(ridge, high)
    battery = "Lead battery 12 V 7 Ah"
    yield joined(battery, "output OUT 12V 2A")
    yield joined(battery, "Blade fuse 15 A, holder", "output OUT 12V 2A").model_copy(
        update={
            "stock": (
                changed(GENERIC[battery], resistance_ohm=0.001),
                changed(GENERIC["Blade fuse 15 A, holder"], breaking_A=100.0, resistance_ohm=0.001),
            )
        }
    )
    pair = with_part(joined("Enclosed unit 12 V 8.5 A 102 W", "output OUT 12V 4A"), GENERIC[battery])
    yield new_link(pair, f"or {battery}", None)
    charged = with_part(joined("Enclosed unit 24 V 6.3 A 150 W", "output OUT 14.4V 3A"), GENERIC[battery])
    yield with_link(charged, changed(charged.output("out"), device=GENERIC[battery].id))
    yield joined("Hot-swap server unit 12 V 62 A 750 W", "output OUT 12V 40A")
    # Two units of 36 V: 72 V on a module that stands 40 V, and a device that stands less than it is given.
    high = demo_job("ridge-pier")
    for name in ("enclosed-a", "enclosed-b"):
        high = with_part(high, changed(high.part(name), no_load_V=36.0))
    yield with_link(high, changed(high.output("mount"), device_max_V=13.62))
    brick = joined("Enclosed unit 24 V 6.3 A 150 W", "output OUT 24V 1A")
    yield with_part(brick, changed(brick.part(brick.design.links[0].part), no_load_V=61.0))


def rows() -> list[tuple[str, str]]:
    """Notice and stages of each line of the table."""
    found = []
    for line in TABLE.read_text(encoding="utf-8").splitlines():
        cells = [c.strip() for c in line.strip("|").split("|")]
        match = re.fullmatch(r"`(.+)`", cells[-1])
        if match:
            found.append((match[1], cells[1].casefold()))
    return found


@pytest.fixture(scope="module")
def seen() -> list[Notice]:
    return [notice for job in situations() for notice in notices(job)]


def test_every_caution_of_the_table_stands_where_it_says(seen: list[Notice]) -> None:
    listed = rows()
    assert len(listed) > 25
    for begins, where in listed:
        here = [n for n in seen if n.id.startswith(begins)]
        assert here, begins
        assert {n.stage for n in here} & {
            stage for stage in ("design", "assemble", "wake", "prove") if stage in where
        }


def test_no_text_calls_a_thing_harmless(seen: list[Notice]) -> None:
    for notice in seen:
        assert notice.title
        assert notice.text[-1] in ".”"
        assert not re.search(r"\bsafe(ly)?\b", f"{notice.title} {notice.text}".casefold()), notice


parts = st.sampled_from(
    [p for p in shipped_parts() if p.kind not in ("meter", "thermometer", "oscilloscope", "clamp", "load")]
)


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(parts, min_size=1, max_size=7), st.integers(0, 3), st.booleans())
def test_whatever_is_joined_is_solved_said_and_never_breaks(
    chosen: list[Part], after: int, instead: bool
) -> None:
    """A path of any parts in any order: everything that is worked out of it, or one sentence."""
    job, said = Job(name="any"), []
    for k, part in enumerate(chosen):
        job = with_part(job, changed(part, id=f"{part.id}-{k}"[:60], name=f"{part.name} {k}"))
        at_link = job.design.links[after % len(job.design.links)].id if job.design.links else None
        word = "or " if instead and k == len(chosen) - 1 else ""
        for text in (f"{word}{part.name} {k}", f"output OUT{k} 12V 1A"):
            try:
                job = new_link(job, text, at_link)
            except UserError as trouble:
                said.append(str(trouble))
    for notice in notices(job):
        assert "nan" not in f"{notice.title} {notice.text}".casefold().split()
    for school in POLICY_OPTIONS:
        assert isinstance(school.consequence(job), str)
    for part in job.stock:
        assert all(s.rules_out for s in incoming_steps(job, part))
    assert fit(job, BoxRecord()).sentence
    assert len(matrix(job)) == len({p.place for p in matrix(job)})
    if problems(job.design, job.stock) or not any(x.kind == "unit" for x in job.design.links):
        return
    try:
        _, solution, limits = at(job, {o.id: np.float64(0.5) for o in job.design.outputs()})
        wires, faults = wire_list(job), failures(job)
    except UserError as trouble:
        said.append(str(trouble))
        wires, faults, limits, solution = [], [], [], None
    assert all(sentence.endswith(".") for sentence in said)
    if solution is None:
        return
    assert all(w.area_mm2 > 0 for w in wires)
    assert all(np.isfinite(v) for f in faults for v in f.volts.values())
    assert len(ranked(limits)) == len(limits)
    for link in job.design.links:
        assert all(w.text() for w in sized(job, link.id, solution).figures)
    assert all(b.purpose for b in harness(job))
    assert all(way.worked.time_s > 0 for s in stored(job) for way in ways(job, s))
    for supply in [Practice(job), *mistakes(job)]:
        taken = []
        for place, quantity in (
            *((c.pair.place, c.pair.quantity) for c in checked(job, [])),
            *((s.place, s.quantity) for s in power_up_steps(job) if s.band is not None),
        ):
            value = supply.value(place)
            assert value is not None
            accuracy, range_ = accuracy_of(job, None, quantity, value, 0.01)
            taken.append(
                Reading(
                    1, 0.0, place, quantity, value, "", accuracy, "two-wire", "typed", range_, id=len(taken)
                )
            )
        for state in power_up_results(job, taken):
            assert all(cause.words for cause in causes(job, state))
