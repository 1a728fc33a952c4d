"""The document, its commands, its schema and its file."""

import contextlib
import io
import json
import zipfile
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.base.errors import FernTideError, InvalidParameter, UnknownName, UnreadableProject
from fern_tide.core.commands.registry import read_command
from fern_tide.core.document import Project, document_schema, read_project
from fern_tide.core.envelope.beat_grid import BeatSetting
from fern_tide.core.project_file import ProjectFileLimits, read_project_file, write_project_file
from fern_tide.demo.project import demo_project, demo_sounds

ROOT = Path(__file__).parents[2]


def plain() -> dict:
    return demo_project().model_dump(mode="json")


def command(kind, **fields):
    return read_command({"kind": kind, **fields})


def put_mapping(change):
    mapping = plain()["mappings"][0]
    change(mapping)
    return command("put_mapping", mapping=mapping)


def test_a_document_is_read_back_from_its_json_the_same():
    project = demo_project()
    assert read_project(project.model_dump_json()) == project


def test_a_document_cannot_be_changed():
    with pytest.raises(Exception, match="frozen"):
        demo_project().name = "x"


@pytest.mark.parametrize(
    ("label", "made"),
    [
        ("Move low water of Lamp glow", lambda: put_mapping(lambda m: m["marks"].update(low=0.06))),
        ("Move high water of Lamp glow", lambda: put_mapping(lambda m: m["marks"].update(high=0.5))),
        ("Mute Lamp glow", lambda: put_mapping(lambda m: m.update(muted=True))),
        ("Rename Lamp glow to Moon", lambda: put_mapping(lambda m: m.update(name="Moon"))),
        ("Let Reed drive Lamp glow", lambda: put_mapping(lambda m: m.update(envelope="reed"))),
        ("Add stairs to Lamp glow", lambda: put_mapping(lambda m: m["steps"].append({"id": "stairs"}))),
        ("Delete Lamp glow", lambda: command("remove_mapping", id="lamp-glow")),
        ("Move Lamp glow in the list", lambda: command("move_mapping", id="lamp-glow", place=2)),
        ("Set the rate to 23.976 fps", lambda: command("set_rate", rate="24000/1001")),
        ("Rename the project to Night", lambda: command("rename_project", name="Night")),
    ],
)
def test_an_edit_is_named_in_the_users_words_and_leaves_the_document_before_alone(label, made):
    before = demo_project()
    text = before.model_dump_json()
    edit = made()
    after = edit.apply(before)
    assert edit.label(before) == label
    assert after != before
    assert before.model_dump_json() == text


def test_moving_a_mapping_moves_it():
    after = command("move_mapping", id="lamp-glow", place=2).apply(demo_project())
    assert [m.id for m in after.mappings] == ["cloche-tops", "frond-sway", "lamp-glow", "rain-on-glass"]


def test_what_is_used_is_not_removed():
    with pytest.raises(FernTideError, match=r"Drip cannot be removed: it drives Lamp glow\. Choose another envelope"):
        command("remove_envelope", id="drip").apply(demo_project())
    with pytest.raises(FernTideError, match="Reed drives: Reed and Frond sway depend on it"):
        command("remove_track", id="reed").apply(demo_project())


@pytest.mark.parametrize(
    ("change", "wrong", "words"),
    [
        (lambda m: m.update(envelope="ghost"), UnknownName, "no envelope named ghost"),
        (lambda m: m["drives"][0]["target"].update(part="ghost"), UnknownName, "no part named ghost"),
        (lambda m: m["drives"][0].update(rest="#ffffff", full="#000000"), InvalidParameter, "at rest"),
    ],
)
def test_an_edit_that_points_at_nothing_is_refused(change, wrong, words):
    with pytest.raises(wrong, match=words):
        put_mapping(change).apply(demo_project())


@pytest.mark.parametrize(
    "made", [None, [], {"kind": "format_disk"}, {"kind": "put_mapping"}, {"kind": "set_rate", "rate": "0"}]
)
def test_what_is_no_command_is_refused(made):
    with pytest.raises(InvalidParameter):
        read_command(made)


def test_a_document_of_before_versions_recipes_and_stops_is_read_as_it_was_meant():
    old = plain()
    del old["recipes"]
    for mapping in old["mappings"]:
        del mapping["versions"]
        for drive in mapping["drives"]:
            del drive["stops"], drive["late_frames"]
    assert read_project(json.dumps(old)) == demo_project()


