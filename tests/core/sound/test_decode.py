"""Every common format is decoded to the sample, and files that lie are refused with words."""

import contextlib
import io
import struct
from types import SimpleNamespace

import av
import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from tests.conftest import drums, sine, wav

from fern_tide.core.base.errors import Cancelled, UnreadableSound
from fern_tide.core.sound.containers import _Place
from fern_tide.core.sound.decode import SoundInfo, SoundLimits, blocks, measure
from fern_tide.core.sound.mix import MixTrack, mix_blocks, mix_rate_hz

EXACT = [("WAV", kind) for kind in ("PCM_U8", "PCM_16", "PCM_24", "PCM_32", "FLOAT", "DOUBLE")]
EXACT += [("RF64", "PCM_24"), ("AIFF", "PCM_16"), ("AIFF", "FLOAT"), ("AU", "PCM_24"), ("CAF", "PCM_16")]
EXACT += [("CAF", "DOUBLE"), ("FLAC", "PCM_16"), ("FLAC", "PCM_24")]
LOSSY = [("OGG", "VORBIS"), ("OGG", "OPUS"), ("MP3", "MPEG_LAYER_III")]


def decoded(content: bytes) -> np.ndarray:
    return np.concatenate(list(blocks(io.BytesIO(content))), axis=1)


@pytest.mark.parametrize(("kind", "subtype"), EXACT)
def test_formats_without_loss_come_back_to_the_sample(kind, subtype):
    x = np.stack([sine(440, seconds=0.3), sine(660, seconds=0.3)])
    content = wav(x, subtype=subtype, kind=kind)
    info = measure(io.BytesIO(content))
    assert (info.format, info.channels, info.sample_rate_hz, info.n_samples) == (kind, 2, 48_000, x.shape[1])
    np.testing.assert_allclose(decoded(content), x, atol=2**-7 if subtype == "PCM_U8" else 2**-15)


