"""Registries find what a folder holds: one file, one spec, the file's name is the spec's id."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Iterator, Mapping
from importlib.metadata import entry_points
from types import MappingProxyType, ModuleType
from typing import Any, ClassVar, Generic, Protocol, TypeVar

from pydantic import GetJsonSchemaHandler, SerializeAsAny, model_validator
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

from fern_tide.core.base.errors import UnknownName
from fern_tide.core.base.params import Frozen, Params, build, parse_options


class Spec(Protocol):
    """What every registered thing has."""

    @property
    def id(self) -> str:
        """The file's name."""

    @property
    def label(self) -> str:
        """What people read."""

    @property
    def help(self) -> str:
        """One line on what it is for."""

    @property
    def params(self) -> type[Params]:
        """The model of its options."""


S = TypeVar("S", bound=Spec)


class Registry(Mapping[str, S], Generic[S]):
    """The specs of one folder by id, in order of id. Looking up an unknown id says which ids there are."""

    def __init__(self, specs: Mapping[str, S], *, kind: str) -> None:
        self._specs = MappingProxyType(dict(specs))
        self.kind = kind

    def __getitem__(self, key: str) -> S:
        try:
            return self._specs[key]
        except KeyError:
            raise UnknownName(
                f"There is no {self.kind} named {key!s:.60}.",
                remedy=f"Use one of: {', '.join(self._specs)}; or install the package that brings it.",
                name=key,
            ) from None

    def __contains__(self, key: object) -> bool:
        return key in self._specs

    def __iter__(self) -> Iterator[str]:
        return iter(self._specs)

    def __len__(self) -> int:
        return len(self._specs)


def discover(package: ModuleType, *, attribute: str, of: type[S], kind: str) -> Registry[S]:
    """Collect the specs of a folder, and those that installed packages offer under the entry points of its name.

    Every module of the folder exports one spec under `attribute`. A package offers specs of the folder `steps`, say, as
    entry points of the group `fern_tide.steps`, each named like its id.

    Raises:
        TypeError: a module exports no spec, or one of another type, or under another id than its file's name; or what a
            package offers is none, is not called as it calls itself, or is there already.
    """
    specs: dict[str, S] = {}
    for entry in sorted(pkgutil.iter_modules(package.__path__), key=lambda item: item.name):
        module = importlib.import_module(f"{package.__name__}.{entry.name}")
        spec = getattr(module, attribute, None)
        if not isinstance(spec, of):
            raise TypeError(f"{module.__name__} exports no {attribute} of type {of.__name__}")
        if spec.id != entry.name:
            raise TypeError(f"{module.__name__} calls itself {spec.id}; id and file name must agree")
        specs[spec.id] = spec
    for offered in sorted(entry_points(group=f"fern_tide.{_group(package)}"), key=lambda item: item.name):
        spec = offered.load()
        whose = f"{offered.value}, offered as a {kind},"
        if not isinstance(spec, of) or spec.id != offered.name:
            raise TypeError(f"{whose} is no {of.__name__} that calls itself {offered.name}")
        if spec.id in specs:
            raise TypeError(f"{whose} calls itself {spec.id}, and there is one of that id already")
        specs[spec.id] = spec
    return Registry({name: specs[name] for name in sorted(specs)}, kind=kind)


def _group(package: ModuleType) -> str:
    """Give the name of a folder's entry points: its own, in the plural."""
    name = package.__name__.rsplit(".", 1)[-1]
    return {"clean_up": "clean_ups", "writers": "formats"}.get(name, name)


def _flat_schema(params: type[Params]) -> dict[str, Any]:
    """Give the schema of a params model with all that it refers to written out, so that it can stand in another one."""
    schema = params.model_json_schema()
    named = schema.pop("$defs", {})

    def written_out(value: Any) -> Any:
        if isinstance(value, list):
            return [written_out(item) for item in value]
        if not isinstance(value, dict):
            return value
        reference = value.get("$ref")
        beside = {name: written_out(item) for name, item in value.items() if name != "$ref"}
        return beside if reference is None else {**written_out(named[reference.rsplit("/", 1)[-1]]), **beside}

    flat: dict[str, Any] = written_out(schema)
    return flat


class Choice(Frozen):
    """A spec's id and its params: how a document names a reading, clean-up, step or response.

    Subclasses say which registry they choose from, so that an unknown id or a bad param is refused when it is made.
    """

    registry: ClassVar[Registry[Any]]

    id: str
    params: SerializeAsAny[Params] = Params()
    on: bool = True

    @model_validator(mode="before")
    @classmethod
    def _typed(cls, data: Any) -> Any:
        if not isinstance(data, dict):
            return data
        params = data.get("params", {})
        spec = cls.registry[str(data.get("id"))]
        if type(params) is spec.params:
            return data
        if isinstance(params, Params):
            params = params.model_dump()
        return {**data, "params": build(spec.params, dict(spec.params.upgrade(params)))}

    @classmethod
    def parse(cls, text: str) -> Any:
        """Read 'smooth width_ms=80'."""
        head, options = parse_options(text)
        return cls.model_validate({"id": head, "params": options})

    @property
    def spec(self) -> Any:
        """The registered spec that this chooses."""
        return self.registry[self.id]

    @classmethod
    def __get_pydantic_json_schema__(cls, core: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        """Describe one alternative per registered spec, each with its own params."""
        on = {"type": "boolean", "default": True}
        return {
            "oneOf": [
                {
                    "type": "object",
                    "title": spec.label,
                    "description": spec.help,
                    "properties": {"id": {"const": spec.id}, "params": _flat_schema(spec.params), "on": on},
                    "required": ["id"],
                    "additionalProperties": False,
                }
                for spec in cls.registry.values()
            ]
        }
