"""Turns about x, y and z in degrees, as quaternions and matrices: R = Rx Ry Rz, with y up and right hands."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray


def quaternions(turns: FloatArray) -> FloatArray:
    """Give the quaternions of turns.

    Args:
        turns: shape (3, frames), degrees about x, y and z.

    Returns:
        Shape (4, frames): x, y, z, w, of length 1. The sign goes on with the turns: after a whole turn it is the other,
        so that neighbours less than half a turn apart are never the long way round.
    """
    half = np.radians(turns) / 2
    (c1, c2, c3), (s1, s2, s3) = np.cos(half), np.sin(half)
    return np.stack(
        [
            s1 * c2 * c3 + c1 * s2 * s3,
            c1 * s2 * c3 - s1 * c2 * s3,
            c1 * c2 * s3 + s1 * s2 * c3,
            c1 * c2 * c3 - s1 * s2 * s3,
        ]
    )


def matrices(quaternion: FloatArray) -> FloatArray:
    """Give rotation matrices, shape (3, 3, frames), of quaternions of shape (4, frames)."""
    x, y, z, w = quaternion
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )


def turns_of(rotation: FloatArray) -> FloatArray:
    """Give the turns about x, y and z, in degrees, of a rotation matrix of shape (3, 3)."""
    m = rotation
    y = np.arcsin(np.clip(m[0, 2], -1.0, 1.0))
    if abs(m[0, 2]) < 0.9999999:
        x, z = np.arctan2(-m[1, 2], m[2, 2]), np.arctan2(-m[0, 1], m[0, 0])
    else:
        x, z = np.arctan2(m[2, 1], m[1, 1]), 0.0
    return np.asarray(np.degrees(np.array([x, y, z])), dtype=np.float64)


def turns_of_quaternion(quaternion: FloatArray) -> FloatArray:
    """Give the turns about x, y and z, in degrees, of one quaternion x, y, z, w of any length but 0."""
    length = float(np.linalg.norm(quaternion)) or 1.0
    return turns_of(matrices((quaternion / length)[:, np.newaxis])[:, :, 0])


def parted(matrix: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Part a matrix of shape (4, 4) into translation, quaternion and scale; what shears it is lost."""
    scale = np.linalg.norm(matrix[:3, :3], axis=0)
    if np.linalg.det(matrix[:3, :3]) < 0:
        scale[0] = -scale[0]
    rotation = matrix[:3, :3] / np.where(scale == 0, 1.0, scale)
    return matrix[:3, 3].copy(), quaternions(turns_of(rotation)[:, np.newaxis])[:, 0], scale


def slerped(ends: tuple[FloatArray, FloatArray], share: FloatArray) -> FloatArray:
    """Give what lies between two orientations on the shorter way, as players do (glTF 2.0, appendix C.4).

    Args:
        ends: two of shape (4, moments), of any length but 0.
        share: where between them, 0 to 1, shape (moments,).
    """
    one, other = (q / np.maximum(np.linalg.norm(q, axis=0), 1e-12) for q in ends)
    dot = np.sum(one * other, axis=0)
    other, dot = np.where(dot < 0, -other, other), np.minimum(np.abs(dot), 1.0)
    angle = np.arccos(dot)
    near = angle < 1e-6
    sine = np.where(near, 1.0, np.sin(angle))
    first = np.where(near, 1.0 - share, np.sin((1.0 - share) * angle) / sine)
    second = np.where(near, share, np.sin(share * angle) / sine)
    return np.asarray(first * one + second * other)


def continued(quaternion: FloatArray) -> FloatArray:
    """Give quaternions of shape (4, moments) with the signs that a steady turn through them has."""
    turned = np.sum(quaternion[:, 1:] * quaternion[:, :-1], axis=0) < 0
    signs = np.concatenate([np.ones(min(1, quaternion.shape[1])), np.where(turned, -1.0, 1.0)])
    return np.asarray(quaternion * np.cumprod(signs), dtype=np.float64)


def turned_apart(one: FloatArray, other: FloatArray) -> FloatArray:
    """Give how far apart, in degrees, two turns are that were followed from the same beginning.

    What is one whole turn ahead of the other is 360 degrees apart, though it looks the same.

    Args:
        one: shape (4, moments), its signs going on with the turn.
        other: the same.
    """
    lengths = np.linalg.norm(one, axis=0) * np.linalg.norm(other, axis=0)
    dot = np.sum(one * other, axis=0)
    return np.asarray(np.degrees(2 * np.arctan2(np.sqrt(np.maximum(0.0, lengths**2 - dot**2)), dot)))


def steady_turns(rotations: FloatArray) -> FloatArray:
    """Give the turns about x, y and z, in degrees, of rotation matrices that follow each other, shape (3, 3, frames).

    Of the two ways in which three turns give the same rotation, and of whole turns more or less, each frame has those
    that are nearest to the frame before: (x, y, z) is the same as (x + 180, 180 - y, z + 180).

    Returns:
        Shape (3, frames).
    """
    m = rotations
    upright = np.abs(m[0, 2]) < 0.9999999
    y = np.arcsin(np.clip(m[0, 2], -1.0, 1.0))
    x = np.where(upright, np.arctan2(-m[1, 2], m[2, 2]), np.arctan2(m[2, 1], m[1, 1]))
    z = np.where(upright, np.arctan2(-m[0, 1], m[0, 0]), 0.0)
    one = np.degrees(np.stack([x, y, z]))
    other = np.stack([one[0] + 180.0, 180.0 - one[1], one[2] + 180.0])

    def apart(a: FloatArray, b: FloatArray) -> FloatArray:
        return np.asarray(np.abs(np.mod(a - b + 180.0, 360.0) - 180.0).sum(axis=0))

    changes = apart(other[:, 1:], one[:, :-1]) < apart(one[:, 1:], one[:, :-1])
    is_other = np.concatenate([[False], np.cumsum(changes) % 2 == 1]) if m.shape[-1] else np.zeros(0, dtype=bool)
    return np.asarray(np.unwrap(np.where(is_other, other, one), period=360.0, axis=1), dtype=np.float64)
