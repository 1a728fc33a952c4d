"""Proofs through the studio: frames are stored, encoded part by part, and the video shows each of them."""

from fractions import Fraction

import av
import numpy as np
import pytest
from tests.workflows.test_video import N_FRAMES, TALL, WIDE, number, picture, pixels_of

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.web.pages.proof import MOST_BYTES
from fern_tide.workflows.derive.stages import Stages
from fern_tide.workflows.hand_off import proof, proof_frames, proof_order, proof_parts


@pytest.fixture
def order(studio, key, levels):
    project = studio.projects.current(key).document.but(length_frames=N_FRAMES)
    stage = Stages(studio.media).of(project.scene)
    pictures = proof_order.pictures_key(levels, project, stage)
    return proof_order.ProofOrder(project=project, pictures=pictures, kind="mp4", width=WIDE, height=TALL)


def drawn(order, frame):
    """A frame as a page sends it."""
    if order.is_plain:
        return pixels_of(frame, clear=order.clear).tobytes()
    return picture(frame, clear=order.clear)


def draw(studio, order, frames):
    for frame in frames:
        proof_frames.take(studio, order, frame, drawn(order, frame))


def derived(studio, ending):
    return list((studio.settings.data / "derived").rglob(f"*{ending}"))


def test_frames_are_stored_until_the_video_is_there_and_flashes_are_measured(studio, order):
    draw(studio, order, [*range(20), 30])
    assert proof.n_drawn(studio, order) == 20, "it goes on after the first gap"
    with pytest.raises(FernTideError, match="30 frames are not drawn yet"):
        proof.begin(studio, order)
    draw(studio, order, range(20, N_FRAMES))
    other = order.model_copy(update={"kind": "webm"})
    assert other.frames_key == order.frames_key and other.key != order.key
    assert order.model_copy(update={"strip": True}).frames_key != order.frames_key
    job = proof.begin(studio, order)
    assert job.state == "done", job.words
    with av.open(studio.derived.path(order.key, suffix=".mp4")) as video:
        assert [number(frame.to_ndarray(format="rgb24")) for frame in video.decode(video=0)] == list(range(N_FRAMES))
        assert [stream.type for stream in video.streams] == ["video", "audio"]
    assert proof.n_drawn(studio, order) == 0, "the frames are not needed any more"
    flashing = proof.flashing_of(studio, order.pictures, fps=30.0)
    assert flashing is not None and flashing.most[0] > 3, "marks that count blink"
    assert proof.flashing_of(studio, "0" * 64, fps=30.0) is None


@pytest.mark.parametrize("kind", ["mp4", "webm", "flashing"])
def test_parts_are_encoded_as_soon_as_their_frames_are_there_and_give_the_same_video(studio, order, kind, monkeypatch):
    monkeypatch.setattr(proof_parts, "FRAMES", 16)
    order = order.model_copy(update={"kind": kind})
    worked_on = []
    original = proof_frames.picture_of
    monkeypatch.setattr(proof_frames, "picture_of", lambda *frame: worked_on.append(frame) or original(*frame))

    def come(first, end):
        draw(studio, order, range(first, end))
        proof_parts.encode_drawn(studio, order, first, end)

    come(8, 20)
    assert worked_on == [], "its first frames are not there"
    come(0, 8)
    assert len(worked_on) == 16
    if order.is_plain:
        stored = sorted(int(path.name.split(".")[-2]) for path in derived(studio, ".yuv420p"))
        assert stored == [16, 17, 18, 19], "those of the part that is done are gone"
    assert proof.n_drawn(studio, order) == 20, "what is encoded is drawn"
    come(20, 24)
    come(0, 8)
    assert len(worked_on) == 16, "no part is done twice, none before it is whole"
    come(24, N_FRAMES)
    assert len(worked_on) == N_FRAMES, "the last one is shorter"
    assert proof.begin(studio, order).state == "done"
    assert len(worked_on) == N_FRAMES, "nothing was left to do but to join"
    assert not derived(studio, ".small") and not derived(studio, ".0000?.*") and not derived(studio, ".yuv420p")
    flashing = proof.flashing_of(studio, order.pictures, fps=30.0)
    assert flashing is not None and len(flashing.general) == N_FRAMES and flashing.most[0] > 3
    if order.video:
        with av.open(studio.derived.path(order.key, suffix=order.video.extension)) as video:
            assert [number(frame.to_ndarray(format="rgb24")) for frame in video.decode(video=0)] == [*range(N_FRAMES)]


