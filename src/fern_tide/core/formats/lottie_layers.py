"""Lottie's layers of a tree of groups: shapes are layers of their own, and pictures too, since no group can hold one.

A group with a picture somewhere in it becomes a layer that draws nothing and that what is in it hangs on. That passes
on its place, but not its opacity, which each thing in it has for itself.
"""

from __future__ import annotations

import base64
import xml.etree.ElementTree as ET
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from hashlib import sha256

from fern_tide.core.base.errors import UnreadableScene
from fern_tide.core.formats.lottie_clips import Window, address
from fern_tide.core.formats.lottie_shapes import Item, group, matrix_transform, still, transform
from fern_tide.core.scene.images import as_png_or_jpeg
from fern_tide.core.scene.svg.geometry import viewed

PICTURE = "picture"
"""The type of an item that stands for a picture, or for a composition that is shown as one: 'ref' names its asset, 'at'
places its pixels, 'masks' cut it, and 'names' are those of the groups in it."""
_PLACES = ("a", "p", "s", "r", "sk", "sa")
_Fade = tuple[str, Item]


@dataclass
class Assets:
    """Pictures in a file, each once.

    Attributes:
        items: as the file has them, by their ids; also compositions of a single picture.
    """

    items: dict[str, Item] = field(default_factory=dict)

    def shown(self, element: ET.Element) -> list[Item]:
        """Give what an image element of a drawing shows as an item; none of what has no picture in itself."""
        asset = self._taken(address(element))
        if asset is None:
            return []
        sizes = {name: element.get(name, "") for name in ("x", "y", "width", "height")}
        fit = {
            "viewBox": f"0 0 {asset['w']} {asset['h']}",
            "preserveAspectRatio": element.get("preserveAspectRatio", ""),
        }
        at = viewed({name: text for name, text in (sizes | fit).items() if text})
        name = f"({element.get('id') or 'picture'})"
        return [{"ty": PICTURE, "nm": name, "ref": asset["id"], "at": matrix_transform(at), "matrix": at, "masks": []}]

    def _taken(self, data: str) -> Item | None:
        """Take a picture in by its address; WebP is written as PNG, which all players know."""
        head, _, text = data.partition(";base64,")
        if not head.startswith("data:image/") or not text:
            return None
        content = base64.b64decode(text)
        name = f"picture_{sha256(content).hexdigest()[:12]}"
        if name not in self.items:
            try:
                content, info = as_png_or_jpeg(content)
            except UnreadableScene:  # it is damaged
                return None
            inside = f"data:{info.media_type};base64,{base64.b64encode(content).decode()}"
            self.items[name] = {"id": name, "w": info.width, "h": info.height, "u": "", "p": inside, "e": 1}
        return self.items[name]

    def seen_through(self, window: Window, items: Sequence[Item], *, n_frames: int) -> Item:
        """Give what is seen of items, the top one first, through a window: they become a composition of its size."""
        (x, y), (wide, tall) = window.low, window.size
        inside = Layers(self, n_frames)
        inside.add([group("(cut)", list(items), matrix_transform((1.0, 0.0, 0.0, 1.0, float(-x), float(-y))))])
        name = f"cut_{len(self.items)}"
        self.items[name] = {"id": name, "w": wide, "h": tall, "layers": inside.items}
        return self._of(name, window, names=names_in(items), masks=window.masks)

    def matted(self, item: Item, matte: Item, window: Window, *, by_light: bool, n_frames: int) -> Item:
        """Give what a matte leaves of what is seen through the same window: by its light, or by how opaque it is."""
        layers: list[Item] = []
        for place, (one, about) in enumerate(((matte, {"td": 1}), (item, {"tt": 3 if by_light else 1}))):
            ks = {**transform_of_layer(transform()), "o": still(100)}
            layer = shows(self.items[one["ref"]])
            layers.append({**layer, "nm": one["nm"], "ind": place + 1, **_whole(n_frames), "ks": ks, **about})
        name = f"matted_{len(self.items)}"
        self.items[name] = {"id": name, "w": window.size[0], "h": window.size[1], "layers": layers}
        return self._of(name, window, names=item["names"], masks=window.masks)

    def _of(self, name: str, window: Window, *, names: set[str], masks: Sequence[Item] = ()) -> Item:
        at = (1.0, 0.0, 0.0, 1.0, float(window.low[0]), float(window.low[1]))
        placed = {"at": matrix_transform(at), "matrix": at}
        return {"ty": PICTURE, "nm": "(cut)", "ref": name, **placed, "masks": list(masks), "names": names}

    def of_one(self, layer: Item, *, like: Item, n_frames: int) -> Item:
        """Put a layer into a composition as large as a picture, and give the layer that shows it."""
        name = f"{like['id']}_{len(self.items)}"
        ks = {**transform_of_layer(transform()), "o": layer["ks"]["o"]}
        whole = {"ind": 1, **_whole(n_frames), **layer, "ks": ks}
        self.items[name] = {"id": name, "layers": [whole]}
        return {"ty": 0, "refId": name, "w": like["w"], "h": like["h"]}


