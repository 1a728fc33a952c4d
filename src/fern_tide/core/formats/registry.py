"""The formats by id."""

from __future__ import annotations

from fern_tide.core.base.registry import discover
from fern_tide.core.formats import writers
from fern_tide.core.formats.format import Format

FORMATS = discover(writers, attribute="FORMAT", of=Format, kind="format")
