"""The named colours, on paper, at night and in print; nothing is drawn in another."""

from msgspec import Struct


class Colours(Struct, frozen=True):
    """The named colours; nothing in the window uses another."""

    paper: str
    sheet: str
    ink: str
    pencil: str
    rule: str
    hold: str
    miss: str
    holds: str
    prediction: str
    chosen: str


PAPER = Colours(
    paper="#F6F3EC",
    sheet="#FFFDF8",
    ink="#22303C",
    pencil="#59646D",
    rule="#D8D2C4",
    hold="#8F580C",
    miss="#BC3B24",
    holds="#1C7468",
    prediction="#3D648C",
    chosen="#EAE4D6",
)
NIGHT = Colours(
    paper="#171C21",
    sheet="#1F262D",
    ink="#E4DFD3",
    pencil="#9BA6AF",
    rule="#38424B",
    hold="#D69A45",
    miss="#F08066",
    holds="#5CBFAF",
    prediction="#8DB4DC",
    chosen="#2C353E",
)
#: What a sheet is printed in: one grey more, for small type.
PRINT_PENCIL, PRINT_HOLD = "#6B7680", "#A86A12"
