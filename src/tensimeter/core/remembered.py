"""Answers that are kept while what they follow from is the very same: a job's parts are immutable."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from functools import wraps
from typing import ParamSpec, TypeVar

import numpy as np

P = ParamSpec("P")
R = TypeVar("R")

#: So many answers of one function are kept, the latest used: a campaign asks some dozens of a job.
KEPT = 256


def remembered(*parts: str, kept: int = KEPT) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Keep the answers of a pure function whose first argument is a job.

    `parts` are the fields of the job that the answer follows from; none: all of it. They are told apart by
    identity, and held while an answer is: an edit makes new ones of what it changes and hands on the rest.
    Further arguments are told apart by value where they are figures or arrays, else by identity. An error is
    not kept.
    """

    def wrap(made: Callable[P, R]) -> Callable[P, R]:
        answers: OrderedDict[object, tuple[object, R]] = OrderedDict()
        lock = threading.Lock()

        @wraps(made)
        def ask(*args: P.args, **named: P.kwargs) -> R:
            held: list[object] = [getattr(args[0], part) for part in parts] or [args[0]]
            key = (*map(id, held), *(_key(a, held) for a in args[1:]), *_named(named, held))
            with lock:
                if key in answers:
                    answers.move_to_end(key)
                    return answers[key][1]
            answer = made(*args, **named)
            with lock:
                answers[key] = (held, answer)
                while len(answers) > kept:
                    answers.popitem(last=False)
            return answer

        return ask

    return wrap


def _named(named: Mapping[str, object], held: list[object]) -> list[object]:
    return [(name, _key(value, held)) for name, value in sorted(named.items())]


def _key(value: object, held: list[object]) -> object:
    """What an argument is told apart by; where that is its identity it is held."""
    if value is None or isinstance(value, str | int | float | bool | bytes):
        return (type(value), value)
    if isinstance(value, np.ndarray):
        return (value.shape, value.dtype.str, value.tobytes())
    if isinstance(value, np.generic):
        return value.item()
    if isinstance(value, Mapping):
        return tuple((k, _key(v, held)) for k, v in value.items())
    if isinstance(value, tuple):
        return tuple(_key(v, held) for v in value)
    held.append(value)
    return id(value)
