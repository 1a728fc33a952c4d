"""Sounds that ffmpeg encoded, in every container, early and late: they come back where they were, within 1 ms."""

import io

import numpy as np
import pytest
from tests.judges.ffmpeg import decoded, encoded, ffmpeg, lag

from fern_tide.core.base.errors import UnreadableSound
from fern_tide.core.sound.decode import measure

MS = 48
PICTURE = ("-f", "lavfi", "-i", "testsrc=size=64x64:rate=25:duration=3")


@pytest.fixture(scope="module")
def bursts() -> np.ndarray:
    """Three seconds in which noise between 300 Hz and 6 kHz sounds for a fifth of every second; shape (2, n)."""
    rng = np.random.default_rng(1)
    n = 3 * 48_000
    spectrum = np.fft.rfft(rng.normal(size=(2, n)))
    hz = np.fft.rfftfreq(n, 1 / 48_000)
    spectrum[:, (hz < 300) | (hz > 6_000)] = 0
    x = np.fft.irfft(spectrum, n)
    x[:, np.arange(n) % 48_000 > 9_600] = 0
    return 0.7 * x / np.abs(x).max()


IN_TIME = {
    "a.m4a": "aac",
    "a.mov": "alac",
    "a.mkv": "aac",
    "ac3.mkv": "ac3",
    "eac3.mkv": "eac3",
    "mp3.mkv": "libmp3lame",
    "vorbis.mkv": "libvorbis",
    "a.flac.mkv": "flac",
    "mp3.mp4": "libmp3lame",
    "a.ogg": "libvorbis",
    "a.opus": "libopus",
    "a.wma": "wmav2",
}


@pytest.mark.parametrize("late_s", [0.0, 0.5, 1.5])
@pytest.mark.parametrize("name", IN_TIME)
def test_a_sound_that_begins_late_is_late_in_every_container_alike(name, late_s, bursts, tmp_path):
    content = encoded(bursts, tmp_path, name, "-c:a", IN_TIME[name], "-b:a", "192k", before=("-itsoffset", str(late_s)))
    assert lag(decoded(content)[0], bursts[0]) == pytest.approx(late_s * 48_000, abs=MS)
    note = measure(io.BytesIO(content)).note
    assert ("silence before it" in note) == (late_s > 0) and "not known" not in note


@pytest.mark.parametrize("late_s", [0.0, 0.5])
@pytest.mark.parametrize(
    ("name", "codec"), [("a.mp4", "aac"), ("b.mp4", "ac3"), ("a.mkv", "aac"), ("a.mov", "pcm_s16le")]
)
def test_the_sound_of_a_film_keeps_its_place_beside_the_picture(name, codec, late_s, bursts, tmp_path):
    before = (*PICTURE, "-itsoffset", str(late_s))
    content = encoded(bursts, tmp_path, name, "-map", "0", "-map", "1", "-c:a", codec, "-b:a", "192k", before=before)
    assert lag(decoded(content)[0], bursts[0]) == pytest.approx(late_s * 48_000, abs=MS)


BARE = {
    "mp3 of constant rate, no length": ("a.mp3", "-c:a libmp3lame -b:a 192k -write_xing 0 -id3v2_version 0"),
    "mp3 of variable rate, no length": ("a.mp3", "-c:a libmp3lame -q:a 2 -write_xing 0 -id3v2_version 0"),
    "mp3 of variable rate": ("a.mp3", "-c:a libmp3lame -q:a 2"),
    "mp2": ("a.mp2", "-c:a mp2 -b:a 192k"),
    "aac": ("a.aac", "-c:a aac -b:a 128k"),
    "ac3": ("a.ac3", "-c:a ac3 -b:a 192k"),
    "eac3": ("a.eac3", "-c:a eac3 -b:a 192k"),
    "transport stream": ("a.ts", "-c:a aac"),
    "programme stream": ("a.mpg", "-c:a mp2"),
    "64-bit integers": ("a.wav", "-c:a pcm_s64le"),
    "mp3 in a wav": ("a.wav", "-c:a libmp3lame"),
    "ac3 in a wav": ("a.wav", "-c:a ac3"),
}


