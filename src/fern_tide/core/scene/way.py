"""A way: cubic curves end to end, run through at even speed.

A place on it is a share of its length. Lengths are measured by Gauss's rule over short pieces of each curve, so that
the point at a share is off by less than 1e-4 of the length (SIGNAL.md). The 'up' of a way in space is carried along it
without turning about the tangent (parallel transport, by double reflection: Wang, Juettler, Zheng and Liu, Computation
of rotation minimizing frames, 2008); on a closed way what it has turned by at the end is taken back evenly.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray

_PIECES = 64  # of each curve
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(5)
_LEAST = 1e-9
IntArray = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Way:
    """Cubic curves end to end.

    Attributes:
        curves: their control points, shape (curves, 4, 3); each begins where the one before ends.
    """

    curves: FloatArray

    @cached_property
    def length(self) -> float:
        """How long it is, in the unit of its points."""
        return float(self._lengths[-1])

    @cached_property
    def closed(self) -> bool:
        """Whether it ends where it begins."""
        return bool(np.allclose(self.curves[0, 0], self.curves[-1, 3], atol=1e-6 * (self.length or 1.0)))

    @cached_property
    def _lengths(self) -> FloatArray:
        """The length up to each sample, shape (samples,): pieces of all curves, end to end."""
        starts = np.arange(_PIECES) / _PIECES
        at = (starts[:, np.newaxis] + (_NODES + 1) / (2 * _PIECES)).ravel()
        speeds = np.linalg.norm(_slopes(self.curves, at), axis=2).reshape(len(self.curves), _PIECES, len(_NODES))
        pieces = (speeds @ _WEIGHTS / (2 * _PIECES)).ravel()
        return np.concatenate([[0.0], np.cumsum(pieces)])

    def _find(self, share: FloatArray) -> tuple[IntArray, FloatArray]:
        """Give which curve holds each share of the length, and where on it, 0 to 1: evenly within a piece."""
        wanted = np.clip(share, 0.0, 1.0) * self.length
        piece = np.clip(np.searchsorted(self._lengths, wanted, side="right") - 1, 0, len(self._lengths) - 2)
        spans = self._lengths[piece + 1] - self._lengths[piece]
        inside = np.where(spans > 0, (wanted - self._lengths[piece]) / np.where(spans > 0, spans, 1.0), 0.0)
        curve, within = piece // _PIECES, piece % _PIECES
        at = (within + inside) / _PIECES
        return curve, at

    def points(self, share: FloatArray) -> FloatArray:
        """Give the points at shares of the length, shape (3, shares)."""
        curve, at = self._find(share)
        return _point(self.curves[curve], at).T

    def tangents(self, share: FloatArray) -> FloatArray:
        """Give the directions at shares of the length, of length 1, shape (3, shares)."""
        curve, at = self._find(share)
        return self._directions(curve, at).T

    def _directions(self, curve: IntArray, at: FloatArray) -> FloatArray:
        """Give directions, shape (places, 3); where a curve stands still, those just beside."""
        slopes = _slope(self.curves[curve], at)
        for beside in (1e-4, 1e-2, 0.5):
            still = np.linalg.norm(slopes, axis=1) < 1e-7 * (self.length or 1.0)
            if not still.any():
                break
            moved = np.where(at < 0.5, at + beside, at - beside)
            slopes[still] = _slope(self.curves[curve], moved)[still]
        sizes = np.linalg.norm(slopes, axis=1, keepdims=True)
        return np.where(sizes > 0, slopes / np.where(sizes > 0, sizes, 1.0), [1.0, 0.0, 0.0])

    @cached_property
    def _carried(self) -> FloatArray:
        """The 'up' at each sample, shape (samples, 3)."""
        n = len(self._lengths)
        shares = self._lengths / (self.length or 1.0)
        points, tangents = self.points(shares).T, self.tangents(shares).T
        ups = np.empty((n, 3))
        first = tangents[0]
        away = np.array([0.0, 1.0, 0.0]) if abs(first[1]) < 0.999 else np.array([0.0, 0.0, 1.0])
        up = away - (away @ first) * first
        ups[0] = up / np.linalg.norm(up)
        for at in range(n - 1):
            up, tangent = ups[at], tangents[at]
            for mirror in (points[at + 1] - points[at], None):
                normal = tangents[at + 1] - tangent if mirror is None else mirror
                size = normal @ normal
                if size > 0:
                    up = up - (2 / size) * (normal @ up) * normal
                    tangent = tangent - (2 / size) * (normal @ tangent) * normal
            ups[at + 1] = up
        if self.closed and np.allclose(tangents[0], tangents[-1], atol=1e-3):
            side = np.cross(tangents[-1], ups[-1])
            over = np.arctan2(side @ ups[0], ups[-1] @ ups[0])
            angle = (over * shares)[:, np.newaxis]
            ups = ups * np.cos(angle) + np.cross(tangents, ups) * np.sin(angle)
        return ups

    def ups(self, share: FloatArray, tangents: FloatArray) -> FloatArray:
        """Give the 'up' at shares of the length, across the tangents there, shape (3, shares)."""
        places = np.clip(share, 0.0, 1.0) * self.length
        between = np.stack([np.interp(places, self._lengths, column) for column in self._carried.T])
        between = between - np.sum(between * tangents, axis=0) * tangents
        return np.asarray(between / np.maximum(np.linalg.norm(between, axis=0), 1e-12))

    def bends(self, share: FloatArray) -> FloatArray:
        """Give by how much the direction turns at shares of the length, per length, shape (3, shares)."""
        step = 1e-3
        ends = (share % 1.0 - step, share % 1.0 + step) if self.closed else (share - step, share + step)
        before, after = (np.mod(end, 1.0) if self.closed else np.clip(end, 0.0, 1.0) for end in ends)
        spans = np.full_like(share, 2 * step) if self.closed else after - before
        apart = self.tangents(after) - self.tangents(before)
        return np.asarray(apart / np.maximum(spans * self.length, 1e-12))


def _point(curves: FloatArray, at: FloatArray) -> FloatArray:
    """Give points of curves, shape (places, 3): a place 0 to 1 on a curve each, of shape (places, 4, 3)."""
    t = at[:, np.newaxis]
    a, b, c, d = (curves[:, n] for n in range(4))
    return np.asarray((1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t**2 * c + t**3 * d)


def _slope(curves: FloatArray, at: FloatArray) -> FloatArray:
    """Give derivatives, shape (places, 3)."""
    t = at[:, np.newaxis]
    a, b, c, d = (curves[:, n] for n in range(4))
    return np.asarray(3 * ((1 - t) ** 2 * (b - a) + 2 * (1 - t) * t * (c - b) + t**2 * (d - c)))


def _slopes(curves: FloatArray, at: FloatArray) -> FloatArray:
    """Give derivatives of all curves at the same places, shape (curves, places, 3)."""
    n = len(at)
    return _slope(np.repeat(curves, n, axis=0), np.tile(at, len(curves))).reshape(len(curves), n, 3)


def through(points: FloatArray, *, closed: bool, handles: FloatArray | None = None) -> FloatArray:
    """Give smooth curves through points, shape (curves, 4, 3).

    Args:
        points: two or more, shape (points, 3).
        closed: whether they go back to the first.
        handles: how far each point's handle lies from it, on the way out; the way in mirrors it; shape (points, 3). NaN
            leaves a point's to its neighbours: a sixth of the way from the one before to the one after (Catmull and
            Rom, A class of local interpolating splines, 1974).
    """
    n = len(points)
    before, after = np.roll(points, 1, axis=0), np.roll(points, -1, axis=0)
    if not closed:
        before[0], after[-1] = points[0], points[-1]
    out = (after - before) / 6
    if handles is not None:
        out = np.where(np.isnan(handles), out, handles)
    starts = np.arange(n if closed else n - 1)
    ends = (starts + 1) % n
    return np.stack([points[starts], points[starts] + out[starts], points[ends] - out[ends], points[ends]], axis=1)


def straight(points: FloatArray, *, closed: bool) -> FloatArray:
    """Give straight lines from point to point as curves, shape (curves, 4, 3).

    Args:
        points: two or more, shape (points, 3).
        closed: whether they go back to the first.
    """
    last = np.roll(points, -1, axis=0)[: None if closed else -1]
    first = points[: len(last)]
    return np.stack([first, first + (last - first) / 3, first + (last - first) * 2 / 3, last], axis=1)


def of_curves(curves: FloatArray) -> Way | None:
    """Give the way along curves, shape (curves, 4, 3), those without length left out; None where none has any."""
    moves = np.abs(curves - curves[:, :1]).max(axis=(1, 2), initial=0.0) > _LEAST
    return Way(curves[moves]) if moves.any() else None
