"""A record's fields in words, with their units, as they are shown and typed."""

#: Endings of a field's name and the unit each stands for.
_UNITS = (
    ("_K_W", "K/W"),
    ("_J_K", "J/K"),
    ("_m3_h", "m³/h"),
    ("_ohm", "Ω"),
    ("_F", "F"),
    ("_Hz", "Hz"),
    ("_mm2", "mm²"),
    ("_mm", "mm"),
    ("_dB", "dB"),
    ("_Ah", "Ah"),
    ("_A2", "Ω"),
    ("_V", "V"),
    ("_A", "A"),
    ("_W", "W"),
    ("_C", "°C"),
    ("_K", "K"),
    ("_m", "m"),
    ("_s", "s"),
)
_NAMES = {
    "loss_per_A": ("loss per A", "V"),
    "loss_per_A2": ("loss per A²", "Ω"),
    "box_K_W": ("air inside, box", "K/W"),
    "donor_share": ("donors run at", "%"),
    "fuse_share": ("fuses run at", "%"),
    "high_line": ("high line", "%"),
    "low_line": ("low line", "%"),
    "ready_made": ("a ready-made one, own money", ""),
    "cost": ("cost, own money", ""),
    "tolerance": ("tolerance", "%"),
    "set_tolerance": ("set tolerance", "%"),
    "efficiency": ("efficiency", "%"),
    "regulation_limit": ("regulation limit", "%"),
    "doubt": ("held below the label", "%"),
    "opened": ("its case was opened", ""),
    "bonded": ("negative joined to case", ""),
    "isolation_ohm": ("output to case, measured", "Ω"),
    "beyond": ("beyond its limit", ""),
    "board": ("protection board", ""),
    "spread": ("how far parts stray, rules of thumb", ""),
    "source_ohm": ("sources' ohms", "%"),
    "wire_ohm": ("wires' ohms", "%"),
    "fuse_ohm": ("fuses' ohms", "%"),
    "loss": ("converters' losses", "%"),
    "earthed": ("negative joined to earth", ""),
    "tap": ("tap, 0 the lowest", ""),
    "switch_V": ("taps switched up to", "V"),
    "points": ("points, shares of full load", "%"),
    "lines": ("line, shares of the mains", "%"),
    "stages": ("stages, shares of full load", "%"),
    "share": ("at this share of full load", "%"),
    "allowed": ("allowed change", "%"),
    "allowed_pp": ("allowed p-p, of the volts", "%"),
    "allowed_dip": ("allowed dip, of the volts", "%"),
    "allowed_overshoot": ("allowed overshoot", "%"),
    "allowed_s": ("allowed recovery", "s"),
    "trim": ("left out as spikes, of the time", "%"),
    "band": ("band to recover into", "%"),
    "low": ("steps from, of full load", "%"),
    "high": ("steps to, of full load", "%"),
    "step": ("step near the limit", "%"),
    "beyond_limit": ("asked past the limit", ""),
    "least": ("least efficiency", "%"),
    "rest_s": ("cool down before", "s"),
    "dwell_s": ("wait at a point", "s"),
    "longest_dwell_s": ("wait at most", "s"),
    "set_V": ("set to", "V"),
    "span_V": ("trim must reach, low and high", "V"),
    "exposure_s": ("at most past the limit", "s"),
    "record_s": ("record", "s"),
    "every_s": ("read every", "s"),
    "hold_s": ("hold for", "s"),
    "part_s": ("part load for", "s"),
    "steady_K": ("steady when less is to come than", "K"),
    "stop_when_sure": ("drop the load once a crossing is sure", ""),
    "place": ("temperature read at", ""),
    "link": ("part watched", ""),
    "quiet_dB": ("quiet at idle, at most", "dB"),
    "on_by_C": ("on by", "°C"),
    "most_C": ("stop at the latest at", "°C"),
    "below_C": ("must act below", "°C"),
    "allowed_K": ("may be off by", "K"),
    "sensor": ("sensor, a place of readings", ""),
    "reference": ("reference, a place of readings", ""),
    "lag_s": ("its probe's time constant", "s"),
    "derating": ("derating: °C of the air = % of its rating", ""),
    "hot_derating": ("derating: °C of its hot spot = A", ""),
    "hot_limit_C": ("hottest it may get", "°C"),
    "junction_K_W": ("of that inside the part", "K/W"),
    "case_J_K": ("its case and tab", "J/K"),
    "own_A": ("the load's own draw", "A"),
}
#: Fields that a form leaves out: they are shown and changed elsewhere, or are no figures.
HIDDEN = frozenset({"id", "kind", "origins", "fed_by", "part", "ranges", "efficiencies", "others", "modes"})


def field_words(name: str) -> tuple[str, str]:
    """A field's name in words and its unit.

    >>> field_words("output_resistance_ohm"), field_words("tolerance")
    (('output resistance', 'Ω'), ('tolerance', '%'))
    """
    if name in _NAMES:
        return _NAMES[name]
    for end, unit in _UNITS:
        if name.endswith(end):
            return name.removesuffix(end).replace("_", " "), unit
    return name.replace("_", " "), ""


def field_text(value: object, unit: str) -> str:
    """A field's value as it is shown; per cent where the unit says so."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, tuple):
        return "  ".join(field_text(v, unit) for v in value)
    if isinstance(value, float):
        return f"{value * 100 if unit == '%' else value:.6g}"
    return str(value).replace("_", " ") if isinstance(value, str) else str(value)