def _whole(n_frames: int) -> Item:
    return {"ip": 0, "op": n_frames, "st": 0, "bm": 0}


def transform_of_layer(at: Item) -> Item:
    """Give a group's transform as a layer has it, without its opacity."""
    return {name: at[name] for name in _PLACES}


def names_in(items: Sequence[Item]) -> set[str]:
    """Give the names of all groups, and whose the stops of gradients are."""
    names: set[str] = set()
    for item in items:
        if item["ty"] == "gr":
            names |= {item["nm"], *names_in(item["it"])}
        elif item["ty"] == PICTURE:
            names |= item.get("names", set())
        elif "g" in item:
            names |= set(item.get("nm", "").split())
    return names


def has_picture(item: Item) -> bool:
    """Say whether an item is a picture, or has one in it."""
    return item["ty"] == PICTURE or (item["ty"] == "gr" and any(map(has_picture, item["it"])))


@dataclass
class Layers:
    """Layers being made.

    Attributes:
        assets: what pictures there are.
        n_frames: how long each is.
        items: as the file has them, the top one first.
    """

    assets: Assets
    n_frames: int
    items: list[Item] = field(default_factory=list)

    def add(self, items: Sequence[Item], *, parent: int | None = None, fades: tuple[_Fade, ...] = ()) -> None:
        """Add items, the top one first: what they hang on, and the opacities of the groups that they lie in."""
        for item in items:
            if not has_picture(item):
                self._shape(item, parent, fades)
            elif item["ty"] == PICTURE:
                self._picture(item, parent, fades)
            else:
                *inner, at = item["it"]
                number = self._layer({"ty": 3, "nm": item["nm"], "ks": transform_of_layer(at)}, parent)
                faded = at["o"]["a"] or at["o"]["k"] != 100
                self.add(inner, parent=number, fades=(*fades, (item["nm"], at["o"])) if faded else fades)

    def _layer(self, layer: Item, parent: int | None) -> int:
        number = len(self.items) + 1
        hangs = {} if parent is None else {"parent": parent}
        first = {"ty": layer["ty"], "nm": layer["nm"], "ind": number}
        self.items.append({**first, **_whole(self.n_frames), **layer, **hangs})
        return number

    def _shape(self, item: Item, parent: int | None, fades: tuple[_Fade, ...]) -> None:
        inside = item
        for name, opacity in reversed(fades):
            inside = group(name, [inside], transform({"o": opacity}))
        still_there = {name: value for name, value in transform().items() if name in "aprso"}
        self._layer({"ty": 4, "nm": item.get("nm", "shape"), "ks": still_there, "shapes": [inside]}, parent)

    def _picture(self, item: Item, parent: int | None, fades: tuple[_Fade, ...]) -> None:
        asset = self.assets.items[item["ref"]]
        masks = {"hasMask": True, "masksProperties": item["masks"]} if item["masks"] else {}
        shown: Item = {**shows(asset), **masks}
        (name, opacity), *inner = fades or ((item["nm"], still(100)),)
        for inner_name, inner_opacity in reversed(inner):
            layer = {**shown, "nm": inner_name, "ks": {"o": inner_opacity}}
            shown = self.assets.of_one(layer, like=asset, n_frames=self.n_frames)
        ks = {**transform_of_layer(item["at"]), "o": opacity}
        self._layer({**shown, "nm": name, "ks": ks}, parent)


def shows(asset: Item) -> Item:
    """Give a layer that shows a picture or a composition."""
    if "layers" in asset:
        return {"ty": 0, "refId": asset["id"], "w": asset["w"], "h": asset["h"]}
    return {"ty": 2, "refId": asset["id"]}


def groups_of(document: Item) -> Iterator[Item]:
    """Give every group of shapes in a file before what is in it, and layers that are none of shapes as if groups."""
    comps = {asset["id"]: asset["layers"] for asset in document["assets"] if "layers" in asset}
    yield from _of_layers(document["layers"], comps)


def _of_layers(layers: Sequence[Item], comps: dict[str, list[Item]]) -> Iterator[Item]:
    for layer in layers:
        if layer["ty"] == 4:
            yield from _inside(layer["shapes"])
        else:
            yield {"ty": "gr", "nm": layer["nm"], "it": [{**layer["ks"], "ty": "tr"}]}
            yield from _of_layers(comps.pop(layer.get("refId", ""), ()), comps)  # each once, however often it is shown


def _inside(items: Sequence[Item]) -> Iterator[Item]:
    for item in items:
        if item["ty"] == "gr":
            yield item
            yield from _inside(item["it"])
