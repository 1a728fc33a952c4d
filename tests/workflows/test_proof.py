"""Videos of made pictures and sound, decoded by PyAV: every frame is in them, the sound is where it was."""

import io
import zipfile
from fractions import Fraction

import av
import numpy as np
import pytest
import soundfile
from PIL import Image

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.workflows.derive.stages import Stages
from fern_tide.workflows.hand_off import proof
from fern_tide.workflows.hand_off.video import KINDS, encode, small

WIDE, TALL, CELLS = 160, 90, 8
N_FRAMES = 50


def picture(frame, *, clear=False):
    """A picture whose upper half says its number in black and white marks."""
    pixels = np.full((TALL, WIDE, 4), 90, dtype=np.uint8)
    pixels[..., 3] = 128 if clear else 255
    for at in range(CELLS):
        pixels[: TALL // 2, at * 20 : at * 20 + 20, :3] = 255 if frame >> (CELLS - 1 - at) & 1 else 0
    out = io.BytesIO()
    image = Image.fromarray(pixels)
    if clear:
        image.save(out, "PNG")
    else:
        image.convert("RGB").save(out, "JPEG", quality=93)
    return out.getvalue()


def number(pixels):
    marks = [int(pixels[10:30, at * 20 + 5 : at * 20 + 15, :3].mean() > 127) for at in range(CELLS)]
    return int("".join(map(str, marks)), 2)


@pytest.fixture(scope="module")
def noise(tmp_path_factory):
    """Two seconds of a soft sweep with a click, in stereo, at 44.1 kHz: no stretch of it is like another."""
    path = tmp_path_factory.mktemp("sound") / "mix.wav"
    t = np.arange(2 * 44_100) / 44_100
    wave = 0.3 * np.sin(2 * np.pi * (200 * t + 900 * t**2))
    soundfile.write(path, np.stack([wave, 0.5 * wave], axis=1), 44_100, subtype="PCM_16")
    return path


def made(kind, sound, fps=Fraction(30000, 1001)):
    out = io.BytesIO()
    frames = (picture(frame, clear=KINDS[kind].clear) for frame in range(N_FRAMES))
    encode(KINDS[kind], frames, out=out, n_frames=N_FRAMES, fps=fps, sound=sound)
    out.seek(0)
    return out


@pytest.mark.parametrize("kind", ["mp4", "webm", "clear-webm", "ffv1"])
def test_every_frame_is_there_once_and_the_sound_is_not_a_sample_off(kind, noise):
    fps = Fraction(30000, 1001)
    with av.open(made(kind, noise, fps)) as video:
        frames = [(frame.time, number(frame.to_ndarray(format="rgb24"))) for frame in video.decode(video=0)]
    assert [shown for _, shown in frames] == list(range(N_FRAMES))
    tick = 1e-3 if kind != "mp4" else 1e-4  # Matroska counts in milliseconds
    np.testing.assert_allclose([at for at, _ in frames], [float(k / fps) for k in range(N_FRAMES)], atol=tick)
    content = made(kind, noise, fps)
    with av.open(content) as video:
        resampler = av.AudioResampler(format="fltp", layout="stereo", rate=48_000)
        blocks = [out.to_ndarray() for frame in video.decode(audio=0) for out in resampler.resample(frame)]
    heard = np.concatenate(blocks, axis=1)[0]
    samples, rate = soundfile.read(noise)
    from scipy.signal import correlate, resample_poly

    wanted = resample_poly(samples[:, 0], 160, 147)[: round(N_FRAMES / fps * 48_000)]
    span = min(len(wanted), len(heard))
    lag = int(np.argmax(correlate(heard[:span], wanted[:span], mode="full"))) - (span - 1)
    assert lag == 0 and rate == 44_100
    assert abs(len(heard) - len(wanted)) <= 1024, "it is as long as the pictures, up to the codec's own block"


def test_what_is_see_through_stays_so(noise):
    with av.open(made("ffv1", noise)) as video:
        frame = next(video.decode(video=0)).to_ndarray(format="rgba")
    np.testing.assert_array_equal(frame[80, 80], [90, 90, 90, 128])
    with av.open(made("clear-webm", noise)) as video:
        stream = video.streams.video[0]
        assert stream.metadata.get("alpha_mode", stream.metadata.get("ALPHA_MODE")) == "1"
    archive = zipfile.ZipFile(made("png", None))
    assert archive.namelist() == [f"frame-{frame:06d}.png" for frame in range(N_FRAMES)]
    assert archive.read("frame-000007.png") == picture(7, clear=True)


def test_a_loop_is_an_animated_webp_whose_frames_keep_their_time():
    loop = Image.open(made("webp", None))
    assert loop.n_frames == N_FRAMES and loop.info["loop"] == 0
    lasts, numbers = [], []
    for frame in range(N_FRAMES):
        loop.seek(frame)
        numbers.append(number(np.asarray(loop.convert("RGB"))))
        lasts.append(loop.info["duration"])
    assert numbers == list(range(N_FRAMES)) and sum(lasts) == round(1000 * N_FRAMES * 1001 / 30000)


def test_sound_at_the_videos_own_rate_is_as_it_was_then_silent(tmp_path):
    path, wave = tmp_path / "short.wav", np.random.default_rng(1).uniform(-0.5, 0.5, 70_000)
    soundfile.write(path, wave, 48_000, subtype="FLOAT")
    with av.open(made("ffv1", path, Fraction(10))) as video:
        heard = np.concatenate([frame.to_ndarray() for frame in video.decode(audio=0)], axis=1)
    heard = heard.reshape(-1, 2).T / 32768
    assert heard.shape[1] == N_FRAMES * 4800 and not heard[:, 70_000:].any()
    np.testing.assert_allclose(heard[:, :70_000], np.stack([wave, wave]), atol=1e-4)


def test_a_silent_project_gives_a_video_without_sound():
    with av.open(made("mp4", None)) as video:
        assert [stream.type for stream in video.streams] == ["video"]


def test_a_picture_is_measured_at_a_small_size():
    pixels = small(picture(0b10000000), (8, 6))
    assert pixels.shape == (6, 8, 3) and pixels[0, 0].mean() > 230 and pixels[0, 4].mean() < 25


# --- through the studio


@pytest.fixture
def order(studio, key, levels):
    project = studio.projects.current(key).document.but(length_frames=N_FRAMES)
    stage = Stages(studio.media).of(project.scene)
    pictures = proof.pictures_key(levels, project, stage)
    return proof.ProofOrder(project=project, pictures=pictures, kind="mp4", width=WIDE, height=TALL)


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
    assert own.key == order.key != other.key and other.frames_key == order.frames_key


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
            proof.check_size(width, height)
    with pytest.raises(FernTideError, match="another picture"):
        proof.take_frame(studio, order.model_copy(update={"width": 320}), 0, picture(0))


def test_another_motion_is_another_picture(studio, order, levels):
    project = order.project
    stage = Stages(studio.media).of(project.scene)
    assert proof.pictures_key(levels, project.but(name="Other"), stage) == order.pictures, "its name is not seen"
    slower = project.but(length_frames=N_FRAMES + 1)
    assert proof.pictures_key(levels, slower, stage) != order.pictures
