"""Functions of the page's scripts, called in Node."""

import json
import subprocess
from functools import partial
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
SCRIPTS = ROOT / "src/fern_tide/web/static/js"


@pytest.fixture(scope="session")
def modules():
    """Call a function of a script: modules("axis", "xOf", 10, {...})."""
    told = ["node", str(Path(__file__).parent / "call.mjs")]
    with subprocess.Popen(told, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, bufsize=1) as node:
        yield partial(_call, node)
        node.stdin.close()


def _call(node, script, name, *given):
    module = str(SCRIPTS / f"{script}.js") if isinstance(script, str) else f"{script}.mjs"
    node.stdin.write(json.dumps({"module": module, "name": name, "given": given}) + "\n")
    answer = json.loads(node.stdout.readline())
    assert "wrong" not in answer, answer["wrong"]
    return answer.get("value")