def test_a_part_that_no_frame_of_the_video_is_in(studio, order, monkeypatch):
    monkeypatch.setattr(proof_parts, "FRAMES", 8)
    order = order.model_copy(update={"rate": FrameRate.parse("2")})
    draw(studio, order, range(N_FRAMES))
    assert proof.begin(studio, order).state == "done"
    with av.open(studio.derived.path(order.key, suffix=".mp4")) as video:
        frames = [(frame.time, number(frame.to_ndarray(format="rgb24"))) for frame in video.decode(video=0)]
    assert frames == [(0.0, 0), (0.5, 15), (1.0, 30), (1.5, 45)]


def test_a_part_that_two_requests_complete_at_once_is_done_once(studio, order, monkeypatch):
    monkeypatch.setattr(proof_parts, "FRAMES", 16)
    draw(studio, order, range(16))
    original, began = proof_frames.picture_of, []

    def picture_of(*about):
        if not began:
            began.append(about)
            proof_parts.encode_part(studio, order, 0)  # the other one is quicker, and the frames are gone then
        return original(*about)

    monkeypatch.setattr(proof_frames, "picture_of", picture_of)
    proof_parts.encode_part(studio, order, 0)
    assert proof_parts.is_done(studio, order, 0) and not derived(studio, ".yuv420p")


def test_a_part_that_is_lost_is_drawn_again(studio, order, monkeypatch):
    monkeypatch.setattr(proof_parts, "FRAMES", 16)
    draw(studio, order, range(N_FRAMES))
    for part in range(4):
        proof_parts.encode_part(studio, order, part)
    draw(studio, order, [20])  # its page did not hear that it was taken
    proof_parts.part_files(studio, order)[1].unlink()
    assert proof.n_drawn(studio, order) == 16
    draw(studio, order, range(16, 32))
    assert proof.begin(studio, order).state == "done" and not derived(studio, ".yuv420p")


