"""The program among the others of a desktop, and out of it again."""

import configparser
import shutil
import subprocess
import sys
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest

from tensimeter.store.desktop import APP_ID, MIME_TYPE
from tensimeter.store.jobfile import JobFile


@pytest.fixture
def installed(tensimeter, own_home: Path) -> Path:
    code, out, said = tensimeter("install-desktop")
    assert code == 0, said
    assert "in the menu" in out
    return own_home / "xdg_data_home"


def test_its_files_are_there_and_go_again(tensimeter, installed: Path) -> None:
    entry = configparser.ConfigParser(interpolation=None)
    entry.read(installed / f"applications/{APP_ID}.desktop")
    section = entry["Desktop Entry"]
    assert section["Exec"].endswith(" %f")
    assert section["MimeType"] == f"{MIME_TYPE};"
    assert ET.parse(installed / f"icons/hicolor/scalable/apps/{APP_ID}.svg").getroot().tag.endswith("svg")
    mime = ET.parse(installed / "mime/packages/tensimeter.xml").getroot()
    assert mime[0].get("type") == MIME_TYPE
    kept = installed / "applications/another.desktop"
    kept.write_text("[Desktop Entry]\n")
    code, out, _ = tensimeter("install-desktop", "--remove")
    assert (code, "8 files" in out) == (0, True)
    assert not (installed / f"applications/{APP_ID}.desktop").exists()
    assert kept.exists()
    assert "Nothing of it" in tensimeter("install-desktop", "--remove")[1]


def test_a_job_is_told_by_its_magic(installed: Path, tmp_path: Path, job_file: JobFile) -> None:
    """The bytes that the file type names are where a job has them."""
    mime = ET.parse(installed / "mime/packages/tensimeter.xml").getroot()
    match = mime[0].find("{*}magic/{*}match/{*}match")
    raw = job_file.path.read_bytes()
    offset = int(match.get("offset"))
    assert raw[offset : offset + 4] == int(match.get("value"), 16).to_bytes(4, "big")
    assert raw.startswith(mime[0].find("{*}magic/{*}match").get("value").encode())


def test_the_manual_page_names_every_command(installed: Path) -> None:
    page = (installed / "man/man1/tensimeter.1").read_text()
    for words in ("size flyback", "tune", "analyse soak", "install\\-desktop", "plate", "file"):
        assert f".SS {words}" in page
    assert not any(line.startswith("'") for line in page.splitlines())
    if shutil.which("man"):
        shown = subprocess.run(["man", "-l", "--warnings", str(installed / "man/man1/tensimeter.1")],
                               capture_output=True, text=True, check=True)  # fmt: skip
        assert "EXIT STATUS" in shown.stdout
        assert shown.stderr == ""


@pytest.mark.skipif(not shutil.which("appstreamcli"), reason="no appstreamcli here")
def test_the_metainfo_is_valid(installed: Path) -> None:
    file = installed / f"metainfo/{APP_ID}.metainfo.xml"
    done = subprocess.run(["appstreamcli", "validate", "--no-net", str(file)], capture_output=True, text=True)
    assert done.returncode == 0, done.stdout


def test_a_shell_completes(installed: Path) -> None:
    asked = (
        f'tensimeter() {{ {sys.executable} -m tensimeter "$@"; }}; source \'{installed}/bash-completion/'
        "completions/tensimeter'; COMP_WORDS=(tensimeter size fly); COMP_CWORD=2; "
        "env COMP_WORDS='tensimeter size fly' COMP_CWORD=2 _TENSIMETER_COMPLETE=complete_bash "
        f"{sys.executable} -m tensimeter"
    )
    done = subprocess.run(["bash", "-c", asked], capture_output=True, text=True, timeout=300)
    assert "flyback" in done.stdout.split()
