"""What a fault lets through, and variants side by side."""

import pytest

from tensimeter.core.design.failures import failures
from tensimeter.core.design.variants import compared, keep_variant, proposals, take_up, without_variant
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, readings_first, with_link
from tensimeter.core.model.job import Job, read_job
from tensimeter.core.procedure.notices import notices
from tensimeter.demo.library import demo_job


def test_a_shorted_switch_puts_the_bus_on_the_device(demo: Job) -> None:
    found = {(f.link, f.how): f for f in failures(demo)}
    assert len(found) == 2 * 12 - 3
    shorted = found["front-end", "short"]
    # 48 V less what 8 A lose in donors, fuse and lead; the mount stands 15 V and nothing acts on volts.
    assert 46 < shorted.volts["mount"] < 48.3
    assert shorted.harm["MOUNT"][0] == pytest.approx(2 * 24.1 * 1.01, abs=0.2)
    assert shorted.harm["MOUNT"][1] == "no load, at the upper end"
    assert shorted.unguarded
    hub = found["hub-module", "short"]
    assert hub.volts["hub"] == pytest.approx(23.8, abs=0.4)
    assert set(hub.harm) == {"CAMERA HUB"}


def test_a_link_that_opens_leaves_its_outlets_dead(demo: Job) -> None:
    found = {(f.link, f.how): f for f in failures(demo)}
    upper = found["donor-b", "open"]
    assert upper.volts["mount"] == 0
    assert upper.volts["hub"] > 5
    assert "reverse diode" in upper.leaves
    assert found["donor-a", "open"].volts["hub"] == 0
    assert found["mount-lead", "open"].volts["dew"] > 11


def test_a_short_is_ended_by_the_nearest_limit(demo: Job) -> None:
    found = {(f.link, f.how): f for f in failures(demo)}
    assert found["mount-lead", "short"].acts == "Front end limits at 11 A"
    assert found["mount", "short"].volts["hub"] > 5
    fused = with_link(demo, changed(demo.design.link("mount-fuse"), part="fuse-4"))
    short = next(f for f in failures(fused) if (f.link, f.how) == ("mount", "short"))
    assert short.acts == "Fuse 16 A blows"
    # One unit shorted: the stack stands 24 V lower, and the hub on the lower one dies with it.
    lower = found["donor-a", "short"]
    assert lower.volts["hub"] < 1
    assert "reverse diode" in lower.leaves
    assert failures(readings_first("Shed", "12V 5A")) == []


def test_variants_are_kept_taken_up_and_compared(demo: Job) -> None:
    aside = keep_variant(demo, "at 65 %")
    eased = aside.model_copy(update={"policy": changed(aside.policy, donor_share=0.65)})
    rows = {row.name: row for row in compared(eased, "mount")}
    assert set(rows) == {"as built", "at 65 %"}
    assert rows["at 65 %"].wall_W == rows["as built"].wall_W
    assert rows["at 65 %"].used > rows["as built"].used
    assert rows["as built"].hottest_C == pytest.approx(92.8, abs=0.1)
    back = take_up(eased, "as built")
    assert back.policy == demo.policy
    assert [v.name for v in back.variants] == ["at 65 %"]
    assert read_job(back.model_dump_json()) == back
    assert without_variant(back, "at 65 %").variants == ()
    for wrong in ("", "as built"):
        with pytest.raises(UserError, match="name of its own"):
            keep_variant(demo, wrong)
    with pytest.raises(UserError, match="no variant"):
        take_up(demo, "nothing")


def test_three_ways_to_bring_a_rail_back_into_its_band() -> None:
    dome = demo_job("dome-workshop")
    ways = {p.name: p.job for p in proposals(dome, "shutter")}
    assert set(ways) == {"dummy load", "feedback shift", "converter behind it"}

    def climbs(job: Job) -> bool:
        return "band:shutter" in {n.id for n in notices(job)}

    assert climbs(dome)
    assert not climbs(ways["feedback shift"])
    assert not climbs(ways["converter behind it"])


def test_three_ways_to_cool_a_linear_stage() -> None:
    bench = demo_job("finishers-bench")
    ways = {p.name: p.job for p in proposals(bench, "bath")}
    assert set(ways) == {"tap switching", "bigger sink", "pre-regulator"}
    low = {k: with_link(j, changed(j.design.link("regulator"), set_V=3.0)) for k, j in ways.items()}
    plain = with_link(bench, changed(bench.design.link("regulator"), set_V=3.0))
    hot = compared(plain, "bath")[0].hottest_C
    assert all(compared(job, "bath")[0].hottest_C < hot for job in low.values())
    donors = proposals(demo_job("ridge-pier"), "mount")
    assert [p.name for p in donors] == ["donors at 65 %"]