@pytest.mark.parametrize(("name", "options"), BARE.values(), ids=BARE)
def test_a_codec_without_a_container_comes_back_in_time_and_whole(name, options, bursts, tmp_path):
    content = encoded(bursts, tmp_path, name, *options.split())
    info = measure(io.BytesIO(content))
    heard = decoded(content)
    assert lag(heard[0], bursts[0]) == pytest.approx(0, abs=MS)
    assert heard.shape[1] == info.n_samples == pytest.approx(144_000, abs=1_600)
    assert info.note == ""


def with_quiet_start(seconds: int = 24) -> np.ndarray:
    """Sound whose first half is hardly there, so that its first frames are far smaller than the rest."""
    rng = np.random.default_rng(3)
    x = rng.normal(size=(2, seconds * 48_000)) * 0.2
    x[:, : x.shape[1] // 2] *= 1e-5
    return x


@pytest.mark.parametrize(
    ("name", "options"),
    [("a.mp3", "-c:a libmp3lame -q:a 0 -write_xing 0 -id3v2_version 0"), ("a.aac", "-c:a aac -b:a 192k")],
    ids=["mp3", "aac"],
)
def test_the_length_is_what_decodes_not_what_the_first_frames_promise(name, options, tmp_path):
    x = with_quiet_start()
    for sound in (x, x[:, ::-1]):
        content = encoded(sound, tmp_path, name, *options.split())
        info = measure(io.BytesIO(content))
        assert info.n_samples == pytest.approx(x.shape[1], abs=2_400)
        assert decoded(content).shape[1] == info.n_samples
        judged = np.frombuffer(ffmpeg("-i", "-", "-f", "f32le", "-", given=content), dtype="<f4").reshape(-1, 2).T
        assert abs(judged.shape[1] - info.n_samples) <= 1_152


def test_decoding_agrees_with_ffmpeg_to_the_sample(bursts, tmp_path):
    for name in ("a.flac", "a.m4a", "b.mp3", "b.ogg", "b.ac3"):
        content = encoded(bursts, tmp_path, name)
        judged = np.frombuffer(ffmpeg("-i", str(tmp_path / name), "-f", "f32le", "-"), dtype="<f4").reshape(-1, 2).T
        ours = decoded(content)
        skip = 256 if name == "b.ac3" else 0  # ffmpeg leaves the run-up of a bare AC-3 in
        n = min(ours.shape[1], judged.shape[1] - skip)
        assert n > 140_000
        np.testing.assert_allclose(ours[:, :n], judged[:, skip : skip + n], atol=2e-4)


def test_an_unknown_encoder_is_said(bursts, tmp_path):
    content = encoded(bursts, tmp_path, "a.aac", "-c:a", "aac", "-b:a", "128k").replace(b"Lavc", b"Xxxx")
    info = measure(io.BytesIO(content))
    assert "encoder is not known" in info.note and "up to 25 ms late" in info.note
    assert lag(decoded(content)[0], bursts[0]) == pytest.approx(0, abs=MS)


def test_a_container_that_claims_more_than_decodes_is_read_and_said(tmp_path, bursts):
    content = encoded(bursts, tmp_path, "a.mp3", "-c:a", "libmp3lame", "-b:a", "192k")
    info = measure(io.BytesIO(content[: len(content) // 2]))
    assert info.n_samples == pytest.approx(72_000, abs=3_000)
    assert "says that it holds 3.0 seconds; 1.5 seconds are there" in info.note


def test_damage_in_the_middle_leaves_silence_and_what_follows_stays_in_time(tmp_path, bursts):
    content = bytearray(encoded(bursts, tmp_path, "a.ts", "-c:a", "ac3", "-b:a", "192k"))
    middle = len(content) // 2
    content[middle : middle + 1_500] = b"\xaa" * 1_500
    heard = decoded(bytes(content))
    later = heard[0, 2 * 48_000 - 1_000 :]
    assert lag(later, bursts[0, 2 * 48_000 :]) == pytest.approx(1_000, abs=MS)


def test_nothing_but_damage_is_refused(tmp_path, bursts):
    content = bytearray(encoded(bursts, tmp_path, "a.mp3", "-c:a", "libmp3lame", "-b:a", "192k"))
    rng = np.random.default_rng(0)
    content[3_000:] = rng.bytes(len(content) - 3_000)
    with pytest.raises(UnreadableSound, match=r"cannot be decoded"):
        measure(io.BytesIO(bytes(content)))
