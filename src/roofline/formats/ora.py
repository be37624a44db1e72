"""OpenRaster out (freedesktop.org, 0.0.5): a ZIP with stack.xml, a PNG for every layer, and the picture they make."""

from __future__ import annotations

import io
import zipfile
from itertools import groupby
from xml.etree import ElementTree

import numpy as np
from PIL import Image

from roofline.formats import pictures
from roofline.formats.layers import Layer, Layered, flattened

THUMBNAIL = 256  # pixels of its longer side, at most, by the standard


def _node(layer: Layer, source: str) -> ElementTree.Element:
    return ElementTree.Element(
        "layer",
        {
            "name": layer.name,
            "src": source,
            "x": str(layer.x),
            "y": str(layer.y),
            "opacity": f"{layer.opacity:g}",
            "visibility": "visible" if layer.visible else "hidden",
            "composite-op": "svg:src-over",
        },
    )


def open_raster(picture: Layered) -> bytes:
    """A layered picture as an OpenRaster file; layers that follow one another in a group stand in a stack of its name.

    Pixels of 8 and 16 bit are kept as they are.
    """
    root = ElementTree.Element("image", {"version": "0.0.5", "w": str(picture.width), "h": str(picture.height)})
    stack = ElementTree.SubElement(root, "stack")
    numbered = list(enumerate(picture.layers))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(zipfile.ZipInfo("mimetype"), "image/openraster")  # first, and not packed
        for group, members in groupby(numbered, key=lambda item: item[1].group):
            parent = stack if group is None else ElementTree.SubElement(stack, "stack", {"name": group})
            for number, layer in members:
                source = f"data/layer{number:03d}.png"
                parent.append(_node(layer, source))
                archive.writestr(source, pictures.png(layer.pixels, 1), zipfile.ZIP_STORED)
        archive.writestr("stack.xml", ElementTree.tostring(root, "utf-8", xml_declaration=True))
        whole = flattened(picture)
        archive.writestr("mergedimage.png", pictures.png(whole, 1), zipfile.ZIP_STORED)
        small = Image.fromarray(pictures.eight_bit(whole))
        small.thumbnail((THUMBNAIL, THUMBNAIL))
        held = io.BytesIO()
        small.save(held, "PNG")
        archive.writestr("Thumbnails/thumbnail.png", held.getvalue(), zipfile.ZIP_STORED)
    return out.getvalue()


def same_kind(layers: list[Layer]) -> list[Layer]:
    """Layers of one depth: when any is of 16 bit, all are."""
    if any(layer.pixels.dtype == np.uint16 for layer in layers):
        for layer in layers:
            if layer.pixels.dtype == np.uint8:
                layer.pixels = layer.pixels.astype(np.uint16) * 257
    return layers
