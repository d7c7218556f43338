"""Libraries of parts, tables of load cases and attachments: good ones, and anything at all."""

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.parts.registry import SHELVES
from tensimeter.core.procedure.incoming_check import incoming_steps
from tensimeter.store.attachments import attach, attachments
from tensimeter.store.exchange import export, import_folder
from tensimeter.store.jobfile import JobFile
from tensimeter.store.library import library, read_parts, shipped_parts
from tensimeter.store.logs import read_load_cases

PNG = b"\x89PNG\r\n\x1a\n" + bytes(range(256))
anything = settings(
    max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)


def test_the_shipped_library_has_every_kind_and_says_what_it_is() -> None:
    parts = shipped_parts()
    assert {p.kind for p in parts} == {kind for _, kinds in SHELVES for kind in kinds}
    assert len({p.id for p in parts}) == len({p.name for p in parts}) == len(parts)
    for part in parts:
        first, second = part.summary()
        assert any(c.isdigit() for c in first), part.name
        assert second
        bounds = part.rated()
        assert bounds is None or min(bounds) > 0
        steps = incoming_steps(Job(name="x"), part)
        assert len({s.id for s in steps}) == len(steps)
        for step in steps:
            low, high = step.band.ends
            assert low < high
            assert step.rules_out
            # What is expected of a good one lies where a good one may lie.
            assert step.expected is None or low <= step.expected <= high, (part.name, step.id)


def test_the_own_file_adds_and_replaces(tmp_path: Path) -> None:
    own = tmp_path / "parts.toml"
    shipped = {p.name: p for p in library(own)}
    assert len(shipped) == len(shipped_parts())
    own.write_text(
        '[[part]]\nkind = "fuse"\nname = "Fuse 5 A slow, holder"\nrated_A = 5\ncost = 0.4\n'
        '[[part]]\nkind = "wire"\nname = "Wire 10 mm²"\narea_mm2 = 10\n',
        encoding="utf-8",
    )
    found = {p.name: p for p in library(own)}
    assert found["Fuse 5 A slow, holder"].cost == 0.4
    assert found["Wire 10 mm²"].area_mm2 == 10
    assert len(found) == len(shipped) + 1


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("no toml at all", "is not TOML"),
        ("part = 3", "something else than a list"),
        ('[[part]]\nkind = "fan"', "name"),
        ('[[part]]\nname = "x"', "x"),
        ('[[part]]\nkind = "rocket"\nname = "x"', "x"),
        ('[[part]]\nkind = "fuse"\nname = "F"\nrated_A = -1', "rated_A"),
        ('[[part]]\nkind = "fuse"\nname = "F"\nrated_A = 1\ncolour = "red"', "colour"),
        ('[other]\nx = 1\n[[part]]\nkind = "fan"\nname = "F"', "something else"),
    ],
)
def test_a_mistake_is_named_and_nothing_is_taken(text: str, said: str) -> None:
    with pytest.raises(UserError, match="Nothing of it was taken") as trouble:
        read_parts(text, "own.toml")
    assert said in str(trouble.value)


def test_a_file_that_is_none_is_left_alone(tmp_path: Path) -> None:
    own = tmp_path / "parts.toml"
    own.write_bytes(b"\xff\xfe\x00")
    with pytest.raises(UserError, match="can't be read"):
        library(own)
    own.write_bytes(b"#" * 2_000_001)
    with pytest.raises(UserError, match="up to 2 are taken in"):
        library(own)


@anything
@given(
    st.text(max_size=200) | st.from_regex(r"(\[\[part\]\]\n(kind|name|rated_A) = [\"0-9a-z\"]{1,9}\n){1,4}")
)
def test_any_text_is_parts_or_a_sentence(text: str) -> None:
    said = "x.toml"
    try:
        found = read_parts(text, "x.toml")
    except UserError as trouble:
        found, said = [], str(trouble)
    assert isinstance(found, list)
    assert "x.toml" in said


@anything
@given(st.binary(max_size=120) | st.text("iv 125V,;.\t\n0A[]", max_size=120).map(str.encode))
def test_any_table_is_load_cases_or_a_sentence(tmp_path_factory, data: bytes) -> None:
    path = tmp_path_factory.mktemp("cases") / "cases.csv"
    path.write_bytes(data)
    try:
        rails, volts, amps = read_load_cases(path)
    except UserError as trouble:
        said = str(trouble)
    else:
        said = "."
        assert volts.shape == amps.shape
        assert volts.shape[1] == len(rails)
    assert said.endswith(".")


def test_attachments_travel_with_the_job(tmp_path: Path, demo: Job) -> None:
    photo, manual, word = tmp_path / "label.png", tmp_path / "manual.pdf", tmp_path / "notes.doc"
    photo.write_bytes(PNG)
    manual.write_bytes(b"%PDF-1.7 x")
    word.write_bytes(b"something")
    with JobFile.create(tmp_path / "a.tensi", demo) as file:
        kept = attach(file, "part:enclosed-a", photo)
        attach(file, "part:enclosed-a", manual)
        gone = attach(file, "part:enclosed-a", photo)
        file.add_attachment("part:enclosed-a", "label.png", "image/png", None, hides=gone)
        for nowhere in ("part:enclosed-z", "face:lid", "mount"):
            with pytest.raises(UserError, match="nothing was taken in"):
                attach(file, nowhere, photo)
        for wrong, said in ((word, "no PNG"), (tmp_path / "none.png", "can't be read")):
            with pytest.raises(UserError, match=said):
                attach(file, "part:enclosed-a", wrong)
        written = export(file, tmp_path / "out")
        assert tmp_path / "out" / "attachments" / f"{kept}.png" in written
        before = file.rows("attachment")
    with import_folder(tmp_path / "out", tmp_path / "b.tensi") as back:
        assert back.rows("attachment") == before
        found = attachments(back, "part:enclosed-a")
        assert [(a.name, a.is_photo) for a in found] == [("label.png", True), ("manual.pdf", False)]
        assert back.blob("attachment", kept) == PNG
        assert back.check() == []
    (tmp_path / "out" / "attachments" / f"{kept}.png").unlink()
    with pytest.raises(UserError, match="Nothing was made"):
        import_folder(tmp_path / "out", tmp_path / "c.tensi")
    assert not (tmp_path / "c.tensi").exists()
