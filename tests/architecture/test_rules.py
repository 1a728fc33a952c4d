"""The rules of ARCHITECTURE.md, read from the code itself."""

import ast
import importlib
import json
import re
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path

import pytest

from fern_tide.core import STAGES
from fern_tide.core.base.registry import Registry

DOCUMENT = ("document", "commands")
ROOT = Path(__file__).parents[2]
SRC = ROOT / "src/fern_tide"
CORE_FILES = sorted((SRC / "core").rglob("*.py"))
FILES = sorted(path for path in SRC.rglob("*.py"))
OUTSIDE = {
    "numpy",
    "scipy",
    "pydantic",
    "pydantic_core",
    "annotated_types",
    "soundfile",
    "av",
    "mido",
    "xlsxwriter",
    "defusedxml",
    "PIL",
}
FORBIDDEN_IN_CORE = {
    "os",
    "pathlib",
    "time",
    "datetime",
    "socket",
    "subprocess",
    "sqlite3",
    "urllib",
    "http",
    "tempfile",
    "shutil",
    "random",
    "threading",
}
REGISTRIES = {
    "core/envelope/readings": "READING",
    "core/envelope/clean_up": "CLEAN_UP",
    "core/mapping/steps": "STEP",
    "core/mapping/responses": "RESPONSE",
    "core/scene/parts": "KIND",
    "core/bake/checks": "CHECK",
    "core/bake/touch_ups": "TOUCH",
    "core/formats/writers": "FORMAT",
    "core/scene/orders": "ORDER",
    "core/scene/shapers": "SHAPER",
    "core/first_cut/rules": "RULE",
}