def test_a_newer_document_is_refused_with_a_reason():
    with pytest.raises(UnreadableProject, match="newer Fern Tide .* Update Fern Tide"):
        read_project(json.dumps({**plain(), "version": 2}))


@pytest.mark.parametrize("text", ["", "[]", "{}", "null", '{"version": "x"}', '{"version": 1}', "[" * 100_000])
def test_what_is_no_document_is_refused(text):
    with pytest.raises(UnreadableProject):
        read_project(text)


def test_the_published_schema_is_current_and_takes_the_demo():
    published = json.loads((ROOT / "docs/document.schema.json").read_text())
    assert published == json.loads(json.dumps(document_schema())), "run 'make schema'"
    jsonschema.Draft202012Validator(published).validate(plain())
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.Draft202012Validator(published).validate({**plain(), "extra": 1})


def packed(project: Project | None = None) -> bytes:
    out = io.BytesIO()
    by_hash = {track.media: demo_sounds()[track.name] for track in demo_project().tracks}
    write_project_file(out, project or demo_project(), media=lambda digest: io.BytesIO(by_hash[digest]))
    return out.getvalue()


def test_a_project_file_has_the_same_bytes_every_time_and_is_read_back():
    assert packed() == packed()
    media = {}
    project = read_project_file(
        io.BytesIO(packed()), keep=lambda digest, chunks: media.update({digest: b"".join(chunks)})
    )
    assert project == demo_project()
    assert media == {track.media: demo_sounds()[track.name] for track in project.tracks}


def repacked(**entries: bytes) -> io.BytesIO:
    """A project file with some entries replaced, left out (b'') or added."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(packed())) as source, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as target:
        names = [entry.filename for entry in source.infolist()]
        for name in dict.fromkeys([*names, *entries]):
            content = entries.get(name, source.read(name) if name in names else b"")
            if content:
                target.writestr(name, content)
    out.seek(0)
    return out


def media() -> str:
    return "media/" + demo_project().tracks[1].media


def drain(digest, chunks):
    for _ in chunks:
        pass


@pytest.mark.parametrize(
    ("stream", "words"),
    [
        (lambda: io.BytesIO(b"PK nothing"), "no Fern Tide project file"),
        (lambda: io.BytesIO(packed()[:5000]), "no Fern Tide project file"),
        (lambda: repacked(**{"document.json": b""}), "lacks document.json"),
        (lambda: repacked(**{media(): b""}), "lacks media/"),
        (lambda: repacked(**{media(): b"other"}), "A sound in the project file is damaged"),
        (lambda: repacked(**{"document.json": b" " * (2 << 20)}), "larger than 1 MB"),
        (lambda: repacked(**{media(): b"\0" * (20 << 20)}), "larger than 10 MB"),
        (lambda: repacked(**{f"x{i}": b"x" for i in range(60)}), "too many entries"),
    ],
    ids=["no zip", "cut off", "no document", "no media", "wrong media", "document bomb", "media bomb", "many entries"],
)
def test_a_hostile_or_damaged_project_file_is_refused(stream, words):
    limits = ProjectFileLimits(document_bytes=1 << 20, media_bytes=10 << 20, entries=40)
    with pytest.raises(UnreadableProject, match=words):
        read_project_file(stream(), keep=drain, limits=limits)


def test_names_outside_the_archive_are_never_looked_at():
    stream = repacked(**{"../../evil": b"x", "/etc/passwd": b"x", "media/../../evil": b"x"})
    asked = []
    read_project_file(stream, keep=lambda digest, chunks: (asked.append(digest), drain(digest, chunks)))
    assert asked == sorted(track.media for track in demo_project().tracks)


@given(st.binary(max_size=200))
def test_any_bytes_are_read_or_refused(content):
    with pytest.raises(UnreadableProject):
        read_project_file(io.BytesIO(content), keep=drain)


def test_an_archive_spoilt_at_any_place_of_its_directory_is_refused_or_read(tmp_path):
    out = io.BytesIO()
    project = demo_project()
    write_project_file(out, project.but(tracks=(), envelopes=(), mappings=(), beat=BeatSetting()), media=lambda _: None)
    whole = out.getvalue()
    for at in range(len(whole) - 90, len(whole)):
        for value in (0, 1, 2, 127, 128, 255):
            path = tmp_path / "spoilt.ferntide"  # a file says otherwise than memory that there is no place before it
            path.write_bytes(whole[:at] + bytes([value]) + whole[at + 1 :])
            with path.open("rb") as stream, contextlib.suppress(UnreadableProject):
                read_project_file(stream, keep=lambda digest, chunks: None)
