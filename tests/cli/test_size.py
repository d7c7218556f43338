"""`size`: each kind's figures by hand, and what it warns of; bad input is one sentence and exit 2."""

import json
import math

import pytest

from tensimeter.core.model.heat_tests import Soak
from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile
from tests.core.test_forecast import MISRA
from tests.core.test_heat_tests import Log, soaked


def test_size_wire(tensimeter) -> None:
    _, out, _ = tensimeter("size", "wire", "--gauge", "16awg", "--length", "1.4", "--current", "3A", "--json")
    found = json.loads(out)
    # 13.17 Ω/km by the published table, 2.8 m of it.
    assert found["resistance_ohm"] == pytest.approx(0.013_17 * 2.8, rel=0.003)
    assert found["drop_V"] == pytest.approx(3 * found["resistance_ohm"])
    assert found["loss_W"] == pytest.approx(9 * found["resistance_ohm"])
    _, out, _ = tensimeter("size", "wire", "--gauge", "0.75mm2", "--length", "140cm", "--current", "30A")
    assert "rule of thumb" in out
    warm = json.loads(
        tensimeter(
            "size",
            "wire",
            "--gauge",
            "16awg",
            "--length",
            "1.4m",
            "--current",
            "3A",
            "--temperature",
            "70",
            "--json",
        )[1]
    )
    assert warm["resistance_ohm"] / found["resistance_ohm"] == pytest.approx(1.1965, rel=1e-4)


@pytest.mark.parametrize(
    ("words", "expected"),
    [
        ("fuse --current 8A", {"rated_A": 12.5, "continuous_A": 9.375, "blows_for_certain_A": 2.1 * 12.5}),
        ("transformer-fuse --current 2A --secondary 18V", {"primary_A": 1.8 * 2 * 18 / 230, "rated_A": 0.5}),
        ("regulator --r1 240R --r2 1k5", {"high_V": 9.1375, "programming_A": 1.25 / 240}),
        ("regulator --r1 120R --volts 5V --adjust 0", {"r2_ohm": 360}),
        # 12 V up to 8 V, 24 V above: worst just over 8 V on the upper tap, 2 A through 16 V.
        (
            "regulator --r1 120R --pot 1k6 --adjust 0 --input 24V --current 2A --tap 12V=8V",
            {"worst_W": 45.5, "worst_tapped_W": 32},
        ),
        (
            "rectifier --emf 12.6V --rated 12V --rated-current 1.5A --capacitance 3300u --load 0A",
            {"mean_V": 12.6 * math.sqrt(2) - 1.6},
        ),
        (
            "regulator --r1 120R --pot 2k --volts 12V --input 22V --valley 15V --current 1A --bin 1k",
            {"worst_W": 20.75, "short_W": 22, "headroom_V": 1.0, "from_bin_ohm": [1000]},
        ),
        (
            "feedback --reference 2.5 --upper 10k --lower 2k5 --fixed 10k --trip 16V",
            {"before_V": 12.5, "high_V": 15, "fails": "low"},
        ),
        (
            # V0 12.5 V, 25 kV·Ω: 15 V at 10 kΩ, 13 V at 50 kΩ; 16 V − 1 % less 12.5 V + 25 kV·Ω/9.9 kΩ.
            "feedback --pair 10k=15V --pair 40k=13.125V --fixed 10k --pot 40k --trip 16V",
            {"high_V": 15, "low_V": 13, "open_V": 12.5, "fails": "low", "trip_margin_V": 0.81475},
        ),
        (
            "feedback --pair 10k=15V --pair 40k=13.125V --volts 14V",
            {"before_V": 12.5, "resistor_ohm": 25e3 / 1.5},
        ),
        ("dummy-load --volts 12V --current 0.5A", {"resistance_ohm": 24, "rating_W": 15, "surface_C": 125}),
        (
            "heat-sink --power 40W --junction 0.7 --sink 1 --devices 2",
            {"sink_C": 65, "hottest_junction_C": 93.8},
        ),
        ("heat-sink --power 20W --junction 1.5 --limit 125", {"sink_K_per_W": 3.0}),
        # 100 W into 50 m³/h warm the air by 5.95 K; 0.35 m² shed 30 W at 8.27 K, half of it as radiation.
        (
            "heat-sink --power 100W --junction 0.1 --sink 0.2 --flow 13.889m",
            {"air_C": 30.95, "sink_C": 50.95},
        ),
        ("heat-sink --power 30W --junction 0.5 --sink 1 --box 0.35 --ambient 20", {"air_C": 28.27}),
        (
            "derating --curve 50=6A --curve 70=3A --temperature 60 --used 4",
            {"allowed": 4.5, "up_to_C": 190 / 3},
        ),
        (
            "fan --power 30W --still 2 --blown 0.8 --capacity 200 --on 60 --off 50 --speed 0.5",
            {
                "state": "hunts",
                "period_s": 400 * math.log(35 / 25) + 160 * math.log(11),
                "loudness_dB": -15.0515,
            },
        ),
        ("ntc --resistance 10k --beta 3950 --series 10k --at 25", {"beta_K": 3950}),
        (
            "discharge --capacitance 100u --start 400V --end 147.1518V --resistance 1k",
            {"time_s": 0.1, "energy_J": 8},
        ),
        ("stack --unit '24V 6.3A 150W' --unit '24V 5A' --tap 1A --trip 30V", {"full_A": 4, "trip_V": 61.2}),
        (
            "pwm-dac --supply 3.3V --frequency 31k --bits 8 --resistance 10k --capacitance 1u",
            {"ripple_pp_V": 3.3 / (4 * 31e3 * 1e-2), "settling_s": 0.01 * math.log(512)},
        ),
        (
            "rectifier --emf 12.6V --resistance 0.4 --diode 0.8 --bridge --capacitance 3300u --load 0A",
            {"mean_V": 12.6 * math.sqrt(2) - 1.6, "no_load_high_line_V": 13.86 * math.sqrt(2) - 1.6},
        ),
    ],
)
def test_figures_by_hand(tensimeter, words: str, expected: dict) -> None:
    import shlex

    code, out, err = tensimeter("size", *shlex.split(words), "--json")
    assert code == 0, err
    found = json.loads(out)
    for key, value in expected.items():
        assert found[key] == (pytest.approx(value, rel=1e-3) if not isinstance(value, str) else value), key
    # The table for people says the same and breaks no row.
    code, out, _ = tensimeter("size", *shlex.split(words))
    assert code == 0
    assert out.strip()


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ("fuse --current 8A --wire 24awg --source 9A", "does not protect"),
        ("transformer-fuse --current 2A --secondary 18V", "licensed"),
        ("regulator --r1 1k --pot 10k", "output climbs"),
        ("regulator --pot 5k --valley 12V", "hum"),
        ("feedback --reference 2.5 --upper 10k --lower 2k5 --fixed 10k --pot 5k --across upper", "Refused"),
        ("feedback --reference 2.5 --upper 10k --lower 2k5 --fixed 10k --trip 15V", "trip may act"),
        ("dummy-load --volts 12V --current 2A", "clear of plastic"),
        ("heat-sink --power 90W --junction 0.7 --sink 1", "over its limit"),
        ("derating --curve 50=6A --curve 70=3A --temperature 69 --used 4", "more than"),
        ("fan --power 30W --still 2 --blown 0.8 --capacity 9 --on 60 --off 59", "widen the hysteresis"),
        ("discharge --capacitance 100u --start 400V --resistance 1k", "creep back"),
        ("stack --unit '24V 5A' --unit '24V 2A' --unit '24V 5A'", "60 V"),
        ("pwm-dac --supply 3.3V --frequency 1k --bits 12 --resistance 1k --capacitance 1u", "leaves"),
    ],
)
def test_what_bites_is_said(tensimeter, words: str, said: str) -> None:
    import shlex

    code, out, _ = tensimeter("size", *shlex.split(words), "--json")
    assert code == 0
    assert any(said in warning for warning in json.loads(out)["warnings"])


