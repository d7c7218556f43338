"""The data sheet as one self-contained HTML file, and the same HTML as PDF."""

import base64
import logging
from collections.abc import Sequence
from importlib import resources
from pathlib import Path

from tensimeter.core.errors import UserError
from tensimeter.core.plate.label import label
from tensimeter.report.apart import put
from tensimeter.report.beside import ComparedOutlet, compared_outlets
from tensimeter.report.figure import reach_svg, test_svg
from tensimeter.report.lettering import OutlineLetters
from tensimeter.report.sheet import Sheet, build
from tensimeter.store.jobfile import JobFile

_FACES = (("Regular", "normal", 400), ("Bold", "normal", 700))


#: The square of each verdict: its shape says the same as its colour.
_SQUARES = {
    "holds": '<rect x="1" y="1" width="8" height="8" fill="#1C7468"/>',
    "too_close": '<rect x="1" y="5" width="8" height="4" fill="#A86A12"/>'
    '<rect x="1" y="1" width="8" height="8" fill="none" stroke="#A86A12"/>',
    "misses": '<rect x="1" y="1" width="8" height="8" fill="none" stroke="#BC3B24"/>'
    '<path d="M1 9 9 1" stroke="#BC3B24" stroke-width="1.5"/>',
    "not_measured": '<rect x="1" y="1" width="8" height="8" fill="none" stroke="#5A656F"/>',
}


def html(sheet: Sheet, *, printed: bool = False, others: Sequence[ComparedOutlet] = ()) -> str:
    """The sheet as HTML that needs nothing beside itself; every text in it is escaped.

    What is `printed` holds its drawings as pictures: laying out their thousands of elements with the page's
    own takes several times as long.
    """
    from jinja2 import Environment

    source = resources.files("tensimeter.report").joinpath("datasheet.html").read_text()
    template = Environment(autoescape=True).from_string(source)
    figures = [test_svg(s.outcome, sheet.job) for s in sheet.sections]
    icons = {k: f'<svg viewBox="0 0 10 10" aria-hidden="true">{v}</svg>' for k, v in _SQUARES.items()}
    if printed:
        figures = [_as_picture(f) for f in figures]
        icons = {k: _as_picture(v) for k, v in icons.items()}
    front = _plate_svg(sheet)
    held = [(o.name, reach_svg(o, sheet.job)) for o in (sheet.plate.outlets if sheet.plate else ())]
    reaches = [(name, _as_picture(x) if printed else x) for name, x in held if x]
    return template.render(
        sheet=sheet,
        others=others,
        figures=figures,
        icons=icons,
        font_face=font_face(),
        plate=_as_picture(front) if printed else front,
        reaches=reaches,
    )


def _plate_svg(sheet: Sheet) -> str:
    """The plate as it would stand on the front; empty where nothing is proven, or its width is too small."""
    from tensimeter.report.vector import svg

    if sheet.plate is None or not any(o.rated for o in sheet.plate.outlets):
        return ""
    try:
        return svg(label(sheet.plate, max(sheet.job.plate.width_mm, 60), "full", OutlineLetters()))
    except UserError:
        return ""


def _as_picture(svg: str) -> str:
    if not svg:
        return ""
    if "xmlns=" not in svg:
        svg = svg.replace("<svg", '<svg xmlns="http://www.w3.org/2000/svg"', 1)
    return f'<img alt="" src="data:image/svg+xml;base64,{base64.b64encode(svg.encode()).decode()}">'


def pdf(text: str) -> bytes:
    """The same HTML as PDF; UserError names the missing library."""
    try:
        logging.getLogger("weasyprint").setLevel(logging.ERROR)
        logging.getLogger("fontTools").setLevel(logging.ERROR)
        from weasyprint import HTML
        from weasyprint.urls import URLFetcher
    except OSError as error:
        raise UserError("PDF needs the system library Pango: sudo apt install libpango-1.0-0 "
                      "libpangoft2-1.0-0.") from error  # fmt: skip
    # A document fetches nothing: what it needs is in it.
    made: bytes = HTML(string=text, url_fetcher=URLFetcher(allowed_protocols=["data"])).write_pdf(
        pdf_tags=True
    )
    return made


def write(file: JobFile, path: Path, others: Sequence[Path] = ()) -> None:
    """Write the data sheet to FILE.html or FILE.pdf, other supplies beside it; UserError when it can't be."""
    kind = path.suffix.casefold()
    if kind not in (".html", ".pdf"):
        raise UserError(f"{path.name}: a data sheet is written as .pdf or .html.")
    rows = compared_outlets([file.path, *others]) if others else ()
    text = html(build(file), printed=kind == ".pdf", others=rows)
    put(path, pdf(text) if kind == ".pdf" else text.encode())


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
