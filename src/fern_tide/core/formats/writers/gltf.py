"""glTF: the 3D scene as one GLB, with one animation in it.

What was brought in comes back as it is, with the animation added. Places of nodes and weights are core channels; all
else is written with KHR_animation_pointer. Times are the starts of the frames, k / rate; those of steps never later
than that, so that a player has reached them. What turns half way round in a frame has keys between.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.thin import Interpolation, Keys
from fern_tide.core.base.params import unit
from fern_tide.core.base.signal import FloatArray, at_or_before
from fern_tide.core.base.target import Target
from fern_tide.core.formats.channels import Moving, moving_channels, read_channel, spans_with_anchors
from fern_tide.core.formats.format import Format, HandOff, KeyParams
from fern_tide.core.scene.gltf.accessors import values_of
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.gltf.built import Built
from fern_tide.core.scene.gltf.container import Json, pack
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.gltf.studio import add_studio
from fern_tide.core.scene.own_motion import without_overruled
from fern_tide.core.scene.part import Form
from fern_tide.core.scene.scene import Part

POINTER = "KHR_animation_pointer"
_GLTF = {Interpolation.LINEAR: "LINEAR", Interpolation.STEP: "STEP", Interpolation.CUBIC: "CUBICSPLINE"}


class GltfParams(KeyParams):
    """How curves become keys, and what goes in."""

    cameras: Annotated[bool, unit("", "Whether cameras that were made here go in.")] = True
    lights: Annotated[bool, unit("", "Whether lights that were made here go in.")] = True
    still: Annotated[bool, unit("", "Whether parts made here that do not move go in.", label="Still parts")] = True
    studio: Annotated[
        bool, unit("", "Whether the studio light goes in, if it is on: as three lamps.", label="Studio light")
    ] = False


def leaves_out(part: Part, params: GltfParams) -> bool:
    """Say whether a camera or light stays behind, with what moves it, as is asked."""
    return (part.kind.films and not params.cameras) or (part.kind.emits != "" and not params.lights)


def _built(hand_off: HandOff, params: GltfParams) -> Built:
    def leave_out(part: Part) -> bool:
        if not part.kind.looks:
            return True
        if part.kind.films or part.kind.emits:
            return leaves_out(part, params)
        return not params.still and not any(item.id in hand_off.by_part for item in hand_off.scene.branch(part.id))

    targets = [curve.target for curve in hand_off.curves]
    return build(hand_off.scene, files=hand_off.media.gltfs, moving=targets, leave_out=leave_out)


def encode(hand_off: HandOff, params: GltfParams) -> bytes:
    """Write the scene with its animation; every sampler has its own keys, or all share one key a frame."""
    built = _built(hand_off, params)
    if params.studio:
        add_studio(built, hand_off.scene.lit)
    moving = moving_channels(hand_off, built)
    if moving and hand_off.n_frames:
        animation: Json = {"name": hand_off.name, "channels": [], "samplers": []}
        times: dict[bytes, int] = {}
        for channel in moving:
            steps = params.interpolation is Interpolation.STEP
            item = channel.whole_frames(hand_off.n_frames) if steps else channel
            turning = item.channel.form is Form.ROTATION
            keys = params.keys(item.rows, spans=item.spans, places=item.places, turning=turning)
            keys = _held_to_the_end(keys, hand_off.n_frames)
            seconds = hand_off.rate.times(keys.frames)
            seconds = (at_or_before(seconds) if steps else seconds).astype("<f4")
            if seconds.tobytes() not in times:
                times[seconds.tobytes()] = built.add(seconds, "SCALAR", bounds=True)
            output = _add_values(built, item, keys, hand_off.rate.per_second)
            sampler = {
                "input": times[seconds.tobytes()],
                "output": output,
                "interpolation": _GLTF[params.interpolation],
            }
            animation["samplers"].append(sampler)
            hand_off.progress(len(item.curves))
            animation["channels"].append({"sampler": len(animation["samplers"]) - 1, "target": _target(item)})
        document = built.gltf.json
        without_overruled(document, {item.pointer for item in moving})
        if any("extensions" in channel["target"] for channel in animation["channels"]):
            built.use(POINTER)
        document.setdefault("animations", []).append(animation)
    return pack(built.closed())


def _target(item: Moving) -> Json:
    node = item.pointer.split("/")
    if node[1] == "nodes":
        return {"node": int(node[2]), "path": node[3]}
    return {"path": "pointer", "extensions": {POINTER: {"pointer": item.pointer}}}


def _held_to_the_end(keys: Keys, n_frames: int) -> Keys:
    """Add a key at the project's end, so that the last frame stays for its time and the clip is as long as the project.

    A player that repeats a clip would else begin anew at the last key.
    """
    return replace(
        keys,
        frames=np.append(keys.frames, n_frames),
        values=np.concatenate([keys.values, keys.values[:, -1:]], axis=1),
        slopes=np.concatenate([keys.slopes, np.zeros_like(keys.slopes[:, -1:])], axis=1),
    )


def _add_values(built: Built, item: Moving, keys: Keys, fps: float) -> int:
    """Write a sampler's output; cubic keys carry their tangents, per second, before and after each value."""
    values = keys.values.T
    if keys.interpolation is Interpolation.CUBIC:
        before = keys.slopes.T * fps
        after = np.concatenate([before[:-2], np.zeros_like(before[-2:])])  # the last value is held
        values = np.stack([before, values, after], axis=1).reshape(-1, values.shape[1])
    width = values.shape[1]
    if item.pointer.endswith("/weights"):
        return built.add(values.reshape(-1).astype("<f4"), "SCALAR")
    kind = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}[width]
    return built.add(values.astype("<f4").reshape(-1) if width == 1 else values.astype("<f4"), kind)


