"""A part in two lines, and its rating as a figure to draw."""

from collections.abc import Callable
from typing import Any

from tensimeter.core.electrical.battery import nominal_V
from tensimeter.core.parts.kinds import Battery, Converter, Donor, ElectronicLoad, Part
from tensimeter.core.quantity import show


def summary(part: Part) -> tuple[str, str]:
    """The ratings of a part in two lines."""
    return _LINES[part.kind](part)


def rated(part: Part) -> tuple[float, float, float] | None:
    """Volts, amps and watts that bound what a part gives or sinks; None for what gives nothing."""
    if isinstance(part, Donor):
        return part.no_load_V, part.rated_A, part.rated_W
    if isinstance(part, Battery):
        volts = nominal_V(part)
        return volts, part.rated_A, volts * part.rated_A
    if isinstance(part, Converter):
        return part.out_max_V, part.rated_A, part.rated_W or part.rated_A * part.out_max_V
    if isinstance(part, ElectronicLoad):
        return part.max_V, part.max_A, part.max_W
    return None


def _donor(p: Any) -> tuple[str, str]:
    family = "" if p.family == "enclosed" else f"{p.family}, "
    resistance = show(p.output_resistance_ohm, "ohm")
    return (
        f"{p.no_load_V:g} V  {p.rated_A:g} A  {p.rated_W:g} W",
        f"{family}± {p.tolerance * 100:g} %, {resistance}",
    )


def _rails(p: Any) -> tuple[str, str]:
    least = min(p.combined, key=lambda c: c.watts, default=None)
    watts = f"{' + '.join(least.rails)} together {least.watts:g} W" if least else "combined limits not known"
    return "  ".join(f"{r.name} {r.rated_A:g} A" for r in p.rails[:3]), watts


def _transformer(p: Any) -> tuple[str, str]:
    taps = " / ".join(f"{v:g}" for v in p.tap_V)
    reservoir = f"{show(p.capacitance_F, 'F')} {p.capacitor_V:g} V"
    return f"{taps} V rms  {p.rated_A:g} A", f"{p.topology.replace('_', ' ')}, {reservoir}"


def _battery(p: Any) -> tuple[str, str]:
    board = "protection board" if p.board else "no protection board"
    return f"{nominal_V(p):g} V  {p.capacity_Ah:g} Ah  {p.rated_A:g} A", (
        f"{p.chemistry.replace('_', ' ')}, {p.cells} cells, {board}"
    )


def _converter(p: Any) -> tuple[str, str]:
    words = p.topology.replace("_", "-")
    return (
        f"{words}, {p.out_min_V:g}–{p.out_max_V:g} V  {p.rated_A:g} A",
        f"input to {p.in_max_V:g} V, drops {p.dropout_V:g} V",
    )


def _panel_meter(p: Any) -> tuple[str, str]:
    return (
        f"to {p.reads_V:g} V  {p.reads_A:g} A",
        f"runs from {p.supply_min_V:g}–{p.supply_max_V:g} V, shunt in the {p.shunt_in}",
    )


def _device(p: Any) -> tuple[str, str]:
    low = "?" if p.lowest_V is None else f"{p.lowest_V:g}"
    high = "?" if p.highest_V is None else f"{p.highest_V:g}"
    return f"draws {p.draws_A:g} A", f"stands {low}–{high} V" + (", steep" if p.steep else "")


def _meter(p: Any) -> tuple[str, str]:
    volts = [r for r in p.ranges if r.quantity == "V"]
    if not volts:
        return "no range for volts", ""
    return "volts " + ", ".join(f"{r.full_scale:g}" for r in volts), volts[0].accuracy.text()


def _load(p: Any) -> tuple[str, str]:
    guard = "has a watchdog" if p.watchdog else "no watchdog"
    return f"{p.max_V:g} V  {p.max_A:g} A  {p.max_W:g} W", f"{' '.join(p.modes)}, {guard}"


_LINES: dict[str, Callable[[Any], tuple[str, str]]] = {
    "donor": _donor,
    "rails": _rails,
    "transformer": _transformer,
    "battery": _battery,
    "converter": _converter,
    "fuse": lambda p: (f"{p.rated_A:g} A {p.speed}", f"breaks {p.rated_V:g} V DC"),
    "lead": lambda p: (
        f"{p.length_m:g} m  {p.area_mm2:.3g} mm²",
        f"{show(p.measured_ohm, 'ohm')} measured"
        if p.measured_ohm
        else f"{show(p.contact_ohm, 'ohm')} a contact",
    ),
    "wire": lambda p: (f"{p.area_mm2:.3g} mm²", f"insulation to {p.insulation_C:g} °C"),
    "connector": lambda p: (
        f"{p.contacts} × {p.contact_A:g} A a leg",
        f"{show(p.contact_ohm, 'ohm')} a contact",
    ),
    "panel_meter": _panel_meter,
    "fan": lambda p: (
        f"{p.rated_V:g} V  {p.rated_A:g} A",
        f"{p.flow_m3_h:g} m³/h, starts at {p.start_V:g} V",
    ),
    "heat_sink": lambda p: (
        f"{p.still_K_W:g} K/W in still air",
        f"{p.blown_K_W:g} K/W with a fan" if p.blown_K_W else f"{p.capacity_J_K:g} J/K",
    ),
    "load": _load,
    "resistor": lambda p: (f"{show(p.resistance_ohm, 'ohm')}  {p.rated_W:g} W", "follows the volts"),
    "lamp": lambda p: (
        f"{p.rated_V:g} V  {p.rated_W:g} W",
        f"cold {p.cold_factor:g} times its {show(p.rated_W / p.rated_V, 'A')}",
    ),
    "motor": lambda p: (f"{p.rated_V:g} V  {p.rated_A:g} A", f"starts at {p.start_factor:g} times that"),
    "device": _device,
    "meter": _meter,
    "thermometer": lambda p: (f"± {p.accuracy_K:g} K", f"shows {p.resolution_K:g} K"),
    "oscilloscope": lambda p: (
        f"{show(p.bandwidth_Hz, 'Hz')}  {show(p.sample_Hz, '')}/s",
        "clip is earthed" if p.earthed else "floats",
    ),
    "line-source": lambda p: (f"to {p.most_V:g} V", f"{p.most_W:g} W"),
    "clamp": lambda p: (f"to {p.most_A:g} A", p.amps.text()),
}
