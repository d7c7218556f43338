"""What is drilled and cut in a face, with which tool, in which steps and order."""

from msgspec import Struct

from tensimeter.core.model.faces import FaceRecord, Material
from tensimeter.core.plate.fittings import FITTINGS, cut_outs_of, holes_of

#: A pilot comes before a hole wider than this, mm, and is so wide.
PILOT_FROM_MM, PILOT_MM = 5.0, 3.0
#: The widest twist drill, and what is cut by a step drill or a punch in sheet, mm.
TWIST_MM, STEP_MM = 10.0, 32.0
#: Left to be filed at an opening, mm all round; its corner holes; how far apart a chain is drilled.
FILE_MM, CORNER_MM, CHAIN_MM = 0.5, 4.0, 3.5
#: What each material asks for.
CARE: dict[Material, str] = {
    "metal": "centre punch, cutting oil, slow for wide holes; clamp it: a sheet that catches spins",
    "wood": "a block behind it, or it splinters where the drill comes out",
    "plastic": "slow and with little pressure, masking tape on both sides: it cracks and melts",
    "printed": "slow and from both sides; layers split at a hole near the edge",
}
SWARF = "All swarf out before any board goes in: one splinter under a board is a short that nobody finds."


class DrillStep(Struct, frozen=True):
    """One thing to do on a face: where its middle is, mm, the tool, what it is for."""

    order: int
    x_mm: float
    y_mm: float
    tool: str
    diameter_mm: float
    item: str
    what: str


def schedule(face: FaceRecord) -> list[DrillStep]:
    """Every step for a face, in order: pilots first, then from the smallest to the widest, openings last."""
    todo: list[tuple[int, float, float, float, str, float, str, str]] = []
    for item in (i for i in face.items if i.kind in FITTINGS):
        for h in holes_of(item):
            if h.diameter > PILOT_FROM_MM:
                todo.append((0, PILOT_MM, h.x, h.y, "twist drill", PILOT_MM, item.name, "pilot"))
            todo.append((1, h.diameter, h.x, h.y, _tool(h.diameter, face), h.diameter, item.name, "hole"))
        for c in cut_outs_of(item):
            across, down = (s / 2 - FILE_MM - CORNER_MM / 2 for s in (c.width, c.height))
            size = f"{c.width:g} × {c.height:g} mm"
            if min(across, down) <= 0:
                todo.append((2, 0.0, c.x, c.y, "drill and file", 0.0, item.name, f"slot {size}"))
                continue
            for sx in (-1, 1):
                for sy in (-1, 1):
                    x, y, what = c.x + sx * across, c.y + sy * down, f"corner of its opening {size}"
                    todo.append((0, CORNER_MM, x, y, "twist drill", CORNER_MM, item.name, what))
            what = f"opening {size}, {FILE_MM:g} mm left to file"
            todo.append((2, 0.0, c.x, c.y, _opens(face), 0.0, item.name, what))
    todo.sort(key=lambda t: (t[0], t[1], t[3], t[2]))
    return [
        DrillStep(k, x, y, tool, diameter, name, what)
        for k, (_, _, x, y, tool, diameter, name, what) in enumerate(todo, 1)
    ]


def _tool(diameter: float, face: FaceRecord) -> str:
    if diameter <= TWIST_MM:
        return "twist drill"
    if face.material in ("metal", "plastic") and face.thickness_mm <= 3 and diameter <= STEP_MM:
        return "step drill or punch"
    return "hole saw"


def _opens(face: FaceRecord) -> str:
    if face.material == "metal":
        return f"chain of {CORNER_MM - 0.5:g} mm holes {CHAIN_MM:g} mm apart, file"
    return "fret saw, file"


def as_table(face: FaceRecord) -> str:
    """The schedule as CSV, with a column to tick when an edge is deburred."""
    rows = ["order,x [mm],y [mm],tool,diameter [mm],for,what,deburred"]
    for s in schedule(face):
        words = [f'"{w.replace(chr(34), chr(39))}"' for w in (s.tool, s.item, s.what)]
        size = f"{s.diameter_mm:g}" if s.diameter_mm else ""
        rows.append(f"{s.order},{s.x_mm:.2f},{s.y_mm:.2f},{words[0]},{size},{words[1]},{words[2]},")
    return "\n".join(rows) + "\n"
