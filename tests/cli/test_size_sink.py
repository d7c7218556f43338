"""tensimeter size sink-load and flyback: the keys that scripts rely on, and what is refused."""

import json

import pytest

WHAT = "--volts 30 --amps 5 --watts 60 --rds-on 8m --theta-jc 0.75 --theta-cs 0.3 --sink 0.8 --ambient 25"
HOW = "--tj-max 150 --shunt 0.1 --shunt-tolerance 5% --shunt-ppm 100 --shunt-watts 5 --soa-case 25"
SCALES = "--offset 3m --adc-bits 16 --adc-range 0.256 --dac-bits 12 --dac-range 5 --gate 10V --gate-at 5.5V"
ASKED = ("size", "sink-load", *f"{WHAT} {HOW} {SCALES}".split())
CURVE = ("--soa", "10V=12A 30V=2.5A 60V=0.6A")


def test_a_load_by_its_circuit(tensimeter) -> None:
    code, text, said = tensimeter(*ASKED, *CURVE, "--json")
    found = json.loads(text)
    assert code == 0, said
    assert (found["devices"], found["verdict"]) == (2, "holds")
    # 3 mV over 0.1 Ω is 30 mA in each of two; a count of 5 V/4096 is 12.2 mA there, one of 3.9 µV 39 µA.
    assert found["offset_A"] == pytest.approx(0.06)
    assert found["set_count_A"] == pytest.approx(2 * 5 / 4096 / 0.1)
    assert found["read_count_A"] == pytest.approx(2 * 0.256 / 65536 / 0.1)
    # 5 %, and 100 ppm/K of the 8.75 K that an eighth of its watts make.
    assert found["gain_percent"] == pytest.approx(5 + 100e-4 * 70 * 0.625 / 5)
    assert found["gate_margin_V"] == pytest.approx(10 - 5.5 - 0.25)
    assert found["warnings"] == []


@pytest.mark.parametrize(
    ("more", "said"),
    [
        (("--shunt-watts", "1"), "half of that"),
        (("--gate", "3.3V"), "do not turn on"),
        (("--adc-range", "0.2"), "What measures it ends at"),
        (("--shunt", "7", "--amps", "5"), "lowest volts lie above"),
    ],
)
def test_nonsense_is_named(tensimeter, more, said) -> None:
    code, text, _ = tensimeter(*ASKED, *CURVE, *more, "--json")
    found = json.loads(text)
    assert (code, found["verdict"]) == (0, "misses")
    assert any(said in w for w in found["warnings"])


def test_what_is_refused(tensimeter) -> None:
    for more, said in (((), "DC curve"), ((*CURVE, "--one-gate"), "own shunt and amplifier"),
                       ((*CURVE, "--volts", "90"), "curve ends"), (("--soa", "10V"), "no pair"),
                       ((*CURVE, "--shunt-watts", "0"), "above zero")):  # fmt: skip
        code, _, error = tensimeter(*ASKED, *more)
        assert (code, error.count("\n")) == (2, 1), error
        assert said in error
    code, text, _ = tensimeter(*ASKED, *CURVE, "--switching", "--json")
    assert json.loads(text)["devices"] > 2


WANTED = "--line 180V..264V --mains 50 --bulk 120u --output 12V@5A --aux 18V@20m --mode ccm --duty 0.45"
WOUND_ON = "--frequency 65k --efficiency 85% --flux 0.28 --ae 76mm2 --le 72mm --window 90mm2"
FLYBACK = ("size", "flyback", *f"{WANTED} {WOUND_ON}".split())


def test_a_flyback_by_what_is_wanted_and_as_it_is_wound(tensimeter) -> None:
    code, text, said = tensimeter(*FLYBACK, "--json")
    found = json.loads(text)
    assert code == 0, said
    turns = ":".join(str(found[key]) for key in ("primary_turns", "secondary_turns", "aux_turns"))
    wound = json.loads(tensimeter(*FLYBACK, "--turns", turns, "--gap", f"{found['gap_mm']}mm", "--json")[1])
    for key in ("peak_A", "flux_T", "primary_H", "secondary_rms_A", "switch_V", "diode_V", "fill_percent"):
        assert wound[key] == pytest.approx(found[key], rel=1e-3), key
    assert found["switch_V"] == pytest.approx(264 * 2**0.5 - 1.4 + 1.5 * found["reflected_V"])
    # 71 W between the peaks of 253 V: about 8 ms of 120 µF take it to 232 V.
    assert found["bulk_valley_V"] == pytest.approx((253.2**2 - 2 * 71 * 8.7e-3 / 120e-6) ** 0.5, rel=0.01)
    assert "insulation" in found["warnings"][-1]
    assert tensimeter(*FLYBACK)[0] == 0


@pytest.mark.parametrize(
    "odd",
    [("--turns", "37:4:6"), ("--turns", "a:b", "--gap", "0.4mm"), ("--mode", "push"), ("--line", "230V")],
)
def test_a_flyback_that_cannot_be_is_refused(tensimeter, odd) -> None:
    code, text, said = tensimeter(*FLYBACK, *odd)
    assert code == 2
    assert not text
    assert said.strip()


@pytest.mark.parametrize(
    ("asked", "key", "value"),
    [
        ("load-bank --volts 12 --piece 10R@50W --piece 22R@10W --amps 1.2A", ("points", 0, "wanted_A"), 1.2),
        ("led-strings --threshold 9 --slope 2 --volts 11 --leds 3 --hot 75", ("hot_A",), 1.15),
        ("motor-load --volts 12 --winding 1.5 --own 80%", ("reversed_A",), 14.4),
        ("pulsed-load --high 10A --share 25%", ("rms_A",), 5.0),
        ("linear-stage --amps 1 --input-high 20 --input-low 17 --pot 2400 --tied", ("highest_V",), 13.87),
        (
            "linear-stage --amps 2 --input-high 30 --input-low 19 --reference 2.5 --top 9k5 --bottom 2k5 "
            "--gain 1000 --devices 2 --ballast 0.1 --sense 0.25",
            ("short_A",),
            2.6,
        ),
    ],
)
def test_what_is_made_or_lies_in_the_bin(tensimeter, asked, key, value) -> None:
    code, text, said = tensimeter("size", *asked.split(), "--json")
    assert code == 0, said
    found = json.loads(text)
    for part in key:
        found = found[part]
    assert found == pytest.approx(value, rel=1e-3)


@pytest.mark.parametrize(
    "asked",
    [
        "load-bank --volts 12 --piece 10R --amps 1A",
        "led-strings --threshold 0 --slope 2 --volts 11",
        "motor-load --volts 12 --winding 0",
        "pulsed-load --high 1A --share 0%",
        "linear-stage --amps 1 --input-high 10 --input-low 17",
        "linear-stage --amps 1 --input-high 20 --input-low 17 --top 0",
        "sink-load --volts 30 --amps 5 --watts 60 --soa 10V=12A --gm 20 --gate 10V",
    ],
)
def test_what_cannot_be_is_refused(tensimeter, asked) -> None:
    code, text, said = tensimeter("size", *asked.split())
    assert code == 2
    assert not text
    assert said.strip()