@pytest.mark.parametrize(
    "words",
    [
        "fuse --current 0",
        "fuse --current 8A --speed quick",
        "rectifier --emf 12V --resistance 0.4 --capacitance 1m --load 3V",
        "rectifier --emf 12V --capacitance 1m --load 1A",
        "rectifier --emf 12V --rated 13V --rated-current 1A --capacitance 1m --load 1A",
        "rectifier --emf 12V --resistance 0.4 --capacitance 1m --load 1A --bridge --half-wave",
        "regulator --r1 0",
        "regulator --volts 1V",
        "feedback --reference 2.5",
        "feedback --pair 10k",
        "feedback --reference 2 --upper 1k --lower 1k --fixed 1k --across middle",
        "stack --unit 24V",
        "dummy-load --volts 12V --current -1A",
        "heat-sink --power 400W --junction 0.7",
        "derating --curve 50=6A --temperature 60",
        "fan --power 30W --still 1 --blown 2 --capacity 200 --on 60 --off 50",
        "ntc --resistance 10k",
        "discharge --capacitance 100u --start 4V --resistance 1k",
        "pwm-dac --supply 3.3V --frequency 1k --bits 99 --resistance 1k --capacitance 1u",
    ],
)
def test_bad_input_is_one_sentence(tensimeter, words: str) -> None:
    code, out, err = tensimeter("size", *words.split())
    assert code == 2
    assert out == ""
    assert len(err.strip().splitlines()) == 1
    assert err.strip().endswith(".")


