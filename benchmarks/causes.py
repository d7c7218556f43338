"""How often the right cause stands first: seeded supplies with one hidden fault each, and healthy ones.

python -m benchmarks.causes [FAULTY] [HEALTHY] [SEED]
"""

import sys
from collections import Counter
from collections.abc import Callable

import numpy as np
from msgspec.structs import asdict, replace

from tensimeter.core.circuit.along_path import drop_of, joints_of
from tensimeter.core.circuit.network import build, sampled
from tensimeter.core.electrical.elements import Network, Series
from tensimeter.core.electrical.solver import solve
from tensimeter.core.heat_design.measuring_points import chain
from tensimeter.core.measurement.conformity import Accuracy, Interval
from tensimeter.core.model.instruments import accuracy_of, display_of
from tensimeter.core.model.job import Job
from tensimeter.core.parts.connector import Connector
from tensimeter.core.path import ConnectorLink
from tensimeter.core.rating.fan_cooling import resting_speed
from tensimeter.core.testplan.step import panel_of
from tensimeter.core.tuning.causes import Causes, found_in
from tensimeter.core.tuning.evidence import Spread
from tensimeter.core.tuning.foretold import Foretold
from tensimeter.core.tuning.heat import THETA, theta_figure
from tensimeter.core.tuning.next_reading import PLAIN_AMMETER
from tensimeter.core.tuning.observed import Observation, Observed, ammeter_of, meter_of
from tensimeter.demo.library import demo_job, demo_names

SHARES = (0.0, 0.25, 0.5, 0.75, 1.0)


def jobs() -> list[Job]:
    """The demo supplies; the shutter of the dome hangs on a plug of two contacts a leg."""
    found = [demo_job(name) for name in demo_names()]
    for k, job in enumerate(found):
        if job.name.startswith("Finisher"):
            # Little headroom, and a fan that always turns.
            job = job.with_fields(
                stock=tuple(
                    p.with_fields(out_max_V=30, sink_blown_K_W=0.5) if p.id == "linear" else p
                    for p in job.stock
                ),
                design=job.design.with_fields(
                    links=tuple(
                        x.with_fields(set_V=24.0)
                        if x.id == "regulator"
                        else x.with_fields(nominal_V=24.0)
                        if x.id == "bath"
                        else x.with_fields(control="always")
                        if x.id == "fan"
                        else x
                        for x in job.design.links
                    )
                ),
            )
        leads = [x for x in job.design.links if x.kind == "lead"]
        plug = Connector(id="plug-3", name="Plug, 2 a leg", contacts=2, contact_ohm=0.012, contact_A=8)
        link = ConnectorLink(id="plug", name="Plug", part="plug-3", fed_by=leads[0].fed_by)
        links = []
        for x in job.design.links:
            if x.id == leads[0].id:
                links += [link, x.with_fields(fed_by="plug")]
            else:
                links.append(x)
        found[k] = job.with_fields(
            stock=(*job.stock, plug), design=job.design.with_fields(links=tuple(links))
        )
    return found


def asked(job: Job) -> Observed:
    """What a builder reads: each output over its load, its display, and along its path at full load."""
    outputs = job.design.outputs()
    figures: list[Observation] = []
    loads: dict[str, list[float]] = {o.id: [] for o in outputs}
    meter = job.campaign.voltmeter or ""
    case = -1

    def of(place: str, nominal: float) -> Observation:
        return Observation(place, "V", nominal, accuracy_of(job, meter, "V", nominal, 0.001)[0], meter, case)

    for o in outputs:
        for share in SHARES:
            case += 1
            for other, column in loads.items():
                column.append(share * o.full_load_A if other == o.id else 0.0)
            figures.append(of(o.id, o.nominal_V))
            shown = [display_of(job, o.id, q) for q in ("V", "A")]
            if shown[0][1] is not None:
                by = shown[0][1]
                figures.append(Observation(panel_of(o.id), "V", o.nominal_V, shown[0][0], by, case))
                figures.append(Observation(panel_of(o.id), "A", o.full_load_A, shown[1][0], by, case))
            if share in (0.0, 1.0):
                path = job.design.path_to(o.id)[:-1]
                figures += [of(x.id, o.nominal_V) for x in path]
                if share:
                    dropping = [x for x in path if x.kind not in ("unit", "converter", "either")]
                    figures += [of(drop_of(x.id), 0.1) for x in dropping]
                    figures += [of(joints_of(x.id), 0.1) for x in dropping if x.kind == "lead"]
    arrays = {o: np.array(c) for o, c in loads.items()}
    for x in job.design.links:
        stages = chain(job, x.id) if x.kind == "converter" else None
        if stages is not None and any(x.id in [y.id for y in job.design.path_to(o.id)] for o in outputs):
            for stage in ("case", "sink"):
                theta = stages.theta_K_W[stage]
                figures.append(theta_figure(x.id, stage, Interval(theta, 0.88 * theta, 1.12 * theta)))
    return Observed(tuple(figures), arrays, ammeter_of(job), (), frozenset(loads))


