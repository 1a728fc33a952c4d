"""Turns about x, y and z in degrees, as quaternions and matrices: R = Rx Ry Rz, with y up and right hands."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray


def quaternions(turns: FloatArray) -> FloatArray:
    """Give the quaternions of turns.

    Args:
        turns: shape (3, frames), degrees about x, y and z.

    Returns:
        Shape (4, frames): x, y, z, w, of length 1; from one frame to the next never the long way round.
    """
    half = np.radians(turns) / 2
    (c1, c2, c3), (s1, s2, s3) = np.cos(half), np.sin(half)
    found = np.stack(
        [
            s1 * c2 * c3 + c1 * s2 * s3,
            c1 * s2 * c3 - s1 * c2 * s3,
            c1 * c2 * s3 + s1 * s2 * c3,
            c1 * c2 * c3 - s1 * s2 * s3,
        ]
    )
    turned = np.sum(found[:, 1:] * found[:, :-1], axis=0) < 0
    signs = np.concatenate([np.ones(min(1, found.shape[1])), np.where(turned, -1.0, 1.0)])
    return np.asarray(found * np.cumprod(signs), dtype=np.float64)


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


def angle_between(one: FloatArray, other: FloatArray) -> FloatArray:
    """Give the angles, in degrees, between quaternions of shape (4, frames)."""
    lengths = np.linalg.norm(one, axis=0) * np.linalg.norm(other, axis=0)
    cross = np.sqrt(np.maximum(0.0, lengths**2 - np.sum(one * other, axis=0) ** 2))
    return np.asarray(np.degrees(2 * np.arctan2(cross, np.abs(np.sum(one * other, axis=0)))), dtype=np.float64)
