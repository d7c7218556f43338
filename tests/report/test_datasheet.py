"""The data sheet says what was shown, in full, and nothing that was typed can break it."""

import re
import zlib
from pathlib import Path

import pytest
from PyQt6.QtGui import QImage
from PyQt6.QtPdf import QPdfBookmarkModel, QPdfDocument

from tensimeter.app.imported_readings import import_typed
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import with_test
from tensimeter.core.model.job import Overrule
from tensimeter.core.model.test_record import Changed
from tensimeter.core.readingline import understand
from tensimeter.core.testplan.plan import plan
from tensimeter.demo.library import demo_job
from tensimeter.report.annex import SHEET_PHOTOS
from tensimeter.report.datasheet import html, write
from tensimeter.report.sheet import build
from tensimeter.store.attachments import attach
from tensimeter.store.jobfile import JobFile


def fill(file: JobFile, slope: float = 0.052, steps: range = range(8)) -> None:
    worked_out = plan(file.job, file.job.campaign.tests[0])
    output = worked_out.output
    for k in steps:
        amps = worked_out.steps[k].set_A
        line = f"{output.name} {output.nominal_V - 0.02 - slope * amps:.3f}V @{amps}A"
        import_typed(file, understand(file.job, line), worked_out)


def test_the_sheet_holds_all_that_was_shown(job_file: JobFile) -> None:
    fill(job_file)
    entry = Overrule(hold="earth:hub", reason="hub is all plastic")
    job_file.edit("overrule", job_file.job.model_copy(update={"overruled": (entry,)}))
    job_file.log("remark", "plug of <MOUNT> & lead is warm")
    job_file.log("edit", "not for print")
    sheet = build(job_file)
    first = sheet.ratings[0]
    assert (first.output, first.proven, first.why) == ("MOUNT", "up to 6.39 A", "misses at 8 A")
    assert [r.proven for r in sheet.ratings[1:]] == ["not proven", "not proven"]
    section = sheet.sections[0]
    assert [r.verdict.value for r in section.rows].count("holds") == 7
    assert section.rows[5].measured.startswith("13.16")
    assert section.rows[5].uncertainty.startswith("± 0.00")
    figures = {f.name: f.value for f in section.figures}
    assert figures["output resistance"].startswith("52.0")
    text = html(sheet)
    for expected in (
        "Ridge pier supply",
        "up to 6.39 A",
        "plug of &lt;MOUNT&gt; &amp; lead is warm",
        "overruled, “hub is all plastic”",
        "MOUNT to earth: open.",
        "Bench multimeter",
        "0.05%+3@0.001",
        "room not read; mains not read",
        "typed",
    ):
        assert expected in text, expected
    assert "not for print" not in text
    assert text.count("<svg") > 10
    # Self-contained: nothing is fetched from anywhere.
    assert not re.search(r"""(?:src|href)=["'](?!data:|#)""", text)
    assert "http" not in re.sub(r"xmlns[^=]*=\"[^\"]*\"|<!--.*?-->", "", text.split("</style>")[1])


def test_half_a_campaign_says_so(job_file: JobFile) -> None:
    fill(job_file, 0.04, range(0, 4))
    sheet = build(job_file)
    assert sheet.ratings[0].proven == "up to 4.79 A"
    assert sheet.ratings[0].why == "4 of 8 points measured"
    assert any("not measured at 8 A" in note for note in sheet.sections[0].notes)


def test_a_supply_known_by_readings_only(shed_file: JobFile) -> None:
    fill(shed_file, 0.03, range(0, 6))
    text = html(build(shed_file))
    assert "nameplate: 12V 5A" in text
    assert "known by its readings only" in text
    assert "assumed 0.5 % + 2 counts" in text


def test_an_empty_job_prints(job_file: JobFile, tmp_path: Path) -> None:
    text = html(build(job_file))
    assert "Nothing has been read yet." not in text or "not proven" in text
    assert text.count("not measured") >= 3


def test_both_forms_are_written(job_file: JobFile, tmp_path: Path) -> None:
    fill(job_file)
    for name, start in (("sheet.pdf", b"%PDF-"), ("sheet.html", b"<!DOCTYPE html>")):
        path = tmp_path / "made" / name
        write(job_file, path)
        assert path.read_bytes().startswith(start)
        assert path.stat().st_size > 20_000
    with pytest.raises(UserError, match=r"\.pdf or \.html"):
        write(job_file, tmp_path / "sheet.doc")
    (tmp_path / "wall").write_text("")
    with pytest.raises(UserError, match="can't be written"):
        write(job_file, tmp_path / "wall" / "sheet.html")


def test_the_sheet_tells_its_plate_runs_changes_photos_and_others(
    job_file: JobFile, tmp_path: Path, qapp
) -> None:
    fill(job_file, steps=range(4))
    image = QImage(40, 30, QImage.Format.Format_RGB32)
    image.fill(0xFF336699)
    image.save(str(tmp_path / "front.png"))
    attach(job_file, SHEET_PHOTOS, tmp_path / "front.png")
    run = job_file.begin_run("soak", {})
    job_file.run_event(run, "aborted", "Esc was pressed.")
    soak = next(t for t in job_file.job.campaign.tests if t.soaks)
    changed = soak.model_copy(
        update={"changes": (Changed(link="front-end", what="pad seated anew", after_run=run),)}
    )
    job_file.edit("pad", with_test(job_file.job, changed))
    other = tmp_path / "dome.tensi"
    JobFile.create(other, demo_job("dome-workshop")).close()
    write(job_file, tmp_path / "sheet.html", [other])
    text = (tmp_path / "sheet.html").read_text()
    for expected in (
        'aria-label="13.6 V · 4.7',
        "Esc was pressed.",
        f"pad seated anew, after run {run}",
        'alt="front.png"',
        "Not shown yet: ",
        "WEATHER MAST",
    ):
        assert expected in text, expected
    assert not re.search(r"""(?:src|href)=["'](?!data:|#)""", text)
    # Every table of more than names and values repeats its heads on the next page.
    assert text.count("<th>") + text.count('<th class="n">') > 0
    assert text.count("<thead>") == len(re.findall(r"<thead><tr><th", text)) > 4
    write(job_file, tmp_path / "sheet.pdf")
    data = (tmp_path / "sheet.pdf").read_bytes()
    parts = b"".join(_inflated(s) for s in re.findall(rb"stream\r?\n(.*?)\r?\nendstream", data, re.S))
    assert b"/StructTreeRoot" in data + parts
    document, marks = QPdfDocument(None), QPdfBookmarkModel(None)
    document.load(str(tmp_path / "sheet.pdf"))
    marks.setDocument(document)
    top = marks.index(0, 0)
    assert marks.data(top, QPdfBookmarkModel.Role.Title.value) == "Ridge pier supply"
    assert marks.rowCount(top) >= 4
    assert "data sheet" in document.metaData(QPdfDocument.MetaDataField.Title)


def _inflated(stream: bytes) -> bytes:
    try:
        return zlib.decompress(stream)
    except zlib.error:
        return b""
