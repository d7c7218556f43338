"""Evenings by the window and by the command line: the same facts, the same claims, the same plate."""

import time
from pathlib import Path

import pytest

from tensimeter.core.model.edits import changed, readings_first, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.plate.rating import plate
from tensimeter.demo.library import demo_job
from tensimeter.report.sheet import outcomes
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waves import WaveBook

#: What was said of each supply; what its plate says then of its outlets, in words that nobody made up.
EVENINGS = {
    "no load anywhere": ("12V 5A", ["out 12.08V"] * 8, ""),
    "one line says unloaded": (
        "12V 5A", ["out 12.08V", "@unloaded"],
        "12 V · shown at no load only",
    ),
    "an adjustable one": (
        "30V 5A", ["out 29.9V @0A", "out 29.8V @1A"],
        "30 V · 975 mA for moments (amps said, not read)",
    ),
    "set to other volts": (
        "0-30V 5A",
        ["set 12V", "out 12.02V @0A", "set 5V", "out 5.02V @0A", "out 4.97V @2A", "set 12V", "out 11.9V @2A"],
        "4.94 V to 11.9 V (amps said, not read); 1.97 A at 4.94 V; 1.97 A at 11.6 V",
    ),
    "it collapses, and is read again": (
        "12V 5A", ["out 12.0V @0A", "out 11.9V @1A", "out 6.2V @1.5A", "out 12.0V @0A"],
        "12 V · 975 mA for moments (amps said, not read)",
    ),
    "mended after it failed": (
        "12V 5A", ["out 9.1V @0A", "changed: new regulator", "out 12.0V @0A", "out 11.9V @2A"],
        "12 V · 1.97 A for moments (amps said, not read)",
    ),
    "between what was planned": (
        "12V 5A", ["out 12.0V @0.7A", "out 11.9V @2.8A"],
        "12 V · 2.77 A for moments (amps said, not read)",
    ),
    "it trips": (
        "12V 8A", ["out 11.9V @6A", "out 11.8V @6.3A", "tripped at 6.2A"],
        "12 V · 5.95 A for moments (amps said, not read)",
    ),
    "worse after a repair": (
        "12V 8A",
        ["out 12.0V @0A", "out 11.7V @7.9A", "changed: other lead", "out 12.0V @0A", "out 11.9V @2A"],
        "12 V · 1.97 A for moments (amps said, not read)",
    ),
    "volts alone at a load of one's own": (
        "test-load", ["12.01V", "11.9V", "12.0V"], "full amps from 549 mV",
    ),
    "a load that went on": (
        "12V 5A",
        ["room 20C", "out 11.9V @4A", "case 35C +10min", "out 11.85V +45min", "case 41C +45min",
         "out 11.84V +91min", "case 41C +91min"],
        "12 V · 3.96 A for moments (amps said, not read)",
    ),
    "held in the cool room, not in the hot one": (
        "12V 5A",
        ["room 20C", "out 11.9V @4A", "out 11.88V +60min", "room 38C", "out 11.9V @4A", "died +31min"],
        "",
    ),
    "and the other way round": (
        "12V 5A",
        ["room 38C", "out 11.9V @4A", "died +31min", "room 20C", "out 11.9V @4A", "out 11.88V +60min"],
        "",
    ),
    "beside a path that does not join up": (
        "no lead to the lights",
        ["shutter 12.0V @0A", "shutter 11.9V @5A", "lights 24V @1A"],
        "12 V · 4.99 A for moments (amps said, not read); fuse 10 A slow; "
        "24 V · 994 mA for moments (amps said, not read); fuse 3 A slow",
    ),
    "with the clamp": (
        "12V 5A", ["out 11.9V @2A", "clamp 2.01A", "out-panel 2.1A"],
        "12 V · 1.98 A for moments",
    ),
}  # fmt: skip


def told(file: JobFile) -> tuple[str, list[tuple]]:
    """What the plate says of the outlets, and every fact that counts, without its times."""
    readings = file.readings()
    found = plate(file.job, outcomes(file.job, readings, WaveBook(file).waves()), readings, time.time())
    words = "; ".join(e.text for o in found.outlets for e in o.entries)
    return words, [(r.scan, r.place, r.quantity, r.value, r.known, r.state) for r in readings]


def begun(label: str) -> Job:
    """The job that an evening begins with: a supply of which its label is known, or a demo as one's own."""
    if " " not in label:
        return demo_job(label).model_copy(update={"demo": False})
    if label[0].isdigit():
        return readings_first("Shelf", label)
    whole = demo_job("dome-workshop").model_copy(update={"demo": False})
    return with_link(whole, changed(whole.design.link("lights-lead"), part=None))


@pytest.mark.parametrize("name", EVENINGS)
def test_an_evening_by_both_doors(name: str, tmp_path: Path, open_window, keys, tensimeter) -> None:
    label, lines, printed = EVENINGS[name]
    by_hand = JobFile.create(tmp_path / "window.tensi", begun(label))
    window = open_window(by_hand)
    for line in lines:
        keys(window, "Ctrl+l", line, "Enter")
    shown = told(by_hand)
    path = tmp_path / "cli.tensi"
    JobFile.create(path, begun(label)).close()
    for line in lines:
        assert tensimeter("file", path, line)[0] == 0, line
    with JobFile(path) as file:
        typed = told(file)
    assert (shown[0], typed[0]) == (printed, printed)
    assert shown[1] == typed[1]
