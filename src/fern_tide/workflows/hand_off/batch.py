"""Several files in one go: a zip with a manifest of hashes and figures."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Iterable, Sequence

from fern_tide.core.document import Project
from fern_tide.core.formats.format import Written

MANIFEST = "manifest.json"
_WHEN = (2000, 1, 1, 0, 0, 0)  # the same document gives the same bytes


def file_names(stem: str, written: Iterable[Written]) -> list[str]:
    """Name files after the project; those of one ending carry their format's name too."""
    names: list[str] = []
    for one in written:
        name = f"{stem}{one.format.extension}"
        names.append(name if name not in names else f"{stem}.{one.format.id}{one.format.extension}")
    return names


def manifest(project: Project, stem: str, written: Sequence[Written]) -> dict[str, object]:
    """Say what each file is: its hash, its size, how many curves it has and how far they are off."""
    files = [
        {
            "file": name,
            "format": one.format.id,
            "sha256": hashlib.sha256(one.content).hexdigest(),
            "bytes": len(one.content),
            "curves": one.n_curves,
            "moments": one.n_moments,
            "largest_error": one.error,
            "error_is": "seconds" if one.n_moments else "share of the range",
            "worst": None if one.worst is None else str(one.worst),
        }
        for name, one in zip(file_names(stem, written), written, strict=True)
    ]
    return {"project": project.name, "rate": str(project.rate), "frames": project.n_frames, "files": files}


def zipped(project: Project, stem: str, written: Sequence[Written]) -> bytes:
    """Give a zip of the files and their manifest; the same files give the same bytes."""
    out = io.BytesIO()
    text = json.dumps(manifest(project, stem, written), indent=1, ensure_ascii=False)
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in [
            *zip(file_names(stem, written), (one.content for one in written), strict=True),
            (MANIFEST, text.encode()),
        ]:
            archive.writestr(zipfile.ZipInfo(name, _WHEN), content, zipfile.ZIP_DEFLATED)
    return out.getvalue()