@cache
def tree(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


@cache
def imports(path: Path) -> set[str]:
    modules = set()
    for node in ast.walk(tree(path)):
        if isinstance(node, ast.Import):
            modules |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, f"{path}: relative import"
            modules.add(node.module)
            modules |= {f"{node.module}.{alias.name}" for alias in node.names}
    return modules


def against(paths: list[Path], rule: Callable[[Path], Iterator[str]]) -> list[str]:
    """Give what files have against a rule, each with its file."""
    return [f"{path.relative_to(SRC)}: {words}" for path in paths for words in rule(path)]


def allowed_stages(path: Path) -> set[str]:
    own = path.relative_to(SRC / "core").parts[0]
    if own in STAGES:
        return {"base", own, *STAGES[: STAGES.index(own)]}
    if own == "base":
        return {"base"}
    return {"base", *STAGES, *DOCUMENT, *({own} if own in {"derivation", "first_cut", "live"} else ())}


def later_stages(path: Path) -> Iterator[str]:
    allowed = allowed_stages(path)
    for module in imports(path):
        parts = module.split(".")
        if parts[0] == "fern_tide" and (
            parts[1] != "core" or (len(parts) > 2 and parts[2] not in allowed and path.name != "__init__.py")
        ):
            yield f"imports {module}"


def test_a_stage_uses_only_base_and_earlier_stages():
    assert against(CORE_FILES, later_stages) == []


def outward(path: Path) -> Iterator[str]:
    for top in {module.split(".")[0] for module in imports(path)} - {"fern_tide"}:
        if top in FORBIDDEN_IN_CORE or not (top in OUTSIDE or top in sys.stdlib_module_names):
            yield f"imports {top}"


def test_core_imports_nothing_outward():
    assert against(CORE_FILES, outward) == []


ONLY_IN = {
    "store": {"playhouse", "sqlite3", "peewee"},
    "web": {"flask", "flask_wtf", "werkzeug", "jinja2", "waitress"},
    "jobs": {"huey"},
}


def elsewhere(path: Path) -> Iterator[str]:
    tops = {module.split(".")[0] for module in imports(path)}
    folder = path.relative_to(SRC).parts[0]
    for place, modules in ONLY_IN.items():
        if folder != place:
            yield from (f"imports {top}" for top in tops & modules if (top, path.name) != ("peewee", "errors.py"))


def test_only_store_knows_the_database_and_only_web_knows_flask():
    """But for errors.py, which turns a full disk into words."""
    assert against(FILES, elsewhere) == []


def long(path: Path) -> Iterator[str]:
    if (lines := len(path.read_text().splitlines())) > 300:
        yield f"has {lines} lines"
    for node in ast.walk(tree(path)):
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            length = node.end_lineno - node.lineno + 1
            doc = ast.get_docstring(node)
            if length - (len(doc.splitlines()) if doc else 0) > 60:
                yield f"{node.name} has {length} lines"


def test_files_and_functions_are_short():
    assert against(FILES, long) == []


INLINE = ("eval(", "new Function", "innerHTML +=", 'setAttribute("style"', "Math.log10(level", "document.write")


def unfit_script(path: Path) -> Iterator[str]:
    text = path.read_text()
    if len(text.splitlines()) > 380:
        yield "is too long"
    yield from (f"has {word}" for word in INLINE if word in text)


def test_scripts_are_short_and_need_no_inline_code():
    assert against(sorted((SRC / "web/static/js").glob("*.js")), unfit_script) == []


def bare_function(path: Path) -> Iterator[str]:
    for node in tree(path).body:
        if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
            overloads = any(ast.unparse(d).endswith("overload") for d in node.decorator_list)
            if not (overloads or ast.get_docstring(node)):
                yield f"{node.name} does not say what it does"
            if node.returns is None:
                yield f"{node.name} does not say what it gives"
            if len(node.args.args) - len(node.args.defaults) > 3:
                yield f"{node.name} has too many positional arguments"
            if node.args.kwarg is not None:
                yield f"{node.name} takes **kwargs"


def test_public_functions_of_the_core_are_typed_and_say_what_they_do():
    assert against(CORE_FILES, bare_function) == []


BROKEN = (
    """
import flask, os, sqlite3, huey, fern_tide.web.app, numpy, fern_tide.core.formats.format
def f(a, b, c, d, **more): pass
def long():
    "Say."
"""
    + "    pass\n" * 60
)


def test_the_rules_see_what_is_against_them(monkeypatch, tmp_path):
    """A file that breaks them all is reported by each."""
    monkeypatch.setattr(sys.modules[__name__], "SRC", tmp_path)
    path = tmp_path / "core/envelope/broken.py"
    path.parent.mkdir(parents=True)
    path.write_text(BROKEN)
    assert sorted(later_stages(path)) == ["imports fern_tide.core.formats.format", "imports fern_tide.web.app"]
    assert sorted(outward(path)) == ["imports flask", "imports huey", "imports os", "imports sqlite3"]
    assert sorted(elsewhere(path)) == ["imports flask", "imports huey", "imports sqlite3"]
    assert [*long(path)] == ["long has 62 lines"]
    assert [words.partition(" ")[2] for words in bare_function(path)] == [
        "does not say what it does",
        "does not say what it gives",
        "has too many positional arguments",
        "takes **kwargs",
        "does not say what it gives",
    ]
    more = tmp_path / "more.js"
    more.write_text("\n" * 381 + "eval(1)")
    assert [*long(more)] == ["has 382 lines"]
    assert [*unfit_script(more)] == ["is too long", "has eval("]


@pytest.mark.parametrize(("folder", "attribute"), REGISTRIES.items())
def test_a_registry_folder_holds_one_spec_per_file(folder, attribute):
    for path in (SRC / folder).glob("*.py"):
        if path.name == "__init__.py":
            assert len(path.read_text().splitlines()) == 1, "the folder's file says what it is and no more"
            continue
        module = importlib.import_module(f"fern_tide.{folder.replace('/', '.')}.{path.stem}")
        assert getattr(module, attribute).id == path.stem
        names = [
            n.id
            for node in tree(path).body
            if isinstance(node, ast.Assign)
            for n in node.targets
            if isinstance(n, ast.Name)
        ]
        assert names.count(attribute) == 1


def test_a_registry_refuses_what_does_not_belong(tmp_path, monkeypatch):
    from fern_tide.core.base.registry import discover
    from fern_tide.core.mapping.step import Step

    package = tmp_path / "odd_steps"
    package.mkdir()
    (package / "__init__.py").write_text("")
    (package / "bare.py").write_text("x = 1\n")
    monkeypatch.syspath_prepend(tmp_path)
    odd = importlib.import_module("odd_steps")
    with pytest.raises(TypeError, match="exports no STEP"):
        discover(odd, attribute="STEP", of=Step, kind="step")
    (package / "bare.py").write_text("from fern_tide.core.mapping.steps.flip import STEP\n")
    sys.modules.pop("odd_steps.bare")
    with pytest.raises(TypeError, match="calls itself flip"):
        discover(odd, attribute="STEP", of=Step, kind="step")


def test_a_registry_is_read_only():
    registry = Registry({}, kind="step")
    with pytest.raises(TypeError):
        registry["x"] = 1


def run(*words: str) -> None:
    done = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr


def test_ruff_finds_nothing():
    run(sys.executable, "-m", "ruff", "check", ".")
    run(sys.executable, "-m", "ruff", "format", "--check", ".")


def test_mypy_finds_nothing():
    run(sys.executable, "-m", "mypy")


def test_vendored_files_are_as_listed():
    run(sys.executable, "scripts/vendor.py", "--check")
    for entry in json.loads((SRC / "web/static/vendor/manifest.json").read_text()):
        assert entry["licence"] and entry["version"]


def test_the_compiled_styles_are_current(tmp_path):
    npx = shutil.which("npx")
    assert npx, "npm is needed for the tests"
    out = tmp_path / "app.css"
    run(npx, "@tailwindcss/cli", "-i", "src/fern_tide/web/styles/app.css", "-o", str(out), "--minify")
    assert out.read_text() == (SRC / "web/static/css/app.css").read_text(), "run 'make css'"


def test_help_starts_quickly_because_it_imports_little():
    code = """
import sys
from fern_tide.cli import main
try:
    main(['--help'])
except SystemExit:
    pass
print('HEAVY', [name for name in ('numpy', 'scipy', 'flask', 'peewee') if name in sys.modules])
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert "HEAVY []" in done.stdout


@pytest.mark.parametrize("name", ["graph", "whole"])
def test_the_drawings_are_those_of_today(name):
    code = f"from {name} import {name}_svg; print({name}_svg(), end='')"
    run = subprocess.run([sys.executable, "-c", code], cwd=ROOT / "scripts", capture_output=True, text=True, check=True)
    assert run.stdout == (ROOT / f"docs/{name}.svg").read_text(), "make graph"


def test_no_package_imports_one_that_lies_above_it():
    code = "from whole import upward; print(upward())"
    run = subprocess.run([sys.executable, "-c", code], cwd=ROOT / "scripts", capture_output=True, text=True, check=True)
    assert run.stdout.strip() == "[]"


def test_few_lines_are_let_off_the_rules_and_each_says_why():
    let_off = [
        f"{path.relative_to(ROOT)}: {line.strip()}"
        for folder in ("src", "tests", "scripts", "benchmarks", "examples")
        for path in sorted((ROOT / folder).rglob("*.py"))
        for line in path.read_text().splitlines()
        if re.search(r"# (noqa|type: ignore)", line)
    ]
    assert len(let_off) <= 10, let_off
    assert all(
        re.search(r"(noqa: \w+ - |type: ignore\[\S+\]  # )\w+", line) or "re.search(" in line for line in let_off
    )


VAGUE = {"found", "made", "kept", "said", "told", "held"}
IN_DOCUMENTS = {"given"}  # what stored projects call it


def test_names_say_what_a_thing_is():
    """No name is a bare participle of what happened to the thing; fields of the stored document keep theirs."""
    vague = []
    for path in FILES:
        for node in ast.walk(tree(path)):
            names = [getattr(node, "name", None), getattr(node, "arg", None)]
            names += [node.id] if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store) else []
            vague += [
                f"{path.relative_to(ROOT)}:{node.lineno}: {name}"
                for name in names
                if isinstance(name, str) and name.lower().strip("_") in VAGUE and hasattr(node, "lineno")
            ]
    assert [line for line in vague if line.rsplit(" ", 1)[-1] not in IN_DOCUMENTS] == []
