"""Proofs through the studio: frames are stored, encoded part by part, and the video shows each of them."""

from fractions import Fraction

import av
import numpy as np
import pytest
from tests.workflows.test_video import N_FRAMES, TALL, WIDE, number, picture

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.workflows.derive.stages import Stages
from fern_tide.workflows.hand_off import proof, proof_order, proof_parts


@pytest.fixture
def order(studio, key, levels):
    project = studio.projects.current(key).document.but(length_frames=N_FRAMES)
    stage = Stages(studio.media).of(project.scene)
    pictures = proof_order.pictures_key(levels, project, stage)
    return proof_order.ProofOrder(project=project, pictures=pictures, kind="mp4", width=WIDE, height=TALL)


def test_frames_are_stored_until_the_video_is_there_and_flashes_are_measured(studio, order):
    for frame in range(20):
        proof.take_frame(studio, order, frame, picture(frame))
    proof.take_frame(studio, order, 30, picture(30))
    assert proof.n_drawn(studio, order) == 20, "it goes on after the first gap"
    with pytest.raises(FernTideError, match="30 frames are not drawn yet"):
        proof.begin(studio, order)
    for frame in range(20, N_FRAMES):
        proof.take_frame(studio, order, frame, picture(frame))
    other = order.model_copy(update={"kind": "webm"})
    assert len({one.frames_key for one in (order, other, order.model_copy(update={"strip": True}))}) == 3
    assert proof.n_drawn(studio, other) == 0, "two at once take no frames from each other"
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
    original = proof_parts.decoded
    monkeypatch.setattr(proof_parts, "decoded", lambda content: worked_on.append(content) or original(content))

    def draw(first, end):
        for frame in range(first, end):
            proof.take_frame(studio, order, frame, picture(frame))
        proof_parts.encode_drawn(studio, order, first, end)

    draw(8, 20)
    assert worked_on == [], "its first frames are not there"
    draw(0, 8)
    assert len(worked_on) == 16
    draw(20, 24)
    draw(0, 8)
    assert len(worked_on) == 16, "no part is done twice, none before it is whole"
    draw(24, N_FRAMES)
    assert len(worked_on) == N_FRAMES, "the last one is shorter"
    assert proof.begin(studio, order).state == "done"
    assert len(worked_on) == N_FRAMES, "nothing was left to do but to join"
    assert not list((studio.settings.data / "derived").rglob("*.small"))
    assert not list((studio.settings.data / "derived").rglob("*.0000?.*"))
    flashing = proof.flashing_of(studio, order.pictures, fps=30.0)
    assert flashing is not None and len(flashing.general) == N_FRAMES and flashing.most[0] > 3
    if order.video:
        with av.open(studio.derived.path(order.key, suffix=order.video.extension)) as video:
            assert [number(frame.to_ndarray(format="rgb24")) for frame in video.decode(video=0)] == [*range(N_FRAMES)]


def test_a_part_that_no_frame_of_the_video_is_in(studio, order, monkeypatch):
    monkeypatch.setattr(proof_parts, "FRAMES", 8)
    order = order.model_copy(update={"rate": FrameRate.parse("2")})
    for frame in range(N_FRAMES):
        proof.take_frame(studio, order, frame, picture(frame))
    assert proof.begin(studio, order).state == "done"
    with av.open(studio.derived.path(order.key, suffix=".mp4")) as video:
        frames = [(frame.time, number(frame.to_ndarray(format="rgb24"))) for frame in video.decode(video=0)]
    assert frames == [(0.0, 0), (0.5, 15), (1.0, 30), (1.5, 45)]


@pytest.mark.parametrize("kind", ["mp4", "webp"])
def test_a_frame_that_cannot_be_decoded_is_drawn_again(studio, order, kind):
    order, whole = order.model_copy(update={"kind": kind, "strip": True}), picture(3)
    for frame in range(N_FRAMES):
        proof.take_frame(studio, order, frame, picture(frame))
    proof.take_frame(studio, order, 3, whole[: whole.index(b"\xff\xda")])  # nothing follows its head
    job = proof.begin(studio, order)
    assert job.state == "failed" and "Frame 3 is no picture" in job.words
    assert proof.n_drawn(studio, order) == 3
    proof.take_frame(studio, order, 3, whole)
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
    for frame in range(N_FRAMES):
        proof.take_frame(studio, order, frame, picture(frame))
    assert proof.begin(studio, order).state == "done"
    with av.open(studio.derived.path(order.key, suffix=".mp4")) as video:
        frames = [(frame.time, number(frame.to_ndarray(format="rgb24"))) for frame in video.decode(video=0)]
    assert [at for _, at in frames] == shown and order.n_video_frames == len(shown)
    np.testing.assert_allclose([time for time, _ in frames], np.arange(len(shown)) / float(Fraction(rate)), atol=1e-4)
    flashing = proof.flashing_of(studio, order.pictures, fps=30.0)
    assert flashing is not None and len(flashing.general) == N_FRAMES, "flashes are those of the project's own frames"


def test_the_projects_own_rate_is_the_same_video(order):
    own, other = (order.model_copy(update={"rate": FrameRate.parse(text)}) for text in ("30", "25"))
    assert own.key == order.key != other.key and own.frames_key == order.frames_key != other.frames_key


@pytest.mark.parametrize(
    ("frame", "content", "words"),
    [
        (N_FRAMES, picture(0), "0 to 49"),
        (-1, picture(0), "0 to 49"),
        (0, b"nothing", "is no picture"),
        (0, picture(0, clear=True), "another picture"),
        (0, picture(0)[:200], "is no picture"),
    ],
)
def test_a_wrong_frame_is_refused(studio, order, frame, content, words):
    with pytest.raises(FernTideError, match=words):
        proof.take_frame(studio, order, frame, content)
    assert proof.n_drawn(studio, order) == 0


def test_sizes_that_no_video_has(studio, order):
    for width, height in ((961, 540), (960, 0), (5000, 540)):
        with pytest.raises(InvalidParameter, match="even number"):
            proof_order.check_size(width, height)
    with pytest.raises(FernTideError, match="another picture"):
        proof.take_frame(studio, order.model_copy(update={"width": 320}), 0, picture(0))


def test_another_motion_is_another_picture(studio, order, levels):
    project = order.project
    stage = Stages(studio.media).of(project.scene)
    assert proof_order.pictures_key(levels, project.but(name="Other"), stage) == order.pictures, "its name is not seen"
    slower = project.but(length_frames=N_FRAMES + 1)
    assert proof_order.pictures_key(levels, slower, stage) != order.pictures