class Truth:
    """A supply as it really is, and meters as they really err: figures are read of it."""

    def __init__(self, job: Job, rng: np.random.Generator) -> None:
        self.job, self.rng = job, rng
        self.network: Network = _drawn(job, rng)
        self.errors: dict[tuple[str, ...], tuple[float, float]] = {}
        self.load_gain = 0.0
        self.lead_ohm = 0.0
        self.missing = ""
        self.theta: dict[str, float] = {}
        self.gain_of: dict[str, float] = {}
        self.swap: dict[str, str] = {}
        self.idle: tuple[str, float, float] | None = None

    def true(self, seen: Observed) -> np.ndarray:
        """What stands at each figure."""
        amps = seen.ammeter
        gain, offset = self._error("amps", amps)
        loads = {
            o: np.where(a > 0, a * (1 + self.load_gain + gain) + offset, 0.0) for o, a in seen.loads.items()
        }
        swapped = {self.swap.get(o, o): a for o, a in loads.items()}
        figures = tuple(
            replace(f, place=self.swap.get(f.place, f.place)) if f.quantity == "V" else f
            for f in seen.figures
        )
        model = Foretold.__new__(Foretold)
        model.job, model.seen, model.network = self.job, replace(seen, figures=figures), self.network
        network = self.network
        if self.idle:
            link, least, size = self.idle
            at = solve(network, swapped)
            low = at.whole(at[link].I) < least
            network = network.with_values({(link, "emf"): network[link].emf * (1 + size * low)})
        found = model._read(network, solve(network, swapped))
        for k, f in enumerate(seen.figures):
            if f.quantity == THETA:
                if f.place not in self.theta:
                    self.theta[f.place] = found[k] + 0.17 * self.rng.standard_normal()
                found[k] = self.theta[f.place] + np.log(self.gain_of.get(f.place, 1.0))
            if f.place.endswith("-least"):
                found[k] *= (
                    0.0 if self.missing == f.place.removesuffix("-least") else self.rng.uniform(0.6, 1.4)
                )
            if f.place in seen.loads and f.quantity == "V":
                found[k] -= self.lead_ohm * loads[f.place][f.case]
        return found

    def _error(self, key: str, accuracy: Accuracy) -> tuple[float, float]:
        known = (key, str(accuracy.resolution))
        if known not in self.errors:
            a, b = self.rng.uniform(-1, 1, 2)
            self.errors[known] = (a * accuracy.of_reading, b * accuracy.offset)
        return self.errors[known]

    def read(self, seen: Observed) -> Observed:
        """The figures as they are read."""
        figures = []
        for f, true in zip(seen.figures, self.true(seen).tolist(), strict=True):
            gain, offset = self._error(f.meter + f.quantity, f.accuracy)
            key = f.place + f.quantity if f.place.endswith("-panel") else f.meter
            if f.quantity == THETA:
                key = ""
            value = true * (1 + gain + self.gain_of.get(key, 0.0)) + offset
            value += f.accuracy.noise_counts * f.accuracy.resolution * self.rng.standard_normal()
            figures.append(replace(f, value=round(value / f.accuracy.resolution) * f.accuracy.resolution))
        return replace(seen, figures=tuple(figures))


