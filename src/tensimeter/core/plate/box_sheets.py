"""A box made of sheet or board: its panels by their joints, how they lie on stock sheets, what they cost."""

from collections.abc import Sequence
from typing import Literal, get_args

from msgspec import Struct

from tensimeter.core.errors import UserError

Joint = Literal["butt", "rebate", "flange"]
#: Width of a folded flange, mm, and what a bend takes out of two outer lengths, as a share of the sheet's
#: thickness: both rules of thumb, to be tried on a strip.
FLANGE_MM, BEND_SHARE = 12.0, 1.7
#: A rebate is cut so deep into a board, as a share of it.
REBATE_SHARE = 0.5
MOST_MM = 3000.0


class OwnBox(Struct, frozen=True):
    """A box by its outer sizes and its sheet, mm; how its panels are joined; what the saw takes, mm."""

    length_mm: float
    width_mm: float
    height_mm: float
    thickness_mm: float
    joint: Joint = "butt"
    kerf_mm: float = 2.0


class PanelCut(Struct, frozen=True):
    """One panel as it is cut, mm; `inside` is what of it shows on the inside."""

    name: str
    width_mm: float
    height_mm: float
    note: str = ""

    @property
    def area_mm2(self) -> float:
        """Its area."""
        return self.width_mm * self.height_mm


class PlacedPanel(Struct, frozen=True):
    """A panel on a stock sheet: which, where its corner is, mm, and whether it lies turned by a quarter."""

    panel: PanelCut
    sheet: int
    x_mm: float
    y_mm: float
    turned: bool

    @property
    def size_mm(self) -> tuple[float, float]:
        """Its size as it lies."""
        p = self.panel
        return (p.height_mm, p.width_mm) if self.turned else (p.width_mm, p.height_mm)


class CutList(Struct, frozen=True):
    """Panels of a box on stock sheets: where each lies, how many, the share that is used, the cost."""

    panels: tuple[PanelCut, ...]
    placed: tuple[PlacedPanel, ...]
    sheets: int
    used: float
    cost: float | None


def panels(box: OwnBox) -> tuple[PanelCut, ...]:
    """The six panels of a box as they are cut, mm.

    Butted, lid and base cover all, front and back stand between them over the whole length, the sides between
    those. Rebated, each of those that would stand between reaches half into what it meets. Folded, base with
    front and back are one sheet bent twice, the lid with the sides another, each with flanges to be screwed.

    UserError for a box that its sheet leaves nothing of.
    """
    t = box.thickness_mm
    if box.joint not in get_args(Joint):
        raise UserError(f"Panels are joined by {', '.join(get_args(Joint))}; “{box.joint}” is none.")
    sizes = (box.length_mm, box.width_mm, box.height_mm)
    if not all(0 < s <= MOST_MM for s in sizes) or t <= 0 or box.kerf_mm < 0:
        raise UserError(
            "A box has a length, a width, a height and a sheet above zero, and a kerf of none or more."
        )
    if min(sizes) <= 4 * t:
        raise UserError(f"A sheet {t:g} mm thick leaves nothing inside a box {min(sizes):g} mm small.")
    long, wide, high = sizes
    if box.joint == "flange":
        bend = BEND_SHARE * t
        base = PanelCut(
            "base, front and back", long, wide + 2 * high - 2 * bend, "bent up twice along its length"
        )
        lid = PanelCut(
            "lid and sides", wide - 2 * t + 2 * FLANGE_MM - 2 * bend,
            long + 2 * (high - t) - 2 * bend, "bent down twice, flanges all along",
        )  # fmt: skip
        return base, lid
    into = 2 * REBATE_SHARE * t if box.joint == "rebate" else 0.0
    inner_high, inner_wide = high - 2 * t + into, wide - 2 * t + into
    note = f"rebated {REBATE_SHARE * t:.1f} mm" if into else ""
    return (
        PanelCut("lid", long, wide, note),
        PanelCut("base", long, wide, note),
        PanelCut("front", long, inner_high, note),
        PanelCut("back", long, inner_high, note),
        PanelCut("left", inner_wide, inner_high),
        PanelCut("right", inner_wide, inner_high),
    )


def cut_list(
    box: OwnBox, sheet_mm: tuple[float, float], price: float | None = None, *, grain: bool = False
) -> CutList:
    """The panels of a box on stock sheets of a size, mm, with the saw's kerf between any two.

    `price` is that of one sheet; with `grain` nothing is turned. UserError where a panel is larger than a
    sheet, and for a sheet that is none.
    """
    if not all(0 < s <= 2 * MOST_MM for s in sheet_mm) or (price is not None and price < 0):
        raise UserError("A stock sheet has a length and a width above zero, and costs nothing or more.")
    wanted = panels(box)
    for p in wanted:
        fits = p.width_mm <= sheet_mm[0] and p.height_mm <= sheet_mm[1]
        lying = p.height_mm <= sheet_mm[0] and p.width_mm <= sheet_mm[1] and not grain
        if not fits and not lying:
            raise UserError(
                f"The {p.name} is {p.width_mm:.0f} × {p.height_mm:.0f} mm, and a sheet {sheet_mm[0]:g} × "
                f"{sheet_mm[1]:g} mm: join it from two, or take a larger sheet."
            )
    placed = _packed(wanted, box.kerf_mm, sheet_mm, grain=grain)
    sheets = 1 + max(p.sheet for p in placed)
    used = sum(p.area_mm2 for p in wanted) / (sheets * sheet_mm[0] * sheet_mm[1])
    return CutList(wanted, placed, sheets, used, None if price is None else sheets * price)


def _packed(
    wanted: Sequence[PanelCut], kerf: float, sheet: tuple[float, float], *, grain: bool
) -> tuple[PlacedPanel, ...]:
    """Where each panel lies: kerf is added at its right and below, and to the sheet as well."""
    from rectpack import float2dec, newPacker  # noqa: PLC0415 - needed for a cut list alone

    packer = newPacker(rotation=not grain)
    whole = [float2dec(s + kerf, 4) for s in sheet]
    for _ in wanted:
        packer.add_bin(*whole)
    for k, p in enumerate(wanted):
        packer.add_rect(float2dec(p.width_mm + kerf, 4), float2dec(p.height_mm + kerf, 4), rid=k)
    packer.pack()
    found = []
    for bin_, x, y, width, _, k in packer.rect_list():
        p = wanted[k]
        turned = abs(float(width) - kerf - p.width_mm) > 1e-3
        found.append(PlacedPanel(p, bin_, float(x), float(y), turned))
    return tuple(sorted(found, key=lambda one: (one.sheet, one.y_mm, one.x_mm)))
