"""The wire list and its label sheet as PDF."""

from collections.abc import Sequence
from importlib import resources
from pathlib import Path

from tensimeter.core.assembly.harness import harness
from tensimeter.core.assembly.wiring import Conductor, wire_list
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.quantity import fixed, show
from tensimeter.report.datasheet import font_face, pdf

#: How often each label is printed: one for each end of its wire.
ENDS = 2


def write_list(job: Job, path: Path) -> None:
    """The wires grouped by where they begin, and the harness where there is one.

    UserError when it can't be.
    """
    _write(path, _html(job, wire_list(job), labels=False))


def write_labels(job: Job, path: Path) -> None:
    """A sheet of labels, each twice, to be cut and sleeved on."""
    _write(path, _html(job, wire_list(job), labels=True))


def _html(job: Job, wires: Sequence[Conductor], *, labels: bool) -> str:
    from jinja2 import Environment

    source = resources.files("tensimeter.report").joinpath("wirelist.html").read_text()
    names = {link.id: link.name for link in job.design.links} | {"inlet": "Mains inlet", "switch": "Switch"}
    groups: dict[str, list[dict[str, str]]] = {}
    for wire in wires:
        row = {
            # A sign is not parted from what it belongs to.
            "label": wire.label.replace(" −", "\u00a0−").replace(" +", "\u00a0+"),
            "colour": wire.colour,
            "area": f"{wire.area_mm2:g}",
            "length": fixed(wire.length_m, "", 2),
            "amps": show(wire.amps, "A", 3) if wire.amps else "",
            "fuse": wire.fuse,
            "ends": " / ".join(dict.fromkeys(wire.ends)),
            "made": "✓" if wire.made else "",
        }
        groups.setdefault(names.get(wire.start.link, wire.start.link), []).append(row)
    flat = [row["label"] for rows in groups.values() for row in rows for _ in range(ENDS)]
    template = Environment(autoescape=True).from_string(source)
    return template.render(
        job=job, groups=groups, labels=flat if labels else [], harness=harness(job), font_face=font_face()
    )


def _write(path: Path, text: str) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(pdf(text))
    except OSError as error:
        raise UserError(f"{path} can't be written: {error.strerror}.") from error
