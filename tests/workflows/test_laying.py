"""What comes in is there though another edit was quicker, and so is that edit."""

import pytest
from tests.conftest import sine, wav
from tests.core.envelope.test_takes import taps
from tests.gltf import GLB

from fern_tide.core.commands.project import RenameProject
from fern_tide.store.revision import Conflict
from fern_tide.workflows.bring_in import scenes, sounds, takes
from fern_tide.workflows.bring_in.laying import lay

SVG = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 90"><path id="leaf" d="M0 0h9v9z"/></svg>'


@pytest.fixture
def quicker(studio, key, monkeypatch):
    """Another tab that renames the project so many times, each just before something is stored."""
    save, left = studio.projects.save, []

    def late(name, document, *, base, label, instead=False):
        if left:
            before = studio.projects.current(name)
            renamed = RenameProject(name=left.pop()).apply(before.document)
            save(name, renamed, base=before.id, label="Rename")
        return save(name, document, base=base, label=label, instead=instead)

    monkeypatch.setattr(studio.projects, "save", late)
    return left


def bring_in(studio, key, what):
    if what == "track":
        sounds.add_track(studio, key, [wav(sine(90))], file_name="Pad.wav")
    elif what == "curve":
        sounds.add_curve(studio, key, [b"time_s,value\n0,0\n1,1\n"], file_name="Ramp.csv")
    elif what == "drawing":
        scenes.bring_in(studio, key, {"leaf.svg": SVG}, replace=False)
    elif what == "stage":
        scenes.bring_in(studio, key, {"fern.glb": GLB}, replace=True)
    else:
        takes.add_take(studio, key, taps([0.5, 1.0]).content())


@pytest.mark.parametrize("what", ["track", "curve", "drawing", "stage", "take"])
def test_an_edit_that_is_quicker_stays_and_so_does_what_came(studio, key, quicker, what):
    before = studio.projects.current(key).document
    quicker += ["Second", "First"]
    bring_in(studio, key, what)
    revision = studio.projects.current(key)
    after = revision.document
    assert after.name == "Second" and quicker == []
    grown = [len(getattr(after, kind)) > len(getattr(before, kind)) for kind in ("tracks", "envelopes")]
    wanted = {"track": [True, True], "curve": [False, True], "take": [False, True]}.get(what, [False, False])
    assert grown == wanted
    assert (after.scene != before.scene) == (what in {"drawing", "stage"})
    undone = studio.projects.undo(key, base=revision.id)
    assert undone.document == before.but(name="Second")


def test_a_newer_version_of_a_file_goes_under_what_is_there_by_then(studio, key, quicker):
    scenes.bring_in(studio, key, {"leaf.svg": SVG}, replace=False)
    (file,) = studio.projects.current(key).document.scene.files
    quicker.append("Other")
    outcome = scenes.replace_file(studio, key, file.id, {"leaf.svg": SVG.replace(b"9v9", b"8v8")})
    document = outcome.revision.document
    assert document.name == "Other" and document.scene.files[0].media != file.media


def test_who_is_never_quick_enough_is_told(studio, key, quicker):
    quicker += [f"Name {at}" for at in range(5)]
    with pytest.raises(Conflict):
        lay(studio, key, lambda project: (project.but(name="Mine"), "Rename", None))
    assert studio.projects.current(key).document.name == "Name 0"
    quicker += [f"Again {at}" for at in range(4)]
    assert lay(studio, key, lambda project: (project.but(name="Mine"), "Rename", 7))[1] == 7
    assert studio.projects.current(key).document.name == "Mine"
