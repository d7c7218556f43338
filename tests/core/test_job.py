"""The document: nameplates, edits, what is wrong with a path, and what it refuses."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tensimeter.core.errors import UserError
from tensimeter.core.model import edits, stock_edits
from tensimeter.core.model.job import Job, read_job
from tensimeter.core.model.nameplate import read_nameplate
from tensimeter.core.model.problems import problems
from tensimeter.core.path import ConverterLink, Design, UnitLink


@pytest.mark.parametrize(
    ("text", "volts", "amps", "watts", "efficiency"),
    [
        ("24V 6.3A 150W 85%", 24, 6.3, 150, 0.85),
        ("24 V, 6,3 A", 24, 6.3, 151.2, None),
        ("server unit 12V 750W", 12, 62.5, 750, None),
        ("5V 500mA", 5, 0.5, 2.5, None),
    ],
)
def test_nameplates(text: str, volts: float, amps: float, watts: float, efficiency: float | None) -> None:
    plate = read_nameplate(text)
    assert (plate.volts, plate.amps, plate.watts) == pytest.approx((volts, amps, watts))
    assert plate.efficiency == efficiency
    assert not plate.note


def test_a_label_that_contradicts_itself_is_flagged() -> None:
    plate = read_nameplate("enclosed 24V 10A 150W")
    assert "240 W, not 150 W" in plate.note
    assert plate.name == "enclosed"
    donor = stock_edits.donor_from_nameplate(Job(name="x"), "24V 10A 150W")
    assert donor.note == plate.note
    assert donor.origins["efficiency"] == "assumed"


@pytest.mark.parametrize("text", ["", "150W", "24V 12V 3A", "24V 3A 120%", "-5V 1A", "0V 1A"])
def test_nameplates_that_say_too_little_or_nonsense(text: str) -> None:
    with pytest.raises(UserError):
        read_nameplate(text)


@given(st.text(max_size=60))
def test_any_nameplate_is_read_or_refused(text: str) -> None:
    try:
        plate = read_nameplate(text)
    except UserError:
        return
    assert plate.volts > 0


def test_a_job_is_immutable_and_survives_json(demo: Job) -> None:
    assert read_job(demo.model_dump_json()) == demo
    with pytest.raises(ValidationError):
        demo.name = "other"  # type: ignore[misc]
    assert "stock" in Job.model_json_schema()["properties"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"format": 99}, "newer Tensimeter"),
        ({"name": ""}, "name"),
        ({"surprise": 1}, "surprise"),
        ({"policy": {"donor_share": 3}}, "donor_share"),
        ({"settings": {"mains_V": float("nan")}}, "mains_V"),
    ],
)
def test_a_job_that_cannot_be_read_is_named(demo: Job, change: dict, words: str) -> None:
    with pytest.raises(UserError, match=words):
        read_job({**demo.model_dump(), **change})


def test_a_path_grows_by_names(demo: Job) -> None:
    job = Job(name="Bench")
    for plate in ("24V 6.3A 150W lower", "24V 6.3A 150W upper"):
        job = stock_edits.with_part(job, stock_edits.donor_from_nameplate(job, plate))
    for part in demo.stock:
        if part.id in ("front-end-40", "fuse-16", "lead-2m"):
            job = stock_edits.with_part(job, part)
    for text in ("lower", "cc/cv", "fuse 16", "upper", "lead", "output MOUNT 13.6V 8A"):
        last = job.design.links[-1].id if job.design.links else None
        after = "lower" if text == "upper" else last
        job = edits.new_link(job, text, after)
    assert not problems(job.design, job.stock)
    path = [link.name for link in job.design.path_to("mount")]
    # The second donor stands on the first, and what the first fed moves to the top.
    assert path[:3] == ["lower", "upper", "CC/CV front end 40 V 12 A"]
    assert path[-1] == "MOUNT"
    assert job.campaign.tests[0].output == "mount"
    gone = edits.without_link(job, "mount")
    assert not gone.campaign.tests
    shorter = edits.without_link(job, "upper")
    assert shorter.design.link("cc-cv-front-end-40-v-12-a").fed_by == "lower"


@pytest.mark.parametrize(
    "text", ["", "nothing such", "output", "output MOUNT", "bench multimeter", "step-down"]
)
def test_links_that_cannot_be(demo: Job, text: str) -> None:
    with pytest.raises(UserError):
        edits.new_link(demo, text, "front-end")


def test_parts_in_use_stay(demo: Job) -> None:
    with pytest.raises(UserError, match="Front end"):
        stock_edits.without_part(demo, "front-end-40")
    with pytest.raises(UserError, match="campaign"):
        stock_edits.without_part(demo, "sink-150")
    assert stock_edits.without_part(demo, "fuse-4").part("fuse-4") is None


def test_the_first_load_and_meter_join_the_campaign(demo: Job) -> None:
    job = Job(name="x")
    for name in ("sink-150", "hand-meter", "bench-meter"):
        job = stock_edits.with_part(job, demo.part(name))
    assert (job.campaign.load, job.campaign.ammeter) == ("sink-150", "sink-150")
    assert job.campaign.voltmeter == "hand-meter"


def replaced(design: Design, link_id: str, **fields: object) -> Design:
    return Design(links=tuple(edits.changed(x, **fields) if x.id == link_id else x for x in design.links))


@pytest.mark.parametrize(
    ("link", "fields", "words"),
    [
        ("mount-fuse", {"fed_by": "mount-lead"}, "loop"),
        ("mount-fuse", {"fed_by": "nowhere"}, "not in the path"),
        ("mount-fuse", {"part": "lead-2m"}, "no fuse from the stock"),
        ("mount-fuse", {"fed_by": None}, "fed by nothing"),
        ("front-end", {"set_V": 48.0}, "outside its 0 to 40 V"),
        ("dew-module", {"fed_by": "mount"}, "an output"),
        ("donor-b", {"fed_by": "hub-module"}, "only stand on another unit"),
    ],
)
def test_nonsense_is_named_at_its_link(demo: Job, link: str, fields: dict, words: str) -> None:
    found = problems(replaced(demo.design, link, **fields), demo.stock)
    assert words in found[link]


def test_two_units_on_one_and_an_edit_out_of_range(demo: Job) -> None:
    third = UnitLink(id="donor-c", name="Donor C", part="enclosed-a", fed_by="donor-a")
    design = Design(links=(*demo.design.links, third))
    assert "stands already" in problems(design, demo.stock)["donor-c"]
    link = demo.design.link("front-end")
    assert isinstance(link, ConverterLink)
    with pytest.raises(UserError, match="set V"):
        edits.changed(link, set_V=-1)


def test_the_readings_first_door() -> None:
    job = edits.readings_first("Shed supply", "12V 60W")
    assert job.output("OUT").full_load_A == 5
    assert not problems(job.design, job.stock)
    assert json.loads(job.model_dump_json())["nameplate"]["text"] == "12V 60W"
    with pytest.raises(UserError):
        edits.readings_first("Shed supply", "12V")
    with pytest.raises(UserError, match="OUT"):
        job.output("mount")