def read_back(content: bytes, hand_off: HandOff, params: GltfParams) -> Mapping[Target, FloatArray]:
    """Read the last animation, sample it at every frame as the specification says, and turn it into values again."""
    gltf = read_gltf(content)
    animation = gltf.json["animations"][-1]
    fps = hand_off.rate.per_second
    read: dict[str, Keys] = {}
    for channel in animation["channels"]:
        sampler, target = animation["samplers"][channel["sampler"]], channel["target"]
        times = values_of(gltf, sampler["input"]).astype(np.float64)
        interpolation = next(mine for mine, theirs in _GLTF.items() if theirs == sampler["interpolation"])
        values = values_of(gltf, sampler["output"]).astype(np.float64)
        tangents = 3 if interpolation is Interpolation.CUBIC else 1
        rows = values.reshape(len(times), tangents, -1)
        slopes = rows[:, 0].T / fps if tangents == 3 else np.zeros((rows.shape[2], len(times)))
        keys = Keys(times * fps, rows[:, tangents // 2].T, slopes, 0.0, interpolation)
        pointer = (
            target.get("extensions", {}).get(POINTER, {}).get("pointer") or f"/nodes/{target['node']}/{target['path']}"
        )
        read[pointer] = keys
    curves: dict[Target, FloatArray] = {}
    for item in moving_channels(hand_off, _built(hand_off, params)):
        if item.pointer in read:
            curves |= read_channel(item, read[item.pointer], n_frames=hand_off.n_frames)
    return curves


def loses(curve: Curve) -> str | None:
    """Say that values are rounded to single precision."""
    return "values to single precision"


FORMAT = Format(
    id="gltf",
    label="glTF",
    help="The 3D scene with its motion inside, as one GLB.",
    params=GltfParams,
    extension=".glb",
    media_type="model/gltf-binary",
    loses=loses,
    encode=encode,
    read_back=read_back,
    rounds_by=2e-5,  # times and values are of single precision
    spans=spans_with_anchors,
    spaces=("3d",),
    leaves_out=leaves_out,
)
