"""Copper and fuses against published figures."""

import pytest

from tensimeter.core.electrical import fuse, wire
from tensimeter.core.errors import UserError
from tensimeter.core.parts.fuse import FusePart

#: Ω per km at 20 °C of even gauges, from the published copper wire table (NBS Handbook 100).
TABLE = {
    10: 3.277,
    12: 5.211,
    14: 8.286,
    16: 13.17,
    18: 20.95,
    20: 33.31,
    22: 52.96,
    24: 84.22,
    26: 133.9,
    28: 212.9,
}


@pytest.mark.parametrize(("gauge", "ohm_per_km"), TABLE.items())
def test_gauges_against_the_published_table(gauge: int, ohm_per_km: float) -> None:
    both_legs = wire.resistance(500.0, wire.awg_area(gauge))
    assert both_legs == pytest.approx(ohm_per_km, rel=0.005)


def test_warm_copper() -> None:
    # IEC 60228: the factor from 20 °C to 70 °C is 1.1965 (α20 = 0.00393).
    cold, warm = (wire.resistance(1, 1e-6, t) for t in (20, 70))
    assert warm / cold == pytest.approx(1.1965, rel=1e-4)


@pytest.mark.parametrize(
    ("text", "mm2"),
    [("16awg", 1.309), ("AWG 16", 1.309), ("0.75mm2", 0.75), ("0,75 mm²", 0.75), ("2.5MM2", 2.5)],
)
def test_sizes_as_typed(text: str, mm2: float) -> None:
    assert wire.parse_area(text) * 1e6 == pytest.approx(mm2, rel=1e-3)


@pytest.mark.parametrize("text", ["16", "awg", "99awg", "0mm2", "-1mm2", "1.5", "thick"])
def test_sizes_that_are_none(text: str) -> None:
    with pytest.raises(UserError):
        wire.parse_area(text)


def test_hotter_insulation_and_thicker_wire_carry_more() -> None:
    assert wire.ampacity(2.5e-6, 105) > wire.ampacity(2.5e-6, 70) > wire.ampacity(1e-6, 70) > 0
    assert wire.ampacity(1e-6, 20, ambient=25) == 0


def test_a_fuse_behind_a_limit_may_never_blow() -> None:
    part = FusePart(id="f", name="F", rated_A=10)
    assert fuse.continuous_A(part.rated_A) == 7.5
    assert part.ohms == pytest.approx(0.008)
    assert not part.can_blow(12.0)
    assert part.can_blow(25.0)
    assert "rule of thumb" in part.explain_resistance().text()
