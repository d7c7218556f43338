"""What the lines of a ripple spectrum are: mains, switching, their multiples and beats."""

from collections.abc import Sequence

from msgspec import Struct

#: The mains may be off its nominal by this share; a stated switching frequency by that.
MAINS_SHARE, SWITCHING_SHARE = 0.01, 0.1
#: Highest multiple of the mains that is named, and the lowest frequency that may be a converter's.
MOST_MAINS, LEAST_SWITCHING_HZ = 12, 2000.0


class Named(Struct, frozen=True):
    """A name for each line, empty where it can't be told, and what the record can't show."""

    names: tuple[str, ...]
    warnings: tuple[str, ...]


def name_lines(
    lines_Hz: Sequence[float], rate_Hz: float, samples: int, mains_Hz: float, switching_Hz: float | None
) -> Named:
    """Name lines given strongest first, in Hz.

    The mains' and the switching's own frequencies are taken from the lines themselves, as both stray from
    their nominal. A switching frequency beyond half the sample rate is never given a name: it would be
    folded to a line that looks like another.
    """
    width = rate_Hz / samples
    warnings: list[str] = []
    mains = _own(lines_Hz, mains_Hz, MAINS_SHARE, width, (2, 1)) or mains_Hz
    switching = None
    word = "switching"
    if switching_Hz is None:
        word = "switching, or an alias of it"
        switching = next(
            (f for f in lines_Hz if f >= LEAST_SWITCHING_HZ and not _mains(f, mains, width)), None
        )
        warnings.append(
            "No switching frequency was given: a line may be the alias of one beyond "
            f"{rate_Hz / 2:.4g} Hz. Give it, or repeat at another sample rate."
        )
    elif switching_Hz * (1 + SWITCHING_SHARE) >= rate_Hz / 2:
        warnings.append(
            f"{rate_Hz:.4g} samples a second can't see switching at {switching_Hz:.4g} Hz: it is folded onto "
            "other lines, and lines without a name may be it. Take the record faster."
        )
    else:
        switching = _own(lines_Hz, switching_Hz, SWITCHING_SHARE, width, (1,))
    return Named(tuple(_name(f, mains, switching, word, width) for f in lines_Hz), tuple(warnings))


def _own(
    lines: Sequence[float], nominal: float, share: float, width: float, multiples: tuple[int, ...]
) -> float | None:
    """The frequency itself, from the strongest line at one of its multiples."""
    for m in multiples:
        for f in lines:
            if abs(f - m * nominal) <= share * m * nominal + 0.5 * width:
                return f / m
    return None


def _mains(f: float, mains: float, width: float) -> int:
    """Which multiple of the mains a line is; 0 for none, or where bins are too wide to tell."""
    m = round(f / mains)
    near = abs(f - m * mains) <= min(1e-3 * f + 0.5 * width, 0.2 * mains)
    return m if 1 <= m <= MOST_MAINS and near and width <= mains else 0


def _name(f: float, mains: float, switching: float | None, word: str, width: float) -> str:
    m = _mains(f, mains, width)
    if m:
        return "mains" if m == 1 else f"{m} × mains"
    if switching is None:
        return ""
    m = max(round(f / switching), 1)
    off = f - m * switching
    own = word if m == 1 else f"{m} × {word}"
    if abs(off) <= 2e-4 * f + 0.5 * width:
        return own
    beat = _mains(abs(off), mains, width)
    return f"{own} {'+' if off > 0 else '−'} {beat} × mains" if beat else ""