@pytest.mark.parametrize("kind", ["ffv1", "clear-webm", "mp4"])
def test_pixels_are_in_the_video_as_they_were_drawn(studio, order, kind):
    order = order.model_copy(update={"kind": kind})
    rng = np.random.default_rng(2)
    shades = rng.integers(0, 256, (N_FRAMES, TALL // 10, WIDE // 10, 4), dtype=np.uint8)
    if kind != "ffv1":
        shades[..., 3] = 255
    wanted = shades.repeat(10, axis=1).repeat(10, axis=2)
    for frame in range(N_FRAMES):
        proof_frames.take(studio, order, frame, wanted[frame].tobytes())
    assert proof.begin(studio, order).state == "done"
    assert order.video is not None
    with av.open(studio.derived.path(order.key, suffix=order.video.extension)) as video:
        seen = np.stack([frame.to_ndarray(format="rgba") for frame in video.decode(video=0)])
    if kind == "ffv1":
        np.testing.assert_array_equal(seen, wanted)
    else:  # the middles of squares: two colours share what lies between them
        off = np.abs(seen[:, 5::10, 5::10].astype(int) - shades)
        assert np.median(off) <= 3 and np.quantile(off, 0.95) <= 20, "of 255; the codec's own loss"


@pytest.mark.parametrize("kind", ["mp4", "webp"])
def test_a_frame_that_cannot_be_decoded_is_drawn_again(studio, order, kind):
    order = order.model_copy(update={"kind": kind, "strip": True})
    draw(studio, order, range(N_FRAMES))
    stored = studio.derived.path(order.frames_key, suffix=order.frame_suffix(3))
    stored.write_bytes(stored.read_bytes()[:200])  # the disk lost the rest
    job = proof.begin(studio, order)
    assert job.state == "failed" and "Frame 3 is no picture" in job.words
    assert proof.n_drawn(studio, order) == 3
    draw(studio, order, [3])
    assert proof.begin(studio, order).state == "done"


@pytest.mark.parametrize(
    ("rate", "shown"),
    [
        ("15", list(range(0, N_FRAMES, 2))),
        ("60", [frame for frame in range(N_FRAMES) for _ in range(2)]),
        ("25", [frame for frame in range(N_FRAMES) if frame % 6 != 5]),  # floor(6 j / 5)
        ("30000/1001", list(range(N_FRAMES))),  # its 50th begins 1.7 ms after the project's
    ],
)
def test_a_video_at_another_rate_shows_the_frame_that_owns_each_moment(studio, order, rate, shown):
    order = order.model_copy(update={"rate": FrameRate.parse(rate)})
    draw(studio, order, range(N_FRAMES))
    assert proof.begin(studio, order).state == "done"
    with av.open(studio.derived.path(order.key, suffix=".mp4")) as video:
        frames = [(frame.time, number(frame.to_ndarray(format="rgb24"))) for frame in video.decode(video=0)]
    assert [at for _, at in frames] == shown and order.n_video_frames == len(shown)
    np.testing.assert_allclose([time for time, _ in frames], np.arange(len(shown)) / float(Fraction(rate)), atol=1e-4)
    flashing = proof.flashing_of(studio, order.pictures, fps=30.0)
    assert flashing is not None and len(flashing.general) == N_FRAMES, "flashes are those of the project's own frames"


def test_the_projects_own_rate_is_the_same_video(order):
    own, other = (order.model_copy(update={"rate": FrameRate.parse(text)}) for text in ("30", "25"))
    assert own.key == order.key != other.key and other.frames_key == order.frames_key


PLAIN = pixels_of(0).tobytes()


@pytest.mark.parametrize(
    ("kind", "frame", "content", "words"),
    [
        ("mp4", N_FRAMES, PLAIN, "0 to 49"),
        ("mp4", -1, PLAIN, "0 to 49"),
        ("mp4", 0, PLAIN[:-4], "another picture"),
        ("mp4", 0, picture(0), "another picture"),
        ("webp", 0, b"nothing", "is no picture"),
        ("webp", 0, PLAIN, "is no picture"),
        ("webp", 0, picture(0, clear=True), "another picture"),
        ("png", 0, picture(0), "another picture"),
        ("webp", 0, picture(0)[:200], "is no picture"),
    ],
)
def test_a_wrong_frame_is_refused(studio, order, kind, frame, content, words):
    order = order.model_copy(update={"kind": kind})
    with pytest.raises(FernTideError, match=words):
        proof_frames.take(studio, order, frame, content)
    assert proof.n_drawn(studio, order) == 0


def test_sizes_that_no_video_has(studio, order):
    for width, height in ((961, 540), (960, 0), (5000, 540)):
        with pytest.raises(InvalidParameter, match="even number"):
            proof_order.check_size(width, height)
    for kind in ("mp4", "webp"):
        other = order.model_copy(update={"width": 320, "kind": kind})
        with pytest.raises(FernTideError, match="another picture"):
            proof_frames.take(studio, other, 0, drawn(other, 0))


def test_as_many_frames_come_at_once_as_a_request_has_room_for(order):
    sizes = {(960, 540): 8, (1920, 1080): 4, (4096, 4096): 1}
    for (width, height), n_frames in sizes.items():
        order = order.model_copy(update={"width": width, "height": height})
        assert order.n_at_once == n_frames and n_frames * (order.frame_bytes + 4) <= MOST_BYTES
        assert order.model_copy(update={"kind": "png"}).n_at_once == 8


def test_another_motion_is_another_picture(studio, order, levels):
    project = order.project
    stage = Stages(studio.media).of(project.scene)
    assert proof_order.pictures_key(levels, project.but(name="Other"), stage) == order.pictures, "its name is not seen"
    slower = project.but(length_frames=N_FRAMES + 1)
    assert proof_order.pictures_key(levels, slower, stage) != order.pictures
