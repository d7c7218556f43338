"""How hard a source is run: the policy's share, and less where its label is doubted."""

from tensimeter.core.parts.part import PartRecord
from tensimeter.core.settings import Policy


def donor_share(policy: Policy, part: PartRecord) -> tuple[float, str]:
    """The share of its rating that a source is run at, and that in words."""
    share = policy.donor_share * part.believed
    note = f"{share * 100:.0f} % of its rating"
    return share, note + (f", {part.doubt * 100:.0f} % off for doubt" if part.doubt else "")
