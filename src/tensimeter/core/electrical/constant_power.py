"""Constant-power loads behind resistance: the upper root of their input volts, or collapse."""

from collections.abc import Iterable, Sequence

import numpy as np

from tensimeter.core.arrays import Array, Figure, Flags

#: Below these volts nothing is taken to run.
LEAST_V = 1e-6


def constant_power_volts(emf: Figure, resistance: Figure, power: Figure) -> Array:
    """Volts at a load of constant power behind a resistance: the upper root of V² − V0·V + P·R = 0.

    Parameters
    ----------
    emf : float or array
        V0, volts with nothing drawn, V.
    resistance : float or array
        R, in series, Ω; broadcasts with the rest.
    power : float or array
        P, what the load takes at any volts, W.

    Returns
    -------
    array
        V; NaN where V0² < 4·P·R (collapse) or nothing feeds it.

    References
    ----------
    Maximum power transfer: at most V0²/(4·R) can be taken.

    Examples
    --------
    10 V behind 1 Ω gives 16 W at 8 V and 2 A.

    >>> float(constant_power_volts(10.0, 1.0, 16.0))
    8.0
    """
    v0, r, p = np.broadcast_arrays(*(np.asarray(x, float) for x in (emf, resistance, power)))
    under_root = v0 * v0 - 4 * p * r
    running = (under_root >= 0) & (v0 > LEAST_V)
    root = np.sqrt(np.where(running, under_root, np.nan))
    return np.asarray((v0 + root) / 2)


def coupled_volts(
    open_V: Sequence[Array], shared: Sequence[Sequence[Figure]], power: Sequence[Array]
) -> list[Array]:
    """Voltages of k constant-power loads; shared[j][m] is the resistance that j and m have in common.

    V ← U − R·(P/V) from V = U is a monotone map: it falls to the greatest fixed point, the upper
    root, or leaves V > 0 where there is none (Ortega and Rheinboldt, Iterative Solution of
    Nonlinear Equations, 13.2, monotone iteration). Far from collapse each turn gains digits; the
    few points near it are finished by Newton's method.
    """
    volts = [np.where(np.isfinite(p), u, np.nan) for u, p in zip(open_V, power, strict=True)]
    still = np.asarray(False)
    with np.errstate(invalid="ignore", divide="ignore"):
        for turn in range(12):
            drawn = [p / np.where(v > LEAST_V, v, np.nan) for p, v in zip(power, volts, strict=True)]
            fallen = [
                u - sum((r * d for r, d in zip(row, drawn, strict=True)), start=np.float64(0.0))
                for u, row in zip(open_V, shared, strict=True)
            ]
            if turn >= 2:
                moved = [np.abs(f - v) > 1e-13 * np.abs(v) for f, v in zip(fallen, volts, strict=True)]
                still = np.logical_or.reduce(np.broadcast_arrays(*moved))
            volts = fallen
            if turn >= 2 and not still.any():
                break
        volts = list(np.broadcast_arrays(*volts))
        lost = np.logical_or.reduce([~(v > LEAST_V) for v in volts])
    near = still & ~lost
    if near.any():

        def picked(values: Iterable[Figure]) -> Array:
            return np.stack([np.broadcast_to(x, near.shape)[near] for x in values], -1)

        matrix = np.stack([picked(row) for row in shared], -2)
        found = _near_collapse(picked(volts), picked(open_V), matrix, picked(power))
        volts = [v.copy() for v in volts]
        for k, v in enumerate(volts):
            v[near] = found[:, k]
    return [np.where(lost, np.nan, v) for v in volts] if lost.any() else volts


def _near_collapse(volts: Array, open_V: Array, shared: Array, power: Array) -> Array:
    """Newton's method from above for points (n, k) close to collapse; NaN where there is no root.

    The equations are convex, so it falls without overshoot (Ortega and Rheinboldt, 13.3).
    """
    lost: Flags = np.zeros(len(volts), bool)
    eye = np.eye(volts.shape[-1])
    for _ in range(80):
        drawn = power / np.where(lost[:, None], 1.0, volts)
        residual = volts + np.einsum("njm,nm->nj", shared, drawn) - open_V
        slope = np.where(lost[:, None, None], eye, eye - shared * (drawn / volts)[:, None, :])
        singular = np.abs(np.linalg.det(slope)) < 1e-13
        step = np.linalg.solve(np.where(singular[:, None, None], eye, slope), residual[..., None])[..., 0]
        lost |= singular | (volts - step <= 0).any(-1) | (step < -1e-6 * open_V).any(-1)
        volts = np.where(lost[:, None], volts, volts - step)
        if np.all(np.abs(step) <= 1e-15 * np.abs(open_V), axis=-1)[~lost].all():
            break
    return np.asarray(np.where(lost[:, None], np.nan, volts))
