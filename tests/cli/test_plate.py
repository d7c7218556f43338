"""Plate, template and cut list without a window."""

import json
from pathlib import Path
from xml.etree import ElementTree

import pytest


def test_a_plate_says_what_was_read_and_is_written_at_its_width(tensimeter, tmp_path: Path) -> None:
    path = tmp_path / "pier.tensi"
    assert tensimeter("demo", "ridge-pier", "--file", path)[0] == 0
    code, text, said = tensimeter("plate", path, "--json")
    empty = json.loads(text)
    assert (code, [o["rated"] for o in empty["outlets"]]) == (0, [False] * 3), said
    assert "soak" in " ".join(empty["missing"])
    for line in ("mount 13.55V @0A", "mount 13.52V @1.6A", "mount 13.48V @3.2A"):
        assert tensimeter("file", path, line)[0] == 0
    out = tmp_path / "plate.svg"
    code, text, said = tensimeter("plate", path, "-o", out, "--width", "70", "--style", "short", "--json")
    found = json.loads(text)
    assert code == 0, said
    # 3.2 A as typed, less the load's own interval.
    assert found["outlets"][0]["figures"]["moments"] == pytest.approx(3.19, abs=0.011)
    root = ElementTree.parse(out).getroot()
    assert float(root.get("width").removesuffix("mm")) >= 70
    names = [e.get("aria-label") for e in root.iter() if e.get("aria-label")]
    assert "3.19 A for moments (amps said, not read)" in names
    assert "DEMO: all of it is made up" in names
    for wrong in (("--width", "9"), ("--style", "loud"), ("-o", tmp_path / "plate.txt"),
                  ("-o", tmp_path / "no/plate.svg")):  # fmt: skip
        code, _, said = tensimeter("plate", path, *wrong)
        assert (code, said.count("\n")) == (2, 1), said


def test_a_face_is_made_checked_and_written(tensimeter, tmp_path: Path) -> None:
    path = tmp_path / "bench.tensi"
    assert tensimeter("demo", "finishers-bench", "--file", path)[0] == 0
    code, _, said = tensimeter("template", path, "front", "--size", "9x4")
    assert (code, "9 in" in said) == (2, True)
    written = [tmp_path / name for name in ("f.svg", "f.dxf", "f.pdf")]
    asked = ("template", path, "front", "--size", "8x3.5in", "--from-design", "--json")
    code, text, said = tensimeter(*asked, "-o", written[0], "--table", tmp_path / "f.csv")
    found = json.loads(text)
    assert code == 0, said
    assert found["width_mm"] == pytest.approx(203.2)
    assert [f["key"] for f in found["faults"] if not f["caution"]] == []
    assert len((tmp_path / "f.csv").read_text().splitlines()) == len(found["steps"]) + 1
    for out in written[1:]:
        assert tensimeter("template", path, "front", "-o", out)[0] == 0
    assert written[2].read_bytes().startswith(b"%PDF")
    code, text, _ = tensimeter("template", path, "front", "--add", "terminal=Earth@5,5", "--json")
    assert {"bend", "off_face"} & {f["key"] for f in json.loads(text)["faults"]}
    for wrong in (("back",), ("front", "--add", "teapot"), ("front", "--add", "terminal@here"),
                  ("front", "--size", "200"), ("roof", "--size", "200x90"),
                  ("front", "--table", "x.txt")):  # fmt: skip
        code, _, said = tensimeter("template", path, *wrong)
        assert (code, said.count("\n")) == (2, 1), said


def test_a_box_is_cut_from_sheets(tensimeter) -> None:
    asked = (
        "size",
        "box",
        "--length",
        "200",
        "--width",
        "15cm",
        "--height",
        "80mm",
        "--price",
        "12",
        "--json",
    )
    code, text, said = tensimeter(*asked, "--sheet", "420x320")
    found = json.loads(text)
    assert code == 0, said
    assert len(found["panels"]) == 6
    assert found["cost"] == 12 * found["sheets"]
    area = sum(p["width_mm"] * p["height_mm"] for p in found["panels"])
    assert found["used_percent"] == pytest.approx(100 * area / (found["sheets"] * 420 * 320))
    for wrong in (("--sheet", "90x90"), ("--sheet", "large"), ("--joint", "glue"), ("--kerf", "-1")):
        code, _, said = tensimeter(*asked, *wrong)
        assert (code, said.count("\n")) == (2, 1), said


def test_the_scale_of_a_knob(tensimeter, tmp_path: Path) -> None:
    path = tmp_path / "bench.tensi"
    assert tensimeter("demo", "finishers-bench", "--file", path)[0] == 0
    assert tensimeter("tune", path, "trims", "--add", "Volts knob=bath")[0] == 0
    for turn, volts in ((0.0, 1.0), (0.25, 5.0), (0.5, 9.5), (0.75, 15.0)):
        for line in (f"volts-knob {turn} turn", f"bath {volts}V @0A"):
            assert tensimeter("file", path, line, "--accept")[0] == 0, line
    code, text, said = tensimeter("plate", path, "--dial", "volts-knob", "-o", tmp_path / "d.svg", "--json")
    found = json.loads(text)
    assert code == 0, said
    ticks = {t["value"]: t["turns"] for t in found["ticks"]}
    assert min(ticks) >= 1
    assert max(ticks) <= 15
    assert list(ticks.values()) == sorted(ticks.values())
    assert (tmp_path / "d.svg").exists()
    for wrong in (("--dial", "nothing"), ("--dial", "volts-knob", "--radius", "0")):
        code, _, said = tensimeter("plate", path, *wrong)
        assert (code, said.count("\n")) == (2, 1), said
