"""What no model of the path foretells: symptoms of a channel, what they point at, what to probe next.

A small Bayesian network: one part is at fault, and each symptom is as likely as its table says, given which.
All figures are rules of thumb, stated here.
"""

from collections.abc import Mapping

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError

#: What may be at fault: how likely beforehand, in words, what is done about it.
FAULTS: dict[str, tuple[float, str, str]] = {
    "supply": (0.16, "what feeds it", "Its fuse, its plug, its rectifier; volts at the input, under load."),
    "joint": (0.20, "a joint or a wire", "Move it gently while you watch; make it anew."),
    "reference": (0.08, "its reference", "Its volts against ground; what loads it."),
    "amplifier": (0.12, "its amplifier", "Both inputs are alike while it regulates."),
    "pass_device": (0.14, "its pass device", "Ω between its ends, mains off, all empty; change it."),
    "trim": (0.12, "a trim or the knob", "Its wiper: turn it through, watch for jumps; clean or change it."),
    "display": (0.12, "its display", "The same read with a meter: the display's plug, its supply, its trim."),
    "loop": (0.06, "a loop that is not stable", "A capacitor across the output, shorter leads, other gain."),
}  # fmt: skip
#: What may be seen or read: in words, and its answers.
SYMPTOMS: dict[str, tuple[str, tuple[str, ...]]] = {
    "output": ("the output is", ("right", "too high", "too low", "noisy", "jumps", "dead")),
    "display": ("the display is", ("right", "wrong", "dead")),
    "knob": ("the knob", ("acts", "acts in jumps", "does nothing")),
    "under_load": ("under load it", ("holds", "sags", "trips at once")),
    "smell": ("it smells, or is hot", ("no", "yes")),
    "at_supply": ("volts at its input are", ("right", "too low", "none")),
    "at_reference": ("volts of its reference are", ("right", "wrong", "none")),
    "at_amplifier": ("the amplifier's output", ("follows", "is at an end", "is noisy")),
    "at_pass_device": ("across the pass device", ("some volts", "nearly none", "all of the input")),
}
#: Answers' likelihood by fault, in the order above; each row sums to one.
_TABLE: dict[str, dict[str, tuple[float, ...]]] = {
    "output": {
        "supply": (0.10, 0.02, 0.35, 0.10, 0.03, 0.40),
        "joint": (0.10, 0.05, 0.40, 0.05, 0.20, 0.20),
        "reference": (0.05, 0.35, 0.35, 0.10, 0.10, 0.05),
        "amplifier": (0.05, 0.30, 0.30, 0.10, 0.05, 0.20),
        "pass_device": (0.03, 0.50, 0.12, 0.05, 0.02, 0.28),
        "trim": (0.10, 0.22, 0.22, 0.06, 0.38, 0.02),
        "display": (0.93, 0.01, 0.01, 0.02, 0.02, 0.01),
        "loop": (0.10, 0.08, 0.04, 0.70, 0.06, 0.02),
    },
    "display": {
        "supply": (0.55, 0.15, 0.30), "joint": (0.70, 0.20, 0.10), "reference": (0.85, 0.13, 0.02),
        "amplifier": (0.90, 0.08, 0.02), "pass_device": (0.90, 0.08, 0.02), "trim": (0.75, 0.23, 0.02),
        "display": (0.05, 0.65, 0.30), "loop": (0.75, 0.23, 0.02),
    },
    "knob": {
        "supply": (0.55, 0.05, 0.40), "joint": (0.60, 0.20, 0.20), "reference": (0.55, 0.10, 0.35),
        "amplifier": (0.30, 0.05, 0.65), "pass_device": (0.20, 0.02, 0.78), "trim": (0.25, 0.60, 0.15),
        "display": (0.96, 0.02, 0.02), "loop": (0.85, 0.12, 0.03),
    },
    "under_load": {
        "supply": (0.10, 0.70, 0.20), "joint": (0.15, 0.70, 0.15), "reference": (0.75, 0.15, 0.10),
        "amplifier": (0.35, 0.45, 0.20), "pass_device": (0.20, 0.35, 0.45), "trim": (0.75, 0.15, 0.10),
        "display": (0.94, 0.04, 0.02), "loop": (0.60, 0.25, 0.15),
    },
    "smell": {
        "supply": (0.75, 0.25), "joint": (0.70, 0.30), "reference": (0.96, 0.04), "amplifier": (0.90, 0.10),
        "pass_device": (0.45, 0.55), "trim": (0.97, 0.03), "display": (0.96, 0.04), "loop": (0.70, 0.30),
    },
    "at_supply": {
        "supply": (0.06, 0.50, 0.44), "joint": (0.65, 0.25, 0.10), "reference": (0.97, 0.02, 0.01),
        "amplifier": (0.96, 0.03, 0.01), "pass_device": (0.85, 0.14, 0.01), "trim": (0.98, 0.01, 0.01),
        "display": (0.98, 0.01, 0.01), "loop": (0.96, 0.03, 0.01),
    },
    "at_reference": {
        "supply": (0.50, 0.25, 0.25), "joint": (0.85, 0.10, 0.05), "reference": (0.05, 0.65, 0.30),
        "amplifier": (0.95, 0.04, 0.01), "pass_device": (0.95, 0.04, 0.01), "trim": (0.95, 0.04, 0.01),
        "display": (0.98, 0.01, 0.01), "loop": (0.95, 0.04, 0.01),
    },
    "at_amplifier": {
        "supply": (0.45, 0.50, 0.05), "joint": (0.70, 0.25, 0.05), "reference": (0.85, 0.12, 0.03),
        "amplifier": (0.12, 0.70, 0.18), "pass_device": (0.10, 0.88, 0.02), "trim": (0.90, 0.08, 0.02),
        "display": (0.97, 0.02, 0.01), "loop": (0.12, 0.03, 0.85),
    },
    "at_pass_device": {
        "supply": (0.45, 0.45, 0.10), "joint": (0.70, 0.15, 0.15), "reference": (0.90, 0.05, 0.05),
        "amplifier": (0.35, 0.35, 0.30), "pass_device": (0.08, 0.62, 0.30), "trim": (0.94, 0.03, 0.03),
        "display": (0.98, 0.01, 0.01), "loop": (0.95, 0.03, 0.02),
    },
}  # fmt: skip


