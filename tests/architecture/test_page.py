"""The rules of the page's scripts: short functions, types that fit, and a Node test for all that is pure."""

import re
import subprocess
from pathlib import Path

ROOT = Path(__file__).parents[2]
SCRIPTS = "src/fern_tide/web/static/js"
PURE = re.compile(r"/\*\*((?:[^*]|\*(?!/))*)\*/\nexport (?:async )?(?:function|const) (\w+)")
WEB = ROOT / "src/fern_tide/web"


def run(*words):
    return subprocess.run(["npx", "--no-install", *words], cwd=ROOT, capture_output=True, text=True, timeout=300)


def test_functions_are_short_and_leave_nothing_over():
    done = run("eslint", "--max-warnings", "0", SCRIPTS)
    assert done.returncode == 0, done.stdout


def test_types_fit_each_other():
    done = subprocess.run(["node", "scripts/types.mjs"], cwd=ROOT, capture_output=True, text=True, timeout=300)
    assert done.returncode == 0, done.stdout + done.stderr


def test_what_browsers_are_given_is_joined_from_the_scripts_as_they_are(tmp_path):
    done = run("rollup", "-c", "--silent", "--configInto", str(tmp_path))
    assert done.returncode == 0, done.stderr
    fresh, shipped = ({path.name: path.read_text() for path in at.iterdir()} for at in (tmp_path, WEB / "static/built"))
    assert fresh == shipped, "run 'make js'"
    base = (WEB / "templates/base.html").read_text()
    assert re.findall(r"filename='(\S+\.js)'", base) == ["vendor/htmx.min.js", "built/app.js"], (
        "a page asks for no more"
    )


def test_templates_are_as_the_formatter_leaves_them():
    done = run("prettier", "--check", "src/fern_tide/web/templates")
    assert done.returncode == 0, done.stdout + done.stderr
    long = [
        f"{path.name}:{number}"
        for path in sorted((WEB / "templates").rglob("*.html"))
        for number, line in enumerate(path.read_text().splitlines(), 1)
        if len(line) > 140
    ]
    assert long == []


def test_attributes_of_templates_stand_apart():
    """The formatter takes the spaces at the ends of a block: what a block adds must not need one of them."""
    for path in sorted((WEB / "templates").rglob("*.html")):
        text = path.read_text()
        assert not re.search(r"[\"'}]\{% if[^%]*%\}(?:data|aria|checked|selected|disabled|hidden)\b", text), path
        assert not re.search(r'="[^"]*tojson(?!\|forceescape)', text), path  # JSON has quotes of its own
        assert not re.search(r'class="[^"]*[^\s"{]\{% if', text), path
        assert not re.search(r"^\s*(?:\{% end\w+ %\})?[.,;:]", text, re.M), path  # a space before a point


def test_every_pure_function_is_called_in_a_test():
    tests = "".join(path.read_text() for path in (ROOT / "tests/node").glob("*.py"))
    missing = [
        f"{path.stem}.{name}"
        for path in sorted((ROOT / SCRIPTS).glob("*.js"))
        for words, name in PURE.findall(path.read_text())
        if re.search(r"\bPure\.", words) and not re.search(rf'"{path.stem}",\s+"{name}"', tests)
    ]
    assert missing == []


def test_what_the_server_draws_is_put_in_place_by_htmx_alone():
    """Only drawings of the stage, which are SVG and no pieces of a page, are asked for as text."""
    asked = {path.name for path in (ROOT / SCRIPTS).glob("*.js") if "getText(" in path.read_text()}
    assert asked == {"beside.js", "proof_stage.js", "stage_view.js"}
    written = {path.name for path in (ROOT / SCRIPTS).glob("*.js") if ".innerHTML =" in path.read_text()}
    assert written <= {"handoff.js", "stage.js", "stage_view.js"}


def test_no_script_or_style_is_written_into_a_page():
    for path in sorted((WEB / "templates").rglob("*.html")):
        text = path.read_text()
        assert not re.search(r"<script(?![^>]*(src=|type=\"application/json\"))", text), path
        assert not re.search(r"\s(style|on[a-z]+)=\"", text), path
