"""Every kind of test by its key, in the order in which a campaign takes them.

Nothing asks more of a supply than what came before has shown: no load, then part loads, then full ones and
several, then what waveforms tell, then past its limits.
"""

from tensimeter.core.campaign.along_load import (
    CapacityKind,
    EfficiencyKind,
    LoadRegulationKind,
    MinimumLoadKind,
    RealDeviceKind,
)
from tensimeter.core.campaign.overload import OverloadKind, OverVoltageKind, ShortCircuitKind
from tensimeter.core.campaign.several import ClaimedFoundKind, OutletsKind
from tensimeter.core.campaign.step import Kind
from tensimeter.core.campaign.volts import CrossRegulationKind, LineRegulationKind, ReachKind, ToleranceKind
from tensimeter.core.campaign.waves import RippleKind, StartUpKind, TransientKind

KINDS: dict[str, Kind] = {
    "tolerance": ToleranceKind(),
    "minimum-load": MinimumLoadKind(),
    "load-regulation": LoadRegulationKind(),
    "efficiency": EfficiencyKind(),
    "line-regulation": LineRegulationKind(),
    "reach": ReachKind(),
    "cross-regulation": CrossRegulationKind(),
    "outlets": OutletsKind(),
    "claimed-found": ClaimedFoundKind(),
    "ripple": RippleKind(),
    "transient": TransientKind(),
    "real-device": RealDeviceKind(),
    "start-up": StartUpKind(),
    "capacity": CapacityKind(),
    "over-voltage": OverVoltageKind(),
    "current-limit": OverloadKind(),
    "short-circuit": ShortCircuitKind(),
}


def rank(kind: str) -> int:
    """Where a kind stands in the order of a campaign."""
    return list(KINDS).index(kind)
