"""Points and units of a test as lines of text, as they are typed and shown."""

import re
from collections.abc import Sequence

from tensimeter.core.errors import UserError
from tensimeter.core.model.test_record import Corner
from tensimeter.core.model.tests import Bought
from tensimeter.core.quantity import parse

_POINT = re.compile(r"^\s*(?P<volts>[\d.,]+\s*[mk]?V)\s+(?P<amps>[\d.,]+\s*[mk]?A)\s*(?P<why>.*)$")


def points_text(points: Sequence[Corner]) -> str:
    """A line for each point: `12 V 3 A why`."""
    return "\n".join(f"{p.volts:g} V {p.amps:g} A {p.why}".rstrip() for p in points)


def units_text(units: Sequence[Bought]) -> str:
    """A line for each unit: `name 5 V 2 A`."""
    return "\n".join(f"{u.name} {u.claimed_V:g} V {u.claimed_A:g} A" for u in units)


def points_from(text: str) -> tuple[Corner, ...]:
    """Points of a reach from lines such as `12 V 3 A lowest volts`; UserError names the line that is none."""
    found = []
    for line in filter(str.strip, text.splitlines()):
        match = _POINT.match(line)
        if not match:
            raise UserError(f"“{line.strip()}” is no point; write it like 12 V 3 A and why.")
        volts, amps = parse(match["volts"], "V"), parse(match["amps"], "A")
        if volts <= 0:
            raise UserError(f"“{line.strip()}”: volts must be above zero.")
        found.append(Corner(volts=volts, amps=max(amps, 0.0), why=match["why"].strip()))
    return tuple(found)


def units_from(text: str) -> tuple[Bought, ...]:
    """Bought units from lines such as `left brick 5 V 2 A`; UserError names the line that is none."""
    found = []
    for line in filter(str.strip, text.splitlines()):
        match = re.match(r"^\s*(.+?)\s+([\d.,]+\s*[mk]?V)\s+([\d.,]+\s*[mk]?A)\s*$", line)
        if not match:
            raise UserError(f"“{line.strip()}” is no unit; write its name and claim like left brick 5 V 2 A.")
        volts, amps = parse(match[2], "V"), parse(match[3], "A")
        if volts <= 0 or amps <= 0:
            raise UserError(f"“{line.strip()}”: volts and amps must be above zero.")
        found.append(Bought(name=match[1][:80], claimed_V=volts, claimed_A=amps))
    return tuple(found)