class Suspicion(Struct, frozen=True):
    """A part that may be at fault: how likely, in words, and what is done about it."""

    key: str
    probability: float
    name: str
    act: str


class Diagnosis(Struct, frozen=True):
    """Parts by how likely they are at fault; what to look at next, and how much that tells, in nats."""

    suspicions: tuple[Suspicion, ...]
    next: str
    nats: float


def diagnosis(seen: Mapping[str, str]) -> Diagnosis:
    """What symptoms point at.

    Parameters
    ----------
    seen : mapping
        Answers by the key of their symptom; what nobody looked at is left out.

    Raises
    ------
    UserError
        For a symptom or an answer that there is not.

    References
    ----------
    Bayes' rule, symptoms independent given the fault; what is looked at next tells most in the mean: its
    mutual information (Cover and Thomas, Elements of Information Theory, 2.3).
    """
    shares = np.array([p for p, _, _ in FAULTS.values()])
    for key, answer in seen.items():
        shares = shares * _likelihood(key)[:, _answer(key, answer)]
    shares = shares / shares.sum()
    told = {key: _information(shares, _likelihood(key)) for key in SYMPTOMS if key not in seen}
    best = max(told, key=lambda k: told[k], default="")
    ranked = sorted(zip(FAULTS, shares.tolist(), strict=True), key=lambda x: -x[1])
    return Diagnosis(
        tuple(Suspicion(key, p, FAULTS[key][1], FAULTS[key][2]) for key, p in ranked),
        best,
        float(told[best]) if best else 0.0,
    )


def _likelihood(key: str) -> Array:
    if key not in _TABLE:
        raise UserError(f"“{key}” is no symptom; there are {', '.join(SYMPTOMS)}.")
    return np.array([_TABLE[key][fault] for fault in FAULTS])


def _answer(key: str, answer: str) -> int:
    answers = SYMPTOMS[key][1]
    if answer not in answers:
        raise UserError(f"Of “{key}” the answer is one of {', '.join(answers)}; not “{answer}”.")
    return answers.index(answer)


def _information(shares: Array, likelihood: Array) -> float:
    """Mutual information of fault and answer, nats."""
    joint = shares[:, None] * likelihood
    answers = joint.sum(axis=0)
    return float(np.sum(joint * np.log(np.maximum(likelihood, 1e-300) / answers)))


def read_symptoms(texts: list[str]) -> dict[str, str]:
    """Symptoms as typed, `output=dead`; UserError where one is not of that form."""
    found = {}
    for text in texts:
        key, sep, answer = text.partition("=")
        if not sep:
            raise UserError(f"A symptom is typed as “output=dead”; “{text}” is none.")
        found[key.strip()] = answer.strip()
    diagnosis(found)
    return found
