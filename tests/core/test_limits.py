"""What a small file or one edit can cost: lists end, JSON is counted before it is built, refusals name the limit."""

import io
import json
import resource
import subprocess
import sys
import types
import zipfile
from collections import defaultdict
from typing import Annotated, Union, get_args, get_origin

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import BaseModel
from pydantic.fields import FieldInfo

from fern_tide.core.base.errors import FernTideError, InvalidParameter, UnreadableProject
from fern_tide.core.base.limits import MOST_COMMANDS, MOST_FRAMES, Most, TooMuch, read_json
from fern_tide.core.commands.registry import COMMANDS, read_command
from fern_tide.core.document import Project, read_project
from fern_tide.core.envelope.envelope import CLEAN_UPS, READINGS
from fern_tide.core.mapping.drive import RESPONSES
from fern_tide.core.mapping.mapping import STEPS
from fern_tide.core.scene.scene import PART_KINDS
from fern_tide.demo.project import demo_project


def has_most(metadata, *, of_text):
    for item in metadata:
        inner = item.metadata if isinstance(item, FieldInfo) else [item]
        if not of_text:
            if any(isinstance(one, Most) for one in inner):
                return True
        elif any(getattr(one, "kind", "") in {"envelope", "file"} for one in inner):
            return True  # it must be there
        elif any(getattr(one, "max_length", None) or getattr(one, "pattern", None) for one in [item, *inner]):
            return True  # the patterns of ids and hashes say how long they are
    return False


def endless(annotation, metadata, path):
    """List the places of texts, lists and named values that have no end."""
    origin = get_origin(annotation)
    if origin is Annotated:
        inner, *more = get_args(annotation)
        yield from endless(inner, [*metadata, *more], path)
    elif origin in {Union, types.UnionType}:
        for inner in get_args(annotation):
            yield from endless(inner, metadata, path)
    elif origin in {tuple, list, dict} or annotation is str:
        args = get_args(annotation)
        if (annotation is str or origin is not tuple or Ellipsis in args) and not has_most(
            metadata, of_text=annotation is str
        ):
            yield path
        for inner in args:
            if inner is not Ellipsis:
                yield from endless(inner, [], path + "[]")
    elif isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield from of_model(annotation, path)


SEEN = defaultdict(list)


def of_model(model, path):
    if SEEN[model]:
        return
    SEEN[model].append(path)
    for name, field in model.model_fields.items():
        if (name, model.__name__[-6:]) == ("id", "Choice"):
            continue  # it must be in a registry
        yield from endless(field.annotation, field.metadata, f"{model.__name__}.{name}")


def test_every_list_and_text_of_documents_and_edits_ends():
    SEEN.clear()
    specs = [
        spec.params for registry in (READINGS, CLEAN_UPS, STEPS, RESPONSES, PART_KINDS) for spec in registry.values()
    ]
    found = [place for model in (Project, *COMMANDS.values(), *specs) for place in of_model(model, "")]
    assert found == []


def test_what_is_in_texts_is_no_value():
    data = {"d": ",[{" * 4000, "e": 'a "quoted, text" \\'}
    assert read_json(json.dumps(data), most_values=20) == data
    with pytest.raises(TooMuch, match="21 values, and 20 are taken"):
        read_json(json.dumps(list(range(21))), most_values=20)
    for wrong in ("[" * 100_000, "{", "", '"'):
        with pytest.raises(ValueError):
            read_json(wrong)


@given(st.recursive(st.none() | st.integers() | st.text(), lambda of: st.lists(of) | st.dictionaries(st.text(), of)))
def test_json_is_read_as_it_is(data):
    assert read_json(json.dumps(data)) == data
    assert read_json(json.dumps(data, ensure_ascii=False)) == data


def empty(count):
    """A document of many empty tracks, as a project file."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("document.json", b'{"version":1,"name":"N","tracks":[' + b"{}," * count + b"{}]}")
    return out.getvalue()


MEASURE = """
import io, resource, sys
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.project_file import read_project_file
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
try:
    read_project_file(io.BytesIO(sys.stdin.buffer.read()), keep=None)
except FernTideError as wrong:
    print(wrong)
print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) // 1024)
"""


def test_a_small_file_that_unpacks_to_millions_of_tracks_is_refused_in_little_room():
    content = empty(20_000_000)
    assert len(content) < 100_000
    done = subprocess.run([sys.executable, "-c", MEASURE], input=content, capture_output=True, timeout=60, check=True)
    words, megabytes = done.stdout.decode().splitlines()
    assert "values, and 3,000,000 are taken" in words
    assert int(megabytes) < 300
    content = empty(900_000)  # fewer than are counted
    done = subprocess.run([sys.executable, "-c", MEASURE], input=content, capture_output=True, timeout=60, check=True)
    words, megabytes = done.stdout.decode().splitlines()
    assert "The project cannot be read" in words
    assert int(megabytes) < 300
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss > 0


def test_an_edit_of_a_million_commands_is_refused():
    with pytest.raises(InvalidParameter, match=f"at most {MOST_COMMANDS} entries"):
        read_command({"kind": "together", "words": "w", "commands": [{}] * 1_000_000})
    with pytest.raises(FernTideError):
        read_command({"kind": "together", "words": "w", "commands": [{}] * 10})


@pytest.mark.parametrize(
    "change",
    [
        {"length_frames": MOST_FRAMES + 1},
        {"tracks": [{**demo_project().tracks[0].model_dump(mode="json"), "offset_samples": 2**40}]},
    ],
)
def test_a_project_that_never_ends_is_refused(change):
    plain = demo_project().model_dump(mode="json") | change
    with pytest.raises(UnreadableProject, match=r"1,?296,?000"):
        read_project(json.dumps(plain))
