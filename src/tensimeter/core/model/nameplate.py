"""Reads a typed nameplate such as `24V 6.3A 150W 85%`, `2x 19.5V 4.6A brick`, `12V 7Ah battery`."""

import re

from msgspec import Struct

from tensimeter.core.errors import UserError
from tensimeter.core.quantity import split

_FIGURE = re.compile(r"[+-]?\d+(?:[.,]\d+)?\s*(?:[mku]?(?:Ah|[VAW])|%)(?![A-Za-z])")
_COUNT = re.compile(r"(?<![\w.])(\d{1,2})\s*[x×](?=\s|\d)")
#: Words of a nameplate that say what family a unit is of.
_FAMILIES = {"server": "server", "brick": "brick", "laptop": "brick", "hot-swap": "server"}


class Plate(Struct, frozen=True):
    """The figures found on a nameplate, in V, A, W, Ah and as a fraction; `note` flags a mismatch."""

    volts: float
    amps: float | None
    watts: float | None
    efficiency: float | None
    name: str
    note: str = ""
    count: int = 1
    family: str = "enclosed"
    amp_hours: float | None = None


def read_nameplate(text: str) -> Plate:
    """Volts, amps, watts and efficiency of a nameplate; other words become the name.

    A rating that is missing is computed from the other two; a label whose V·A is not its W
    (by more than 5 %) is flagged, and the smaller of both counts. Raises UserError without volts.
    """
    counted = _COUNT.search(text)
    bare = _COUNT.sub(" ", text, count=1) if counted else text
    figures: dict[str, float] = {}
    for match in _FIGURE.finditer(bare):
        value, unit = split(match.group())
        if unit in figures:
            raise UserError(f"The nameplate “{text}” gives {unit} twice; type one output at a time.")
        if value <= 0:
            raise UserError(f"The nameplate “{text}” has a figure that is not above zero.")
        figures[unit] = value
    if "V" not in figures:
        raise UserError(f"The nameplate “{text}” has no volts; write it like 24V 6.3A 150W.")
    volts, amps, watts = figures["V"], figures.get("A"), figures.get("W")
    note = ""
    if amps is None and watts is not None:
        amps = watts / volts
    elif watts is None and amps is not None:
        watts = volts * amps
    elif amps is not None and watts is not None and abs(volts * amps - watts) > 0.05 * watts:
        note = (
            f"the label's {volts:g} V × {amps:g} A is {volts * amps:.0f} W, not {watts:g} W; "
            "the smaller counts"
        )
    efficiency = figures.get("%")
    if efficiency is not None and efficiency > 1:
        raise UserError(f"The nameplate “{text}” claims an efficiency above 100 %.")
    name = " ".join(_FIGURE.sub(" ", bare).split()).strip(" ,;·")
    family = next((f for word, f in _FAMILIES.items() if word in name.casefold()), "enclosed")
    count = max(int(counted.group(1)), 1) if counted else 1
    return Plate(volts, amps, watts, efficiency, name, note, count, family, figures.get("Ah"))


#: One rail of a label: `12V 18A`, `+5 V / 25 A`, `-12V@0.5A`.
_RAIL = re.compile(r"([+\-−]?\d+(?:[.,]\d+)?)\s*V\s*[/@:]?\s*(\d+(?:[.,]\d+)?\s*m?)A(?![A-Za-z])")
_WATTS = re.compile(r"(\d+(?:[.,]\d+)?)\s*W(?![A-Za-z])")


def read_rails(text: str) -> tuple[str, list[tuple[float, float]], float | None] | None:
    """The words, the volts and amps of each rail, and the watts of a label with several rails; else None.

    The volts of a rail below common are negative; UserError for one of no volts or amps.
    """
    found = _RAIL.findall(text)
    if len(found) < 2:
        return None
    rails = [(split(f"{volts}V".replace("−", "-"))[0], split(f"{amps.strip()}A")[0]) for volts, amps in found]
    if any(amps <= 0 or volts == 0 for volts, amps in rails):
        raise UserError(f"The nameplate “{text}” has a rail of nothing: no volts or no amps.")
    rest = _RAIL.sub(" ", text)
    watts = _WATTS.search(rest)
    name = " ".join(_WATTS.sub(" ", rest).split()).strip(" ,;·+")
    return name, rails, split(watts.group())[0] if watts else None


class Outlet(Struct, frozen=True):
    """One outlet of a label: the most volts and amps; `low_V` where its volts are set between two."""

    name: str
    volts: float
    amps: float
    low_V: float | None = None
    #: Its volts stand below common: on its label they have a minus.
    below: bool = False


_DECIMAL = r"\d+(?:[.,]\d+)?"
_TO = r"\s*(?:-|–|\.\.\.?|…|to)\s*"
#: Volts that are set between two: `0-30V`, `1.25..27 V`, `0 V to 20 V`; amps likewise.
_RANGE_V = re.compile(rf"(?<![\d.,])({_DECIMAL}){_TO}({_DECIMAL})\s*V(?![A-Za-z])", re.I)
_RANGE_A = re.compile(
    rf"(?<![\d.,])({_DECIMAL})\s*A?\s*(?:-|–|\.\.\.?|…|to)\s*({_DECIMAL}\s*m?A)(?![A-Za-z])", re.I
)


def read_outlets(text: str) -> list[Outlet]:
    """Every outlet of the label of a supply that exists: fixed ones, several, those set by hand.

    `30V 5A`, `0-30V 0-5A`, `1.25..27V 1A`, `2 × 0-20V 1A`, `+5V 15A +12V 8A −12V 0.5A`. UserError for one
    of no volts or amps.

    Examples
    --------
    >>> [(o.low_V, o.volts, o.amps) for o in read_outlets("2 × 0-20V 1A")]
    [(0.0, 20.0, 1.0), (0.0, 20.0, 1.0)]
    """
    bare = _RANGE_A.sub(r"\2", text)
    ranged = _RANGE_V.search(bare)
    if ranged is not None:
        low, high = sorted(float(x.replace(",", ".")) for x in ranged.groups())
        plate = read_nameplate(_RANGE_V.sub(f"{high:g}V", bare))
        _must_have_amps(text, plate.amps)
        outlet = Outlet("OUT", plate.volts, plate.amps or 0.0, low)
        return _counted(outlet, plate.count)
    rails = read_rails(bare)
    if rails is not None:
        return [
            Outlet(f"{volts:g} V".replace("-", "−"), abs(volts), amps, below=volts < 0)
            for volts, amps in rails[1]
        ]
    plate = read_nameplate(bare)
    _must_have_amps(text, plate.amps)
    return _counted(Outlet("OUT", plate.volts, plate.amps or 0.0), plate.count)


def _must_have_amps(text: str, amps: float | None) -> None:
    if amps is None:
        raise UserError(f"The nameplate “{text}” needs amps or watts beside the volts.")


def _counted(outlet: Outlet, count: int) -> list[Outlet]:
    if count == 1:
        return [outlet]
    return [
        Outlet(f"{outlet.name} {k}", outlet.volts, outlet.amps, outlet.low_V) for k in range(1, count + 1)
    ]
