"""The data sheet as one self-contained HTML file, and the same HTML as PDF."""

import base64
import logging
from importlib import resources
from pathlib import Path

from tensimeter.core.errors import UserError
from tensimeter.report.figure import test_svg
from tensimeter.report.sheet import Sheet, build
from tensimeter.store.jobfile import JobFile

_FACES = (("Regular", "normal", 400), ("Bold", "normal", 700))


def html(sheet: Sheet) -> str:
    """The sheet as HTML that needs nothing beside itself; every text in it is escaped."""
    from jinja2 import Environment

    source = resources.files("tensimeter.report").joinpath("datasheet.html").read_text()
    template = Environment(autoescape=True).from_string(source)
    figures = [test_svg(s.outcome, sheet.job) for s in sheet.sections]
    return template.render(sheet=sheet, figures=figures, font_face=font_face())


def pdf(text: str) -> bytes:
    """The same HTML as PDF; UserError names the missing library."""
    try:
        logging.getLogger("weasyprint").setLevel(logging.ERROR)
        logging.getLogger("fontTools").setLevel(logging.ERROR)
        from weasyprint import HTML
    except OSError as error:
        raise UserError("PDF needs the system library Pango: sudo apt install libpango-1.0-0 "
                      "libpangoft2-1.0-0.") from error  # fmt: skip
    made: bytes = HTML(string=text, url_fetcher=_nothing_outside).write_pdf()
    return made


def _nothing_outside(url: str, *args: object, **kwargs: object) -> object:
    """A document fetches nothing: what it needs is in it."""
    from weasyprint import default_url_fetcher

    if not url.startswith("data:"):
        raise ValueError("documents fetch nothing")
    return default_url_fetcher(url, *args, **kwargs)


def write(file: JobFile, path: Path) -> None:
    """Write the data sheet to FILE.html or FILE.pdf; UserError when it can't be."""
    kind = path.suffix.casefold()
    if kind not in (".html", ".pdf"):
        raise UserError(f"{path.name}: a data sheet is written as .pdf or .html.")
    text = html(build(file))
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(pdf(text) if kind == ".pdf" else text.encode())
    except OSError as error:
        raise UserError(f"{path} can't be written: {error.strerror}.") from error


def font_face() -> str:
    """The shipped type as style rules, so that a document needs nothing beside itself."""
    fonts = resources.files("tensimeter.assets").joinpath("fonts")
    rules = []
    for name, style, weight in _FACES:
        data = base64.b64encode(fonts.joinpath(f"B612-{name}.otf").read_bytes()).decode()
        rules.append(
            f"@font-face {{ font-family: B612; font-style: {style}; font-weight: {weight}; "
            f'src: url("data:font/otf;base64,{data}"); }}'
        )
    return "\n".join(rules)
