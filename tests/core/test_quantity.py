"""Numbers as people type and read them."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tensimeter.core import quantity
from tensimeter.core.errors import UserError
from tensimeter.core.quantity import decimals_for, fixed, parse, show, split, with_uncertainty


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("13.58V", "V", 13.58),
        ("13,58 V", "V", 13.58),
        (" -0.5 ", "V", -0.5),
        ("−2.5V", "V", -2.5),
        ("4k7", "ohm", 4700.0),
        ("4R7", "ohm", 4.7),
        ("2m2", "V", 2.2e-3),
        ("21m", "ohm", 0.021),
        ("1.4m", "", 1.4e-3),
        ("470u", "F", 470e-6),
        ("470uF", "F", 470e-6),
        ("1e-3A", "A", 1e-3),
        ("100mA", "A", 0.1),
        ("3.3kΩ", "ohm", 3300.0),
        ("47.2C", "C", 47.2),
        ("47.2 °C", "C", 47.2),
        ("5%", "%", 0.05),
        ("30min", "min", 30.0),
        (".5A", "A", 0.5),
        ("7", "W", 7.0),
    ],
)
def test_reads_what_bench_notes_hold(text: str, unit: str, value: float) -> None:
    assert parse(text, unit) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(
    ("value", "unit", "said"),
    [
        (-433.68e-21, "V", "0 V"),
        (3e-13, "A", "0 A"),
        (0.25e-3, "A", "250 µA"),
        (1e9, "%", "over 10000 %"),
        (-1e9, "%", "under −10000 %"),
        (99.0, "%", "9900 %"),
        (0.5, "mm2", "0.5 mm²"),
        (2.2e-12, "F", "2.2 pF"),
    ],
)
def test_what_is_left_of_arithmetic_is_no_figure(value: float, unit: str, said: str) -> None:
    assert show(value, unit) == said


@pytest.mark.parametrize("text", ["OL", "ol", "open", "O.L"])
def test_open_is_what_a_meter_shows_and_no_figure(text: str) -> None:
    assert math.isinf(split(text)[0])
    with pytest.raises(UserError, match="no figure"):
        parse(text, "ohm")


@pytest.mark.parametrize(
    "text", ["1e400", "-1e400", "5e-324", "1e13", "inf", "nan", "13.58 4", "1.234,5", "9" * 70]
)
def test_what_is_no_size_of_anything_is_refused(text: str) -> None:
    with pytest.raises(UserError):
        parse(text, "V")


@pytest.mark.parametrize(
    ("text", "unit"),
    [("", "V"), ("volts", "V"), ("12A", "V"), ("1.2.3", "V"), ("12 parsec", ""), ("--3", "V")],
)
def test_bad_figures_are_named(text: str, unit: str) -> None:
    with pytest.raises(UserError) as caught:
        parse(text, unit)
    assert str(caught.value).endswith(".")


@given(st.text(max_size=40))
def test_any_text_is_read_or_refused_in_a_sentence(text: str) -> None:
    try:
        value, unit = split(text)
    except UserError:
        return
    assert not math.isnan(value)
    assert isinstance(unit, str)


@given(st.floats(1e-9, 1e9), st.sampled_from(["V", "A", "ohm", "W"]), st.booleans())
def test_what_is_shown_can_be_typed_again(value: float, unit: str, comma: bool) -> None:
    quantity.use_decimal_mark("," if comma else ".")
    try:
        assert parse(show(value, unit, 6), unit) == pytest.approx(value, rel=1e-5)
    finally:
        quantity.use_decimal_mark(".")


@pytest.mark.parametrize(
    ("value", "half", "unit", "text"),
    [
        (0.05193, 0.00016, "ohm", "51.93 ± 0.16 mΩ"),
        (13.5786, 0.0078, "V", "13.5786 ± 0.0078 V"),
        (0.0305, 0.0012, "%", "3.05 ± 0.12 %"),
        (47.23, 1.1, "C", "47.2 ± 1.1 °C"),
        (-0.002, 0.0005, "V", "−2.00 ± 0.50 mV"),
        (5.0, math.inf, "V", "5 V ± open"),
    ],
)
def test_value_and_uncertainty_share_a_unit(value: float, half: float, unit: str, text: str) -> None:
    assert with_uncertainty(value, half, unit) == text


def test_columns_align_and_nothing_is_invented() -> None:
    assert fixed(13.6, "V") == "13.60 V"
    assert fixed(-0.00001, "A") == "0.00 A"
    assert fixed(-3.2, "A", 1) == "−3.2 A"
    assert fixed(None, "V") == fixed(math.nan, "V") == "– V"
    assert show(1.5e-5, "ohm") == "15 µΩ"
    assert show(math.inf, "ohm") == "open"
    assert [decimals_for(x) for x in (0.0079, 0.5, 12.0, math.inf)] == [4, 2, 0, 2]