def _drawn(job: Job, rng: np.random.Generator) -> Network:
    drawn = sampled(build(job), job, rng, 1)
    made = []
    for e in drawn.elements:
        plain = {
            k: float(v[0, 0] if v.ndim == 2 else v[0])
            for k, v in asdict(e).items()
            if isinstance(v, np.ndarray) and v.size == 1 and v.ndim
        }
        link = next((x for x in job.design.links if x.id == e.id), None)
        part = job.part(link.part) if link else None
        if isinstance(e, Series) and e.curve is not None:
            share = 1 + rng.uniform(-1, 1) * getattr(part, "tolerance", 0.0)
            e = replace(part.at_line(job, link, share), id=e.id)
        made.append(replace(e, **plain))
    return Network(tuple(made))


Fault = Callable[[Truth, float], None]


def faults(job: Job) -> list[tuple[str, str, tuple[float, float], Fault]]:
    """Every fault that a job can have: key, link, between which sizes it is looked for, how it is made."""
    found: list[tuple[str, str, tuple[float, float], Fault]] = []

    def scaled(link: str, field: str) -> Fault:
        def make(t: Truth, size: float) -> None:
            e = t.network[link]
            t.network = t.network.with_values({(link, field): getattr(e, field) * size})

        return make

    def added(link: str, field: str) -> Fault:
        def make(t: Truth, size: float) -> None:
            e = t.network[link]
            t.network = t.network.with_values({(link, field): getattr(e, field) + size})

        return make

    def missing(link: str, fault: Fault) -> Fault:
        def make(t: Truth, size: float) -> None:
            fault(t, size)
            t.missing = link

        return make

    def source(link: str, made: Callable[[Job, float], Series]) -> Fault:
        def make(t: Truth, size: float) -> None:
            e = made(t.job, size)
            t.network = Network(tuple(replace(e, id=link) if x.id == link else x for x in t.network.elements))

        return make

    feeding = {x.id for o in job.design.outputs() for x in job.design.path_to(o.id)}
    for x in job.design.links:
        part = job.part(x.part)
        if x.id not in feeding:
            continue
        if x.kind in ("lead", "fuse", "connector"):
            found.append(("contact", x.id, (5e-4, 0.8), added(x.id, "contact")))
        if x.kind == "connector":
            found.append(("wire_missing", x.id, (2.0, 2.0), missing(x.id, scaled(x.id, "contact"))))
        if x.kind == "lead":
            found.append(("other_length", x.id, (1.05, 2.8), scaled(x.id, "resistance")))
            found.append(("other_length", x.id, (0.95, 0.35), scaled(x.id, "resistance")))
        if x.kind == "converter":
            found.append(("no_load_volts", x.id, (1.003, 1.19), scaled(x.id, "set_V")))
            found.append(("no_load_volts", x.id, (0.997, 0.81), scaled(x.id, "set_V")))
        if x.kind == "converter":
            low = x.id
            volts = float(solve(build(job), {})[x.id].V_in) - x.set_V
            if volts < 9.5:
                found.append(
                    ("dropout", low, (max(volts - part.dropout_V - 3, 0.3), 9.5), added(low, "dropout_V"))
                )
        if x.kind == "unit" and part.kind == "rails":
            rail = part.rail(x.rail)
            if rail.wires > 1:
                more = 0.03 * (1 / (rail.wires - 1) - 1 / rail.wires)
                found.append(("wire_missing", x.id, (more, more), missing(x.id, added(x.id, "contact"))))
            if rail.minimum_A:

                def idle(t: Truth, size: float, x=x, rail=rail) -> None:
                    t.idle = (x.id, rail.minimum_A, size)

                for sign in (-1, 1):
                    found.append(("minimum_load", x.id, (sign * 0.005, sign * 0.14), idle))
        if x.kind == "unit" and part.kind in ("donor", "rails"):
            found.append(("no_load_volts", x.id, (1.003, 1.19), scaled(x.id, "emf")))
            found.append(("no_load_volts", x.id, (0.997, 0.81), scaled(x.id, "emf")))
            found.append(("source_ohms", x.id, (1.2, 11.0), scaled(x.id, "resistance")))
        if x.kind == "unit" and part.kind == "transformer":
            found.append(
                ("mains_low", x.id, (0.96, 0.81), source(x.id, lambda j, s, x=x, p=part: p.at_line(j, x, s)))
            )
            found.append(
                (
                    "wrong_tap",
                    x.id,
                    (0, 0),
                    source(x.id, lambda j, s, x=x, p=part: p.at_line(j, x.with_fields(tap=0), 1.0)),
                )
            )
            found.append(
                (
                    "weak_reservoir",
                    x.id,
                    (0.8, 0.05),
                    source(
                        x.id,
                        lambda j, s, x=x, p=part: p.with_fields(capacitance_F=p.capacitance_F * s).at_line(
                            j, x, 1.0
                        ),
                    ),
                )
            )

    def set_gain(t: Truth, size: float) -> None:
        t.gain_of[job.campaign.voltmeter] = size

    def set_load(t: Truth, size: float) -> None:
        t.load_gain = size

    def set_lead(t: Truth, size: float) -> None:
        t.lead_ohm = size

    for f in asked(job).figures:
        if f.quantity == THETA:
            link, _, stage = f.place.partition("-theta-")

            def worse(t: Truth, size: float, place: str = f.place) -> None:
                t.gain_of[place] = size

            # A sink that is as bad as with its fan off is told apart by looking at the fan alone.
            if stage == "case" or not resting_speed(job):
                found.append(("pad" if stage == "case" else "sink", link, (1.2, 11.0), worse))
            still = chain(job, link, 0.0)
            if stage == "sink" and resting_speed(job) > 0:
                ratio = still.theta_K_W["sink"] / chain(job, link).theta_K_W["sink"]

                def off(t: Truth, size: float, place: str = f.place, ratio: float = ratio) -> None:
                    t.gain_of[place] = ratio

                found.append(("fan_off", link, (1, 1), off))
    for sign in (-1, 1):
        found.append(("meter_gain", job.campaign.voltmeter, (sign * 1e-3, sign * 0.2), set_gain))
        found.append(("load_gain", job.campaign.ammeter, (sign * 2e-3, sign * 0.28), set_load))
    found.append(("two_wire", "load", (1e-3, 0.28), set_lead))
    outputs = job.design.outputs()
    for o in outputs:
        if display_of(job, o.id, "V")[1] is not None:
            for q, what in (("V", "volts"), ("A", "amps")):
                for sign in (-1, 1):

                    def shown(t: Truth, size: float, key: str = panel_of(o.id) + q) -> None:
                        t.gain_of[key] = size

                    found.append(("display_gain", f"{o.id}-panel-{what}", (sign * 2e-3, sign * 0.24), shown))
    for k, a in enumerate(outputs):
        for b in outputs[k + 1 :]:

            def swap(t: Truth, size: float, a: str = a.id, b: str = b.id) -> None:
                t.swap = {a: b, b: a}

            found.append(("swapped", f"{a.id}+{b.id}", (1, 1), swap))
    return found


