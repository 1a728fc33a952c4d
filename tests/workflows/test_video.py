"""Videos of made pictures and sound, decoded by PyAV: every frame is in them, the sound is where it was."""

import io
import zipfile
from fractions import Fraction

import av
import numpy as np
import pytest
import soundfile
from PIL import Image

from fern_tide.workflows.hand_off.video import KINDS, archive, decoded, encode, join, small
from fern_tide.workflows.hand_off.video_sound import SOUND_HZ, encode_sound

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


@pytest.fixture
def made(tmp_path):
    """A video as it is made: its parts of no even length, one of them empty, and the sound."""

    def make(kind, sound, fps=Fraction(30000, 1001)):
        out, parts, voice = io.BytesIO(), [], None
        for at, (first, end) in enumerate([(0, 17), (17, 18), (18, 18), (18, N_FRAMES)]):
            parts.append(tmp_path / f"{at}{KINDS[kind].extension}")
            frames = (decoded(picture(frame, clear=KINDS[kind].clear)) for frame in range(first, end))
            with parts[-1].open("w+b") as part:
                assert encode(KINDS[kind], frames, out=part, fps=fps) == end - first
        if sound:
            voice = tmp_path / f"voice{KINDS[kind].extension}"
            codec, container, n_samples = KINDS[kind].sound, KINDS[kind].container, round(N_FRAMES / fps * SOUND_HZ)
            with voice.open("w+b") as file:
                encode_sound(sound, codec=codec, container=container, out=file, n_samples=n_samples)
        join(KINDS[kind], parts, out=out, fps=fps, sound=voice)
        out.seek(0)
        return out

    return make


@pytest.mark.parametrize("kind", ["mp4", "webm", "clear-webm", "ffv1"])
def test_every_frame_is_there_once_and_the_sound_is_not_a_sample_off(kind, noise, made):
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


def test_what_is_see_through_stays_so(noise, made):
    with av.open(made("ffv1", noise)) as video:
        frame = next(video.decode(video=0)).to_ndarray(format="rgba")
    np.testing.assert_array_equal(frame[80, 80], [90, 90, 90, 128])
    with av.open(made("clear-webm", noise)) as video:
        stream = video.streams.video[0]
        assert stream.metadata.get("alpha_mode", stream.metadata.get("ALPHA_MODE")) == "1"
    out = io.BytesIO()
    archive((picture(frame, clear=True) for frame in range(N_FRAMES)), out)
    pictures = zipfile.ZipFile(out)
    assert pictures.namelist() == [f"frame-{frame:06d}.png" for frame in range(N_FRAMES)]
    assert pictures.read("frame-000007.png") == picture(7, clear=True)


def test_a_loop_is_an_animated_webp_whose_frames_keep_their_time():
    out = io.BytesIO()
    encode(KINDS["webp"], (decoded(picture(frame)) for frame in range(N_FRAMES)), out=out, fps=Fraction(30000, 1001))
    loop = Image.open(out)
    assert loop.n_frames == N_FRAMES and loop.info["loop"] == 0
    lasts, numbers = [], []
    for frame in range(N_FRAMES):
        loop.seek(frame)
        numbers.append(number(np.asarray(loop.convert("RGB"))))
        lasts.append(loop.info["duration"])
    assert numbers == list(range(N_FRAMES)) and sum(lasts) == round(1000 * N_FRAMES * 1001 / 30000)


def test_sound_at_the_videos_own_rate_is_as_it_was_then_silent(tmp_path, made):
    path, wave = tmp_path / "short.wav", np.random.default_rng(1).uniform(-0.5, 0.5, 70_000)
    soundfile.write(path, wave, 48_000, subtype="FLOAT")
    with av.open(made("ffv1", path, Fraction(10))) as video:
        heard = np.concatenate([frame.to_ndarray() for frame in video.decode(audio=0)], axis=1)
    heard = heard.reshape(-1, 2).T / 32768
    assert heard.shape[1] == N_FRAMES * 4800 and not heard[:, 70_000:].any()
    np.testing.assert_allclose(heard[:, :70_000], np.stack([wave, wave]), atol=1e-4)


def test_a_silent_project_gives_a_video_without_sound(made):
    with av.open(made("mp4", None)) as video:
        assert [stream.type for stream in video.streams] == ["video"]


def test_a_picture_is_measured_at_a_small_size():
    pixels = small(decoded(picture(0b10000000)), (8, 6))
    assert pixels.shape == (6, 8, 3) and pixels[0, 0].mean() > 230 and pixels[0, 4].mean() < 25


def test_a_video_has_a_key_frame_a_part_and_no_other_picture_whole(made):
    still = picture(5)
    for kind, most in (("mp4", 0.2), ("webm", 0.4)):
        out = io.BytesIO()
        encode(KINDS[kind], (decoded(still) for _ in range(60)), out=out, fps=Fraction(30))
        out.seek(0)
        with av.open(out) as video:
            packets = [packet for packet in video.demux(video.streams.video[0]) if packet.size]
        assert [packet.is_keyframe for packet in packets] == [True] + 59 * [False]
        assert sum(packet.size for packet in packets[1:]) < most * 59 * len(still), (
            "what stands still takes next to nothing"
        )
    with av.open(made("mp4", None)) as video:
        keys = [packet.is_keyframe for packet in video.demux(video.streams.video[0]) if packet.size]
    assert sum(keys) == 3 and len(keys) == N_FRAMES
