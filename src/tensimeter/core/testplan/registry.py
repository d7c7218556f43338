"""Every kind of test by its key, in the order in which a campaign takes them.

Nothing asks more of a supply than what came before has shown: no load, then part loads, then full ones and
several, then what waveforms tell, then past its limits.
"""

from collections.abc import Iterator, Mapping
from importlib import import_module

from tensimeter.core.model.test_record import TestRecord
from tensimeter.core.testplan.kind import TestKind

#: Where each kind is, by its module and name in this package.
_WHERE = {
    "tolerance": "volts.ToleranceKind",
    "minimum-load": "along_load.MinimumLoadKind",
    "load-regulation": "along_load.LoadRegulationKind",
    "efficiency": "along_load.EfficiencyKind",
    "line-regulation": "volts.LineRegulationKind",
    "reach": "volts.ReachKind",
    "cross-regulation": "volts.CrossRegulationKind",
    "outlets": "several.OutletsKind",
    "claimed-found": "several.ClaimedFoundKind",
    "ripple": "waves.RippleKind",
    "transient": "waves.TransientKind",
    "own-load": "own_load.OwnLoadKind",
    "real-device": "along_load.RealDeviceKind",
    "start-up": "waves.StartUpKind",
    "capacity": "along_load.CapacityKind",
    "fan": "cooling.FanKind",
    "sensor": "cooling.SensorKind",
    "soak": "soaks.SoakKind",
    "over-voltage": "overload.OverVoltageKind",
    "current-limit": "overload.OverloadKind",
    "short-circuit": "overload.ShortCircuitKind",
    "over-temperature": "cooling.OverTemperatureKind",
    "endurance": "soaks.EnduranceKind",
}


class _Kinds(Mapping[str, TestKind[TestRecord]]):
    """Each kind is loaded when it is first asked for: a window starts sooner for it."""

    def __init__(self) -> None:
        self._loaded: dict[str, TestKind[TestRecord]] = {}

    def __getitem__(self, key: str) -> TestKind[TestRecord]:
        if key not in self._loaded:
            module, name = _WHERE[key].split(".")
            kind: TestKind[TestRecord] = getattr(
                import_module(f"tensimeter.core.testplan.kinds.{module}"), name
            )()
            self._loaded[key] = kind
        return self._loaded[key]

    def __iter__(self) -> Iterator[str]:
        return iter(_WHERE)

    def __len__(self) -> int:
        return len(_WHERE)


KINDS = _Kinds()


def rank(kind: str) -> int:
    """Where a kind stands in the order of a campaign."""
    return list(_WHERE).index(kind)


def kind_of(test: TestRecord) -> TestKind[TestRecord]:
    """The kind that a test is of."""
    return KINDS[test.kind]