def sized(
    job: Job, seen: Observed, whole: Foretold, fault: Fault, ends: tuple[float, float], wanted: float
) -> float:
    """The size at which a fault's largest effect is so many times the uncertainty of its reading."""
    half = 1.96 * np.sqrt(whole.sd**2 + np.sum(whole.common**2, axis=1))

    def seen_at(size: float) -> float:
        t = Truth(job, np.random.default_rng(0))
        t.theta = {f.place: f.value for f in seen.figures if f.quantity == THETA}
        t.network, t.errors = build(job), {("amps", str(seen.ammeter.resolution)): (0.0, 0.0)}
        before = t.true(seen)
        fault(t, size)
        after = t.true(seen)
        for k, f in enumerate(seen.figures):
            key = f.place + f.quantity if f.place.endswith("-panel") else f.meter
            key = "" if f.quantity == THETA else key
            after[k] *= 1 + t.gain_of.get(key, 0.0)
        if ends[0] == ends[1]:
            # Of what is there or not: how surely all readings together can tell it.
            return float(np.sqrt(Spread(whole.sd, whole.common).squares(after - before))) / 1.96
        return float(np.max(np.abs(after - before) / half))

    low, high = ends
    if seen_at(high) < 2:
        # Nothing that readings could show.
        return None
    if low == high or seen_at(high) < wanted:
        return high
    if seen_at(low) > wanted:
        return low
    for _ in range(20):
        middle = (low + high) / 2
        low, high = (middle, high) if seen_at(middle) < wanted else (low, middle)
    return high


