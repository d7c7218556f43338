"""What stands before the builder at each stage: hold points and cautions."""

from collections.abc import Callable, Sequence
from functools import partial
from typing import Literal

from msgspec.structs import replace

from tensimeter.core.errors import UserError
from tensimeter.core.guarded import guarded
from tensimeter.core.measurement.readings import Reading, real_ones
from tensimeter.core.model.job import Job
from tensimeter.core.notice import Notice
from tensimeter.core.procedure.build_notices import build_notices
from tensimeter.core.procedure.design_notices import design_notices
from tensimeter.core.procedure.part_notices import part_notices, stock_notices
from tensimeter.core.procedure.prove_notices import prove_notices


def notices(job: Job, readings: Sequence[Reading] = ()) -> list[Notice]:
    """What to mind before going on, over all stages, the gravest first."""
    makers: tuple[tuple[str, Callable[[], list[Notice]]], ...] = (
        ("stock", lambda: stock_notices(job)),
        ("design", lambda: design_notices(job)),
        ("design", lambda: part_notices(job)),
        ("assemble", lambda: build_notices(job, readings)),
        ("prove", lambda: prove_notices(job, readings)),
    )
    found = []
    for number, (stage, make) in enumerate(makers):
        found += guarded("What to mind here", make, partial(_failed, number, stage))
    reasons = {o.hold: o.reason for o in job.overruled}
    found = [replace(n, overruled=reasons.get(n.id, "")) for n in together(job, found)]
    order = {"miss": 0, "hold": 1, "caution": 2}
    return sorted(found, key=lambda n: order[n.kind])


def together(job: Job, found: list[Notice]) -> list[Notice]:
    """Cautions that say the same of several units as one, with all their names."""
    names = {x.id: x.name for x in job.design.links}
    groups: dict[tuple[str, ...], list[Notice]] = {}
    for n in found:
        own = names.get(n.link or "", "")
        same = (
            (n.kind, n.stage, n.title, n.text.replace(own, "…")) if own and n.kind == "caution" else (n.id,)
        )
        groups.setdefault(same, []).append(n)
    made = []
    for first, *more in groups.values():
        if not more:
            made.append(first)
            continue
        own, *others = (names[n.link or ""] for n in (first, *more))
        made.append(replace(first, text=f"{first.text} The same of {' and of '.join(others)}."))
    return made


def _failed(number: int, stage: str, sentence: str) -> list[Notice]:
    """Holds that can't be told must not be passed over: one of its own stands until it is overruled."""
    kind: Literal["hold", "caution"] = "hold" if stage in ("assemble", "prove") else "caution"
    # What stands before building stands before first power as well.
    stages = ("assemble", "wake") if stage == "assemble" else (stage,)
    return [Notice(f"failed:{number}:{s}", kind, "Not worked out", sentence, s) for s in stages]


def open_holds(found: Sequence[Notice], stage: str, link: str | None = None) -> list[Notice]:
    """Hold points of a stage (and of one link) that no reading has lifted and nobody overruled."""
    return [
        n
        for n in found
        if n.kind == "hold"
        and n.stage == stage
        and not n.overruled
        and (link is None or n.link in (None, link))
    ]


def must_be_lifted(job: Job, readings: Sequence[Reading], output: str) -> None:
    """UserError while a hold stands before loading an output on a real bench.

    What was read from the practice supply lifts nothing here. A supply that was built elsewhere is a named
    choice of the job: then only the holds of Prove count.
    """
    found = notices(job, real_ones(readings))
    stopping = open_holds(found, "prove", output)
    for stage in ("assemble", "wake"):
        stopping += open_holds(found, stage)
    if stopping:
        raise UserError(
            f"Hold point open: {stopping[0].title}. {stopping[0].text} Or overrule it, with a reason."
        )