def test_a_soaks_log_is_forecast(tensimeter, tmp_path) -> None:
    log = tmp_path / "soak.csv"
    rows = ["time [min];temp sink [degC];ambient"]
    for k in range(120):
        # 50 K with 20 minutes over a room of 21.5 °C, written with decimal commas.
        celsius = 21.5 + 50 * (1 - math.exp(-k / 20)) + 0.05 * math.sin(2.3 * k)
        rows.append(f"{k};{celsius:.2f};21.5".replace(".", ","))
    log.write_text("\n".join(rows))
    found = json.loads(tensimeter("analyse", "soak", log, "--limit", "80", "--json")[1])
    assert found["final_C"]["low"] < 71.5 < found["final_C"]["high"]
    assert found["time_constant_s"]["value"] == pytest.approx(1200, rel=0.03)
    assert found["minutes_to_limit"] is None
    assert found["steady"] is True
    assert found["runaway"] is False
    assert found["order"] == 1
    short = tmp_path / "short.csv"
    short.write_text("\n".join(rows[:30]))
    found = json.loads(tensimeter("analyse", "soak", short, "--limit", "65", "--order", "1", "--json")[1])
    # 43.5 of 50 K: 20 min times ln(50/6.5), 28 minutes gone already.
    left = 20 * math.log(50 / 6.5) - 28
    assert found["minutes_to_limit"]["low"] < left < found["minutes_to_limit"]["high"]
    assert not found["steady"]
    given = ("--ambient", "21.5", "--steady", "0.01", "--json")
    warm = json.loads(tensimeter("analyse", "soak", log, *given)[1])
    assert not warm["steady"]


def test_a_certified_set_of_one_exponential(tensimeter, tmp_path) -> None:
    log = tmp_path / "misra.csv"
    x, y = MISRA[:2]
    log.write_text("t,temp\n" + "\n".join(f"{a},{b}" for a, b in zip(x, y, strict=True)))
    words = ("analyse", "soak", log, "--order", "1", "--ambient", "0", "--start", "0", "--json")
    for more in ((), ("--load-on", "0s")):
        found = json.loads(tensimeter(*words, *more)[1])
        assert found["final_C"]["value"] == pytest.approx(238.94212918, rel=1e-7)
        assert 1 / found["time_constant_s"]["value"] == pytest.approx(5.5015643181e-04, rel=1e-6)


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("--order", "3"), "no order"),
        (("--temp", "case"), "no temperature “case”"),
        (("--ambient", "warm"), "not a number"),
    ],
)
def test_a_soak_that_can_not_be_read(tensimeter, tmp_path, words, said: str) -> None:
    log = tmp_path / "log.csv"
    log.write_text("t,temp\n" + "\n".join(f"{k},{20 + k}" for k in range(9)))
    code, _, err = tensimeter("analyse", "soak", log, *words)
    assert code == 2
    assert said in err
    log.write_text("t,volts\n1,2\n")
    assert "no column of temperatures" in tensimeter("analyse", "soak", log)[2]


def test_sizes_by_what_a_soak_has_shown(tensimeter, tmp_path) -> None:
    path = tmp_path / "ridge.tensi"
    log = Log(demo_job("ridge-pier"), Soak(id="hot", output="mount", stages=(1.0,)))
    soaked(log, 1.5, (5.6, 6.2), every=40.0)
    with JobFile.create(path, log.job) as file:
        file.begin_run("hot", {})
        file.keep([r._replace(id=None) for r in log.readings])
    sink = json.loads(tensimeter("size", "heat-sink", "--fitted", path, "--json")[1])
    assert sink["mounting_K_per_W"]["low"] < 5.6 < sink["mounting_K_per_W"]["high"]
    # 105 °C at the junction, 20 °C in the room: what 8.18 W leave for the sink.
    assert sink["sink_K_per_W"] == pytest.approx(85 / 8.18 - 0.9 - 5.6, rel=0.1)
    assert "sink that is there" in sink["warnings"][0]
    ranked = json.loads(tensimeter("size", "derating", "--fitted", path, "--json")[1])
    assert ranked["remedies"][0]["change"].startswith("its mounting as designed, 2 K/W")
    assert ranked["remedies"][0]["buys_K"] == pytest.approx(8.18 * 3.6, rel=0.1)
    fan = json.loads(
        tensimeter("size", "fan", "--fitted", path, "--on", "50", "--off", "42", "--blown", "2", "--json")[1]
    )
    assert fan["state"] == "hunts"
    table = json.loads(
        tensimeter("size", "ntc", "--fitted", path, "--resistance", "10k", "--beta", "3950", "--json")[1]
    )["table"]
    assert table[0]["temperature_C"] == pytest.approx(20 + 8.18 * 6.2, abs=2)
    assert table[1]["temperature_C"] == pytest.approx(105 - 8.18 * 6.5, abs=3)
    for kind in ("heat-sink", "derating"):
        assert tensimeter("size", kind)[0] == 2
    assert "no soak" in tensimeter("size", "heat-sink", "--fitted", _empty(tmp_path))[2]


def _empty(folder):
    path = folder / "empty.tensi"
    JobFile.create(path, demo_job("ridge-pier")).close()
    return path
