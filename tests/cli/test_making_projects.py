"""Projects made on the command line: a bank spread over parts, and a first cut."""

import json
import zipfile

import pytest
from tests.conftest import drums, wav

from fern_tide.cli import main


@pytest.fixture
def sound(tmp_path):
    path = tmp_path / "Rain drums.wav"
    path.write_bytes(wav(drums(), rate_hz=44_100))
    return path


BARS = (
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 100">'
    + "".join(f'<rect id="bar-{n}" x="{x}" y="40" width="20" height="60"/>' for n, x in ((1, 200), (2, 0), (3, 100)))
    + "</svg>"
)


def project_of(path):
    with zipfile.ZipFile(path) as archive:
        name = next(name for name in archive.namelist() if name.endswith(".json"))
        return json.loads(archive.read(name))


def test_map_spreads_a_bank_over_the_parts_of_a_pattern_in_an_order(sound, tmp_path):
    (tmp_path / "bars.svg").write_text(BARS)
    out = tmp_path / "P.ferntide"
    words = ["map", str(sound), "--scene", str(tmp_path / "bars.svg"), "--reading", "bank bands=3", "--out", str(out)]
    target = ["--target", "bar-*:scale_y rest=0.2 full=1.5"]
    assert main([*words, *target, "--spread", "order=x"]) == 0
    (mapping,) = project_of(out)["mappings"]
    assert mapping["spread"] is True
    drives = [(drive["target"]["part"], drive["rank"], drive["rest"], drive["full"]) for drive in mapping["drives"]]
    assert drives == [("bar-2", 0.0, 0.2, 1.5), ("bar-3", 0.5, 0.2, 1.5), ("bar-1", 1.0, 0.2, 1.5)]
    assert main([*words, *target, "--spread", "order=x backwards=yes"]) == 0
    assert project_of(out)["mappings"][0]["drives"][0]["target"]["part"] == "bar-1"


@pytest.mark.parametrize(
    ("more", "said"),
    [
        (["--target", "egg-*:scale_y"], "No part named like egg-*"),
        (["--target", "lamp:turn", "--spread", "order=sideways"], "no order named sideways"),
        (["--target", "lamp:turn", "--spread", "ordr=x"], "ordr is unknown"),
    ],
)
def test_a_pattern_or_an_order_that_is_none_is_refused_in_one_line(sound, tmp_path, capsys, more, said):
    assert main(["map", str(sound), "--out", str(tmp_path / "x.ferntide"), *more]) == 2
    text = capsys.readouterr().err
    assert said in text and text.count("\n") == 1


def test_a_first_cut_is_made_and_baked_without_a_browser(sound, tmp_path, capsys):
    out = tmp_path / "cut.ferntide"
    assert main(["first-cut", str(sound), "--out", str(out)]) == 0
    made = project_of(out)
    assert 3 <= len(made["mappings"]) <= 6 and made["first_cut"] is None
    again = tmp_path / "again.ferntide"
    assert main(["first-cut", str(sound), "--seed", "1", "--out", str(again)]) == 0
    assert project_of(again) == made, "the same seed, the same document"
    assert main(["bake", str(out), "--out", str(tmp_path / "baked")]) == 0
    assert main(["first-cut", str(sound), "--seed", "0", "--out", str(again)]) == 2
    assert "--seed is 0" in capsys.readouterr().err
