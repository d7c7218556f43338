"""Units in series: what the stack gives, what its insulation must stand, what its diodes carry."""

from collections.abc import Sequence

from msgspec import Struct, field

from tensimeter.core.errors import UserError

#: Above these volts DC a stack is a hazard to touch (extra-low voltage, IEC 61140, dry conditions).
TOUCHABLE_V = 60.0
#: What a unit may rise to where its trip is not known, times its volts: a rule of thumb.
TRIP_SHARE = 1.3
#: What a unit may drive where its limit is not known, times its amps: a rule of thumb.
LIMIT_SHARE = 1.5


class Unit(Struct, frozen=True):
    """One unit of a stack, from the bottom: V, A, W; tolerance a fraction; trip None where not known."""

    volts: float
    amps: float
    watts: float | None = None
    tolerance: float = 0.01
    trip_V: float | None = None
    limit_A: float | None = None
    tap_A: float = 0.0

    @property
    def highest_V(self) -> float:
        """The most the stage may give before it trips, V."""
        return self.trip_V if self.trip_V is not None else self.volts * TRIP_SHARE


class Stack(Struct, frozen=True):
    """What units in series come to. `unit_A` is what each carries at the stack's full current."""

    no_load_V: float
    lowest_V: float
    highest_V: float
    trip_V: float
    full_A: float
    weakest: int
    unit_A: tuple[float, ...]
    isolation_V: float
    diode_inverse_V: tuple[float, ...]
    diode_A: float
    diode_W: float
    warnings: tuple[str, ...] = field(default=())


def stack(units: Sequence[Unit], share: float = 0.8, diode_V: float = 0.9) -> Stack:
    """Units in series from the bottom up, each with what is tapped at its own positive.

    A tap at a unit's positive flows through that unit and those below it. `share` is how hard a unit is
    run (amps and watts). Any terminal may reach the whole stack's trip volts against earth, floating or
    with the far end faulted to earth: each unit's output must stand that against its case. When a unit
    is down, its reverse diode carries what the others can still drive. Raises UserError for no unit.
    """
    if not units:
        raise UserError("A stack needs units.")
    if any(u.volts <= 0 or u.amps <= 0 or u.tap_A < 0 for u in units):
        raise UserError("Each unit of a stack has volts and amps above zero, and a tap of zero or above.")
    taps = [sum(u.tap_A for u in units[k:-1]) for k in range(len(units))]
    able = [min(u.amps, (u.watts or u.volts * u.amps) / u.volts) * share for u in units]
    left = [a - t for a, t in zip(able, taps, strict=True)]
    weakest = min(range(len(units)), key=lambda k: left[k])
    full = max(left[weakest], 0.0)
    trip = sum(u.highest_V for u in units)
    no_load = sum(u.volts for u in units)
    driven = max(u.limit_A or LIMIT_SHARE * u.amps for u in units)
    warnings = []
    if left[weakest] <= 0:
        warnings.append(f"The taps alone take all that unit {weakest + 1} may carry.")
    strongest = max(a for a in able)
    if strongest > 1.05 * able[weakest]:
        warnings.append(
            f"Unit {weakest + 1} is the weakest: it may carry {able[weakest]:.3g} A, the strongest "
            f"{strongest:.3g} A."
        )
    if sum(u.volts * (1 + u.tolerance) for u in units) > TOUCHABLE_V:
        warnings.append(
            f"More than {TOUCHABLE_V:g} V DC: a hazard to touch; read volts to earth at each end."
        )
    if any(u.trip_V is None for u in units):
        warnings.append(
            f"A trip is not known; {TRIP_SHARE:g} times the unit's volts was taken (rule of thumb)."
        )
    if any(u.limit_A is None for u in units):
        warnings.append(
            f"A limit is not known; the reverse diodes are sized for {LIMIT_SHARE:g} times the unit's amps "
            "(rule of thumb)."
        )
    return Stack(
        no_load_V=no_load,
        lowest_V=sum(u.volts * (1 - u.tolerance) for u in units),
        highest_V=sum(u.volts * (1 + u.tolerance) for u in units),
        trip_V=trip,
        full_A=full,
        weakest=weakest,
        unit_A=tuple(full + t for t in taps),
        isolation_V=trip,
        diode_inverse_V=tuple(u.highest_V for u in units),
        diode_A=driven,
        diode_W=diode_V * driven,
        warnings=tuple(warnings),
    )
