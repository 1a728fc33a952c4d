"""The sound of a proof, encoded while its pictures are drawn."""

from __future__ import annotations

import logging
from pathlib import Path
from threading import Lock, Thread

from fern_tide.core.base.signal import fingerprint
from fern_tide.workflows.hand_off.proof_order import ProofOrder
from fern_tide.workflows.hand_off.video_sound import SOUND_HZ, encode_sound
from fern_tide.workflows.studio import Studio
from fern_tide.workflows.tune.listening import heard_file, heard_key

log = logging.getLogger(__name__)
_LOCK = Lock()


def sound_file(studio: Studio, order: ProofOrder) -> Path | None:
    """Give what is heard as the proof's video has it, making it where it is not there; None where nothing is.

    Raises:
        DiskFull: there is no room.
    """
    key, video = heard_key(order.project), order.video
    if key is None or video is None or not video.in_parts:
        return None
    n_samples = round(order.n_video_frames / order.video_rate.fps * SOUND_HZ)
    own = fingerprint({"stage": "proof sound", "heard": key, "kind": video.id, "samples": n_samples})
    with _LOCK:
        if not studio.derived.has(own, suffix=video.extension):
            heard = heard_file(studio, order.project)
            assert heard is not None
            with studio.derived.writing(own, suffix=video.extension) as out:
                encode_sound(heard, codec=video.sound, container=video.container, out=out, n_samples=n_samples)
    return studio.derived.path(own, suffix=video.extension)


def begin_sound(studio: Studio, order: ProofOrder) -> None:
    """Let the sound be encoded beside the drawing; what goes wrong there shows when the video is made."""

    def run() -> None:
        try:
            sound_file(studio, order)
        except Exception:
            log.warning("the sound of a proof is made later", exc_info=True)

    Thread(target=run, name="proof sound", daemon=True).start()