@pytest.mark.parametrize("rate_hz", [8_000, 22_050, 88_200, 192_000])
@pytest.mark.parametrize("channels", [1, 3, 8])
def test_rates_from_8_to_192_khz_and_up_to_8_channels_are_read(rate_hz, channels):
    content = wav(
        np.stack([sine(300 + 50 * n, seconds=0.1, rate_hz=rate_hz) for n in range(channels)]), rate_hz=rate_hz
    )
    info = measure(io.BytesIO(content))
    assert (info.sample_rate_hz, info.channels, info.n_samples) == (rate_hz, channels, rate_hz // 10)
    assert decoded(content).shape == (channels, rate_hz // 10)


@pytest.mark.parametrize(("kind", "subtype"), LOSSY)
def test_formats_with_loss_come_back_in_time(kind, subtype):
    x = np.zeros(480_000)
    for start in (24_000, 424_000):  # the later one lies many blocks on
        x[start : start + 6_000] = sine(500, amplitude=0.8, seconds=6_000 / 48_000)
    content = wav(x, subtype=subtype, kind=kind)
    assert measure(io.BytesIO(content)).n_samples == pytest.approx(480_000, abs=2_400)
    found = decoded(content)[0]
    for start in (24_000, 424_000):
        loud = np.abs(found[start - 2_000 : start + 2_000]) > 0.2
        assert np.flatnonzero(loud)[0] - 2_000 == pytest.approx(0, abs=60)


def claims_40_hours() -> bytes:
    """Ten seconds that claim 40 hours: 8-bit mono at 8 kHz."""
    content = bytearray(wav(np.zeros(80_000), rate_hz=8_000, subtype="PCM_U8"))
    at = content.index(b"data")
    struct.pack_into("<I", content, at + 4, 40 * 3600 * 8_000)
    struct.pack_into("<I", content, 4, 40 * 3600 * 8_000 + 36)
    return bytes(content)


def flac_that_claims_40_hours() -> bytes:
    content = bytearray(wav(drums(seconds=1), rate_hz=44_100, kind="FLAC", subtype="PCM_16"))
    field = int.from_bytes(content[18:26], "big")
    content[18:26] = (field >> 36 << 36 | 44_100 * 3600 * 40 % 2**36).to_bytes(8, "big")
    return bytes(content)


WRONG = {
    "empty": (b"", "The file is empty"),
    "text": (b"This is a shopping list, not a sound.\n" * 40, "not a sound file"),
    "truncated flac": (wav(drums(), rate_hz=44_100, kind="FLAC", subtype="PCM_16")[:60_000], "cut off or damaged"),
    "truncated wav": (wav(drums(), rate_hz=44_100)[:200_000], "of sound, but only .* is there"),
    "wav that claims 40 hours": (claims_40_hours(), "holds 40.0 hours of sound, but only 10.0 seconds"),
    "flac that claims 40 hours": (flac_that_claims_40_hours(), "holds 40.0 hours"),
    "no samples": (wav(np.zeros(0)), "no samples"),
    "nine channels": (wav(np.zeros((9, 100)), subtype="PCM_16"), "9 channels; at most 8"),
    "slow": (wav(np.zeros(100), rate_hz=4_000), "4000 samples a second"),
    "not a number": (wav(np.array([0.0, np.nan, 0.5])), "no numbers"),
    "infinite": (wav(np.array([0.0, np.inf, 0.5])), "no numbers"),
    "a hole later": (wav(np.where(np.arange(144_000) == 96_000, np.nan, 0.1)), "no numbers, near 2.0 seconds"),
}


@pytest.mark.parametrize(("content", "words"), WRONG.values(), ids=WRONG)
def test_a_wrong_file_is_refused_with_words(content, words):
    with pytest.raises(UnreadableSound, match=words) as refused:
        measure(io.BytesIO(content))
    assert refused.value.remedy


@pytest.mark.parametrize("length", [20, 28, 35])
def test_a_wav_that_ends_inside_its_header_is_refused(length):
    with pytest.raises(UnreadableSound, match=r"ends inside its header|not a sound file"):
        measure(io.BytesIO(wav(drums())[:length]))


def test_a_single_sample_is_a_sound():
    assert measure(io.BytesIO(wav(np.array([0.5])))).n_samples == 1


def test_a_sound_longer_than_the_limit_is_refused_while_decoding():
    with pytest.raises(UnreadableSound, match="longer than 1.0 seconds"):
        measure(io.BytesIO(wav(np.zeros(60_000))), limits=SoundLimits(longest_s=1))


def test_measuring_can_be_cancelled():
    with pytest.raises(Cancelled):
        measure(io.BytesIO(wav(np.zeros(200_000))), progress=lambda done, total: False)


def mixed(*sounds: tuple[np.ndarray, int, int], n_samples: int, rate_hz: int) -> np.ndarray:
    tracks = []
    for samples, own_rate, offset in sounds:
        content = wav(samples, rate_hz=own_rate)
        tracks.append(MixTrack(io.BytesIO(content), measure(io.BytesIO(content)), offset))
    return np.concatenate(list(mix_blocks(tracks, rate_hz=rate_hz, n_samples=n_samples)), axis=1)


def test_tracks_are_mixed_once_and_to_the_sample():
    a, b = np.zeros(100_000), np.zeros(50_000)
    a[70_000], b[10] = 0.25, 0.5
    out = mixed((a, 48_000, 0), (b, 48_000, 90_000), n_samples=120_000, rate_hz=48_000)
    assert out.shape == (2, 120_000)
    assert np.flatnonzero(out[0]).tolist() == [70_000, 90_010]
    assert out[1, 70_000] == 0.25


def test_a_track_at_another_rate_stays_in_time_over_many_blocks():
    x = np.zeros(44_100 * 8)
    x[44_100 * 6 : 44_100 * 6 + 400] = sine(1_000, amplitude=0.9, seconds=400 / 44_100, rate_hz=44_100)
    out = mixed((x, 44_100, 0), n_samples=48_000 * 8, rate_hz=48_000)[0]
    energy = out**2
    centre = (energy * np.arange(out.size)).sum() / energy.sum()
    assert centre == pytest.approx((44_100 * 6 + 199.5) * 48_000 / 44_100, abs=2)
    assert np.abs(out).max() == pytest.approx(0.9, rel=0.05)


def test_a_steady_tone_has_no_seams_when_resampled():
    x = sine(997, amplitude=0.5, seconds=5, rate_hz=44_100)
    out = mixed((x, 44_100, 0), n_samples=48_000 * 5, rate_hz=48_000)[0]
    expected = sine(997, amplitude=0.5, seconds=5, rate_hz=48_000)
    np.testing.assert_allclose(out[2_000:-2_000], expected[2_000:-2_000], atol=2e-3)


def test_the_mix_has_the_highest_rate_that_players_take():
    def info(rate_hz):
        return SoundInfo(format="WAV", encoding="PCM_16", channels=1, sample_rate_hz=rate_hz, n_samples=1)

    assert mix_rate_hz([info(44_100), info(48_000)]) == 48_000
    assert mix_rate_hz([info(192_000)]) == 96_000


def two_sounds() -> bytes:
    """A film with two sound streams: a tone of 500 Hz, then silence."""
    out = io.BytesIO()
    with av.open(out, "w", format="matroska") as container:
        streams = [container.add_stream("flac", rate=48_000, layout="stereo") for _ in range(2)]
        for stream, level in zip(streams, (0.5, 0.0), strict=True):
            x = np.repeat(sine(500, amplitude=level, seconds=0.5)[None], 2, axis=0) * 32_000
            frame = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(x.T.reshape(1, -1), dtype=np.int16), "s16", "stereo"
            )
            frame.sample_rate, frame.pts = 48_000, 0
            for packet in [*stream.encode(frame), *stream.encode(None)]:
                container.mux(packet)
    return out.getvalue()


def test_of_two_sound_streams_the_first_is_read_and_that_is_said():
    content = two_sounds()
    info = measure(io.BytesIO(content))
    assert info.note == "The file has 2 sound streams; the first is read."
    assert np.abs(decoded(content)).max() > 0.3


def contained(
    kind: str, codec: str, *, sound: bool = True, picture: bool = False, late_s: float = 0.0, seconds: int = 1
) -> bytes:
    """A container made with PyAV: a tone from 0.5 s on, perhaps beside a picture."""
    out = io.BytesIO()
    with av.open(out, "w", format=kind) as container:
        if picture:
            video = container.add_stream("libvpx" if kind == "webm" else "mpeg4", rate=25)
            video.width, video.height, video.pix_fmt = 32, 32, "yuv420p"
        if sound:
            stream = container.add_stream(codec, rate=48_000, layout="stereo")
            stream.bit_rate = 128_000
        for k in range(25 if picture else 0):
            frame = av.VideoFrame.from_ndarray(np.zeros((32, 32, 3), dtype=np.uint8), format="rgb24")
            frame.pts = k
            container.mux(video.encode(frame))
        if picture:
            container.mux(video.encode(None))
        if sound:
            x = np.zeros((2, seconds * 48_000), dtype=np.float32)
            x[:, 24_000:] = sine(500, amplitude=0.5, seconds=seconds - 0.5)
            size = stream.codec_context.frame_size or 1_024
            for start in range(0, x.shape[1], size):
                frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(x[:, start : start + size]), "fltp", "stereo")
                frame.sample_rate, frame.pts = 48_000, start + round(late_s * 48_000)
                container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
    return out.getvalue()


