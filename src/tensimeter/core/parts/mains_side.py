"""The reservoir on the mains side of a source whose case was opened: what hands may meet there."""

from tensimeter.core.parts.source_part import SourcePart, Stored
from tensimeter.core.parts.surroundings import Surroundings
from tensimeter.core.path import Link

#: Volts of a mains-side reservoir behind a power-factor stage, at any mains: the usual 380 to 400 V.
BULK_V = 400.0
#: Mains-side reservoir of a unit where its own was not read off: µF for each watt, a rule of thumb.
BULK_F_PER_W = 1.5e-6


def mains_side(
    part: SourcePart,
    job: Surroundings,
    link: Link,
    rated_W: float,
    bulk_F: float | None = None,
    bulk_V: float | None = None,
) -> Stored | None:
    """What stands on the mains side of an opened unit; None while its case is closed.

    `bulk_F` and `bulk_V` are its own, where they were read off; else a rule of thumb counts, and the most
    volts that such a side holds.
    """
    if not (part.opened or job.policy.donor_case == "opened"):
        return None
    # A doubler, or a stage that corrects the power factor, holds as much at 115 V as at 230 V.
    volts = bulk_V or max(BULK_V, 1.1 * job.settings.mains_V * 2**0.5)
    why = "its mains side, opened"
    why += "" if bulk_V else "; its volts are taken for the most that such a side holds"
    why += "" if bulk_F else "; its size is a rule of thumb"
    return Stored(link.id, link.name, bulk_F or BULK_F_PER_W * rated_W, volts, f"charge-{link.id}", why)
