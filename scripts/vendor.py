"""Copy fonts and scripts from node_modules into the application, with a manifest of what they are.

Usage: python scripts/vendor.py          copies and writes the manifest
       python scripts/vendor.py --check  says whether what is there is what the manifest says; needs no node_modules
"""

import hashlib
import json
import shutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
TARGET = ROOT / "src/fern_tide/web/static/vendor"
MANIFEST = TARGET / "manifest.json"


def font(family: str, weight: int, alphabet: str) -> tuple[str, str]:
    return f"@fontsource/{family}", f"files/{family}-{alphabet}-{weight}-normal.woff2"


FILES = [
    *(font("fraunces", 600, alphabet) for alphabet in ("latin", "latin-ext")),
    *(font("instrument-sans", w, alphabet) for w in (400, 500, 600) for alphabet in ("latin", "latin-ext")),
    *(font("spline-sans-mono", w, alphabet) for w in (400, 500) for alphabet in ("latin", "latin-ext")),
    ("htmx.org", "dist/htmx.min.js"),
    ("three", "build/three.core.js"),
    ("three", "build/three.module.js"),
    ("three", "examples/jsm/controls/OrbitControls.js"),
    ("three", "examples/jsm/environments/RoomEnvironment.js"),
    ("three", "examples/jsm/loaders/DRACOLoader.js"),
    ("three", "examples/jsm/loaders/GLTFLoader.js"),
    ("three", "examples/jsm/loaders/KTX2Loader.js"),
    ("three", "examples/jsm/libs/basis/basis_transcoder.wasm"),
    ("three", "examples/jsm/libs/draco/gltf/draco_decoder.wasm"),
    ("three", "examples/jsm/libs/draco/gltf/draco_wasm_wrapper.js"),
    ("three", "examples/jsm/libs/ktx-parse.module.js"),
    ("three", "examples/jsm/libs/meshopt_decoder.module.js"),
    ("three", "examples/jsm/libs/meshopt_simplifier.module.js"),
    ("three", "examples/jsm/libs/zstddec.module.js"),
    ("three", "examples/jsm/math/ColorSpaces.js"),
    ("three", "examples/jsm/utils/BufferGeometryUtils.js"),
    ("three", "examples/jsm/utils/SkeletonUtils.js"),
    ("three", "examples/jsm/utils/WorkerPool.js"),
]
FLAT = (
    (b"from 'three'", b"from './three.module.js'"),
    *((b"from '../%s/" % folder, b"from './") for folder in (b"utils", b"libs", b"math")),
)
"""Modules that name each other otherwise are pointed at the folder where all of them lie: no import map is needed."""


WORKER = "basis_worker.js"
"""The worker that KTX2Loader would write while it runs, as a file: such a file can have a policy of its own."""
WRITE_WORKER = """
import { readFileSync } from "node:fs";
import { KTX2Loader } from "three/examples/jsm/loaders/KTX2Loader.js";
const words = ["EngineFormat", "EngineType", "TranscoderFormat", "BasisFormat"];
const body = KTX2Loader.BasisWorker.toString();
process.stdout.write([
  ...words.map((name) => `let _${name} = ${JSON.stringify(KTX2Loader[name])}`),
  readFileSync("node_modules/three/examples/jsm/libs/basis/basis_transcoder.js", "utf8"),
  body.substring(body.indexOf("{") + 1, body.lastIndexOf("}")),
].join("\\n"));
"""
LICENCES = {"basis": "Apache-2.0", "draco": "Apache-2.0"}
"""Of what three.js brings from others, by the word that its name begins with."""


def copy() -> None:
    shutil.rmtree(TARGET, ignore_errors=True)
    TARGET.mkdir(parents=True)
    entries = []
    written = {
        WORKER: subprocess.run(
            ["node", "--input-type=module", "-e", WRITE_WORKER], cwd=ROOT, capture_output=True, check=True
        ).stdout
    }
    for package, file in (*FILES, ("three", WORKER)):
        source = ROOT / "node_modules" / package
        about = json.loads((source / "package.json").read_text())
        content = written[file] if file in written else (source / file).read_bytes()
        for old, new in FLAT if "examples" in file and file.endswith(".js") else ():
            content = content.replace(old, new)
        name = Path(file).name
        (TARGET / name).write_bytes(content)
        entries.append(
            {
                "file": name,
                "package": package,
                "version": about["version"],
                "licence": LICENCES.get(name.split("_")[0], about["license"]),
                "sha256": hashlib.sha256(content).hexdigest(),
            }
        )
    MANIFEST.write_text(json.dumps(entries, indent=1) + "\n")


def check() -> list[str]:
    entries = json.loads(MANIFEST.read_text())
    wrong = [
        entry["file"]
        for entry in entries
        if hashlib.sha256((TARGET / entry["file"]).read_bytes()).hexdigest() != entry["sha256"]
    ]
    listed = {entry["file"] for entry in entries} | {MANIFEST.name}
    return wrong + [path.name for path in TARGET.iterdir() if path.name not in listed]


if __name__ == "__main__":
    if "--check" in sys.argv:
        wrong = check()
        print("\n".join(wrong) or "vendored files are as listed")
        sys.exit(bool(wrong))
    copy()