CONTAINED = [("ipod", "aac", "MOV"), ("mp4", "aac", "MOV"), ("mov", "alac", "MOV"), ("webm", "libopus", "MATROSKA")]
CONTAINED += [("matroska", "flac", "MATROSKA"), ("asf", "wmav2", "ASF"), ("adts", "aac", "AAC")]


@pytest.mark.parametrize(("kind", "codec", "name"), CONTAINED)
def test_the_sound_of_containers_comes_back_in_time(kind, codec, name):
    content = contained(kind, codec, picture=kind in {"mp4", "webm"})
    info = measure(io.BytesIO(content))
    assert (info.format, info.channels, info.sample_rate_hz) == (name, 2, 48_000)
    found = decoded(content)
    assert found.shape[1] == info.n_samples == pytest.approx(48_000, abs=4_200)
    loud = np.flatnonzero(np.abs(found[0]) > 0.2)
    assert loud[0] == pytest.approx(24_000, abs=150)


def test_the_small_pieces_of_codecs_come_together():
    content = contained("ipod", "aac", seconds=20)
    lengths = [block.shape[1] for block in blocks(io.BytesIO(content))]
    assert sum(lengths) == measure(io.BytesIO(content)).n_samples
    assert all(262_000 <= length < 264_000 for length in lengths[1:-1]) and len(lengths) == 4


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (contained("mp4", "aac", sound=False, picture=True), "no sound in it"),
        (contained("mp4", "aac")[:3_000], "cannot be decoded|only .* is there"),
        (b"\0\0\0\x18ftypmp42" + b"\xff" * 500, "cannot be decoded"),
        (b"\x1aE\xdf\xa3" + b"\x01" * 300, "cannot be decoded|no sound"),
        (b"#EXTM3U\n#EXTINF:10,\nfile:///etc/passwd\n", "not a sound file"),
        (b"ffconcat version 1.0\nfile /etc/passwd\n", "not a sound file"),
    ],
    ids=["no sound", "cut off", "mp4 nonsense", "matroska nonsense", "playlist", "concat list"],
)
def test_a_wrong_container_is_refused_and_a_list_of_files_is_never_followed(content, words):
    with pytest.raises(UnreadableSound, match=words):
        measure(io.BytesIO(content))


@pytest.mark.parametrize(
    ("at_s", "missing", "next_missing"),
    [(1.0, 0, 0), (1.04, 0, 0), (1.06, 60, 0), (0.0, 0, 0), (3601.0, 3_600_000, 0), (3602.0, 0, 0)],
)
def test_a_gap_is_as_long_as_the_clock_says_but_not_if_the_clock_is_wrong(at_s, missing, next_missing):
    """1,000 samples a second; a second of sound is there, and then a frame says when it comes."""
    place = _Place(first_s=0.0, base_s=0.001, sample_rate_hz=1000)
    place.samples = 1000
    assert place.gap_before(SimpleNamespace(pts=round(at_s * 1000))) == missing
    place.samples += 100
    after = at_s + 0.1  # where the clock jumped it is begun anew, so that nothing is missing then
    assert place.gap_before(SimpleNamespace(pts=round(after * 1000))) == next_missing
    assert place.gap_before(SimpleNamespace(pts=None)) == 0


@settings(max_examples=300, deadline=None)
@example([(20, 0), (21, 0)], 4000)  # a coding that nobody knows
@given(st.lists(st.tuples(st.integers(0, 120), st.integers(0, 255)), min_size=1, max_size=12), st.integers(1, 4000))
def test_a_spoilt_wav_is_refused_or_read_and_never_our_fault(changes, length):
    whole = bytearray(wav(sine(440, seconds=0.05), rate_hz=22_050, subtype="PCM_16"))
    for at, value in changes:
        whole[at] = value
    with contextlib.suppress(UnreadableSound):
        measure(io.BytesIO(bytes(whole[:length])))
