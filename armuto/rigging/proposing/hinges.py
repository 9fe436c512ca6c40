"""Where knees and elbows are: few bodies at rest keep them quite straight."""

from __future__ import annotations

import numpy as np

from armuto.kinematics.arrays import FloatArray

TRIED = 81  # places that are tried
FARTHEST = 3.0  # spreads from where a hinge is on most
FEWEST = 8  # sections that tell anything
SEEN = 2.0  # spreads to either side of where a hinge is on most that must be seen
MARGIN = 0.15  # of the sections at either end, within which two lines could be laid through anything


def hinge_at(along: FloatArray, middles: FloatArray, expected: float, spread: float, noise: float) -> float:
    """How far along a limb its hinge lies.

    The middles of a limb's sections lie on two straight lines that meet at its hinge. How well such lines fit is
    weighed against where the hinge is on most bodies, as Bayes has it: log p(b) = −½ ((b − expected) / spread)²
    − ½ Σ |r_b|² / σ², with σ from what the best of them leaves, and the mean of b is taken. That the limb is straight
    and shows nothing is one more possibility, against which a bend has to be worth its K numbers (Schwarz, *Estimating
    the dimension of a model*, Ann. Statist. 6, 1978). So a straight limb, or one whose flesh bends its middle line
    everywhere, is given what is expected; so is one that clothes hide half of.

    What is left of a curve of flesh is alike from one section to the next, and tells as much as fewer sections would.

    Parameters
    ----------
    along : (S,)
        How far along the limb its sections are.
    middles : (S, K)
        Their middles, in as many directions as can tell.
    expected, spread : float
        Where the hinge is on most bodies, and by how much that varies (a standard deviation).
    noise : float
        The least error of a middle. All of these in one unit.

    Returns
    -------
    float
    """
    if len(along) < FEWEST or along.min() > expected - SEEN * spread or along.max() < expected + SEEN * spread:
        return expected
    first, last = np.quantile(along, [MARGIN, 1 - MARGIN])
    places = expected + spread * np.linspace(-FARTHEST, FARTHEST, TRIED)
    places = places[(places > first) & (places < last)]
    if not len(places):
        return expected
    # What a bend at each place adds to one straight line: the rest of least squares is the same for all of them.
    line = np.linalg.qr(np.stack([np.ones_like(along), along], axis=1))[0]
    basis = np.maximum(along[:, None] - places, 0.0)
    basis -= line @ (line.T @ basis)
    basis /= np.maximum(np.linalg.norm(basis, axis=0), 1e-9)
    residuals = middles - line @ (line.T @ middles)
    straight, count = float((residuals**2).sum()), middles.shape[1]
    squares = np.maximum(straight - ((basis.T @ residuals) ** 2).sum(axis=1), 0.0)
    variance = max(float(squares.min()) / ((len(along) - 3) * count), noise**2)
    best = basis[:, [int(squares.argmin())]]
    precision = _independent(residuals - best @ (best.T @ residuals)) / variance
    prior = np.exp(-0.5 * ((places - expected) / spread) ** 2)
    posterior = prior / prior.sum() * np.exp(-0.5 * precision * (squares - squares.min()))
    unbent = np.exp(0.5 * count * np.log(len(along)) - 0.5 * precision * (straight - squares.min()))
    return float((posterior @ places + unbent * expected) / (posterior.sum() + unbent))


def _independent(residuals: FloatArray) -> float:
    """The share of residuals ``(S, K)`` that tell something the one before does not (Bayley and Hammersley, *The
    “effective” number of independent observations in an autocorrelated time series*, J. R. Stat. Soc. 8, 1946)."""
    correlation = float((residuals[1:] * residuals[:-1]).sum()) / max(float((residuals**2).sum()), 1e-18)
    correlation = min(max(correlation, 0.0), 0.99)
    return (1 - correlation) / (1 + correlation)