def read_next(truth: Truth, seen: Observed, found: Causes) -> Observed:
    """What was read, and the reading that was proposed."""
    n = found.next
    assert n is not None
    job = truth.job
    loads = {o: np.append(a, n.amps_A if o == n.output else 0.0) for o, a in seen.loads.items()}
    case = len(next(iter(loads.values()))) - 1
    value = float(np.mean([e[2] for e in n.expected]))
    meter = None if n.other_meter else job.campaign.voltmeter
    accuracy, _ = accuracy_of(job, meter, n.quantity, value, 0.001)
    if n.quantity == "A":
        accuracy = PLAIN_AMMETER
    if n.place.endswith("-panel"):
        accuracy, meter = display_of(job, n.place.removesuffix("-panel"), n.quantity)
    by = meter_of(n.place, meter)
    one = Observed(
        (Observation(n.place, n.quantity, value, accuracy, by, case),), loads, seen.ammeter, (), seen.outputs
    )
    return replace(seen, figures=(*seen.figures, *truth.read(one).figures), loads=loads)


def main() -> None:
    faulty = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    healthy = int(sys.argv[2]) if len(sys.argv) > 2 else 200
    every, plans = jobs(), {}
    for job in every:
        seen = asked(job)
        whole = Foretold(job, seen)
        by_kind: dict[str, list] = {}
        for f in faults(job):
            by_kind.setdefault(f[0], []).append(f)
        plans[job.name] = (seen, whole, by_kind)
    kinds = sorted({k for _, _, by in plans.values() for k in by})
    first, third, after, wrong = Counter(), Counter(), Counter(), Counter()
    of: Counter[str] = Counter()
    said: list[tuple[float, bool]] = []
    rng = np.random.default_rng(int(sys.argv[3]) if len(sys.argv) > 3 else 7)
    k = 0
    while sum(of.values()) < faulty:
        k += 1
        kind = kinds[k % len(kinds)]
        able = [j for j in every if kind in plans[j.name][2]]
        job = able[int(rng.integers(len(able)))]
        seen, whole, by_kind = plans[job.name]
        key, link, ends, fault = by_kind[kind][int(rng.integers(len(by_kind[kind])))]
        size = sized(job, seen, whole, fault, ends, rng.uniform(2, 5))
        while size is None:
            job = able[int(rng.integers(len(able)))]
            seen, whole, by_kind = plans[job.name]
            key, link, ends, fault = by_kind[kind][int(rng.integers(len(by_kind[kind])))]
            size = sized(job, seen, whole, fault, ends, rng.uniform(2, 5))
        truth = Truth(job, rng)
        fault(truth, size)
        got = truth.read(seen)
        found = found_in(job, got)
        right = (key, link)
        names = [(c.key, c.link) for c in found.causes]
        place = names.index(right) if right in names else 99
        of[kind] += 1
        first[kind] += place == 0
        third[kind] += place < 3
        said.append((found.causes[0].probability, place == 0))
        if place:
            c = found.causes[0]
            print(job.name, right, f"{size:.4g}", "->", c.key, c.link, f"{c.probability:.2f}", "at", place)
        if found.next is not None:
            found = found_in(job, read_next(truth, got, found))
        names = [(c.key, c.link) for c in found.causes]
        after[kind] += names[0] == right
        wrong[kind, names[0][0]] += names[0] != right
    well = 0
    for _ in range(healthy):
        job = every[int(rng.integers(len(every)))]
        truth = Truth(job, rng)
        got = truth.read(plans[job.name][0])
        found = found_in(job, got)
        well += found.causes[0].key == "healthy"
        said.append((found.causes[0].probability, found.causes[0].key == "healthy"))
    for kind in kinds:
        misses = {b: n for (a, b), n in wrong.items() if a == kind and n}
        counts = f"first {first[kind]:4} third {third[kind]:4} after {after[kind]:4}"
        print(f"{kind:15} {of[kind]:4} {counts} {misses}")
    shares = [sum(c.values()) / max(faulty, 1) for c in (first, third, after)]
    print("first {:.3f}  among three {:.3f}  after the next reading {:.3f}".format(*shares))
    print(f"healthy first {well} of {healthy}")
    for low in np.arange(0.3, 1.0, 0.1):
        inside = [ok for p, ok in said if low <= p < low + 0.1 + 1e-9]
        if inside:
            print(f"said {low:.1f}–{low + 0.1:.1f}: {np.mean(inside):.2f} of {len(inside)} right")


if __name__ == "__main__":
    main()
