"""tensimeter size box: the panels of a box, and how they lie on stock sheets."""

from typing import Annotated

import typer

from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.cli.size import size
from tensimeter.core.errors import UserError
from tensimeter.core.plate.box_sheets import Joint, OwnBox, cut_list
from tensimeter.core.plate.face_edits import length_mm
from tensimeter.core.quantity import parse

JOINTS: dict[str, Joint] = {"butt": "butt", "rebate": "rebate", "flange": "flange"}


@size.command("box")
def size_box(
    length: Annotated[str, typer.Option(help="Outside, along, mm.")],
    width: Annotated[str, typer.Option(help="Outside, across, mm.")],
    height: Annotated[str, typer.Option(help="Outside, up, mm.")],
    thickness: Annotated[str, typer.Option(help="Of the sheet or board, mm.")] = "2mm",
    joint: Annotated[str, typer.Option(help="butt, rebate or flange")] = "butt",
    kerf: Annotated[str, typer.Option(help="What the saw takes, mm.")] = "2",
    sheet: Annotated[str, typer.Option(help="A stock sheet: 1000x500.")] = "1000x500",
    price: Annotated[str, typer.Option(help="Of one stock sheet.")] = "",
    grain: Annotated[bool, typer.Option("--grain", help="Nothing is turned by a quarter.")] = False,
    json: Json = False,
) -> None:
    """The panels of a box of sheet or board, where each lies on a stock sheet, and what the sheets cost."""
    if joint not in JOINTS:
        raise UserError(f"Panels are joined by {', '.join(JOINTS)}; “{joint}” is none.")
    sides = [length_mm(s, "side") for s in sheet.casefold().replace("×", "x").split("x")]
    if len(sides) != 2:
        raise UserError(f"“{sheet}” is no stock sheet; write it like 1000x500.")
    box = OwnBox(
        length_mm(length, "length"),
        length_mm(width, "width"),
        length_mm(height, "height"),
        length_mm(thickness, "thickness"),
        JOINTS[joint],
        parse(kerf.removesuffix("mm")),
    )
    found = cut_list(box, (sides[0], sides[1]), parse(price) if price else None, grain=grain)
    answer(
        {
            "panels": [
                {
                    "name": p.panel.name,
                    "width_mm": p.panel.width_mm,
                    "height_mm": p.panel.height_mm,
                    "sheet": p.sheet + 1,
                    "x_mm": p.x_mm,
                    "y_mm": p.y_mm,
                    "turned": p.turned,
                    "note": p.panel.note,
                }
                for p in found.placed
            ],
            "sheets": found.sheets,
            "used_percent": 100 * found.used,
            "cost": found.cost,
        },
        json,
    )
