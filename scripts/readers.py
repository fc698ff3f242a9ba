"""Reads what was handed off with readers that others wrote, and compares it with the pixels that were meant.

Called with a folder: `expected.json` in it names, for each file, how it is read and which raw RGBA pixels it should give.
Prints a line for each comparison; ends with 1 at the first that differs.
"""

import json
import sys
import zipfile
from pathlib import Path

import jsonschema
import numpy
import tifffile
from PIL import Image
from pyora import TYPE_LAYER, Project


def raw(folder, picture):
    data = numpy.fromfile(folder / picture["raw"], dtype=numpy.uint8)
    return data.reshape(picture["height"], picture["width"], 4)


def seen(pixels):
    """Colours under clear pixels are nothing."""
    return numpy.where(pixels[..., 3:] > 0, pixels, 0)


def same(name, got, want):
    got = numpy.asarray(got)
    if got.shape != want.shape or not numpy.array_equal(seen(got), seen(want)):
        off = "shape" if got.shape != want.shape else int(numpy.abs(seen(got).astype(int) - seen(want).astype(int)).max())
        sys.exit(f"{name}: differs ({got.shape} for {want.shape}, {off})")
    print(f"{name}: equal, {want.shape[1]} x {want.shape[0]}")


def on_canvas(layer, width, height):
    """A layer's own pixels at its place."""
    out = numpy.zeros((height, width, 4), dtype=numpy.uint8)
    part = numpy.asarray(layer.get_image_data(raw=True).convert("RGBA"))
    x, y = layer.offsets
    out[y : y + part.shape[0], x : x + part.shape[1]] = part
    return out


def read_openraster(folder, entry):
    project = Project.load(str(folder / entry["file"]))
    layers = {layer.name: layer for layer in project.children_recursive if layer.type == TYPE_LAYER}
    for picture in entry["pictures"]:
        want = raw(folder, picture)
        if picture["name"] == "merged":
            same("OpenRaster, merged picture", project.get_image_data(use_original=True).convert("RGBA"), want)
            same("OpenRaster, composed by its reader", project.get_image_data(use_original=False).convert("RGBA"), want)
            continue
        layer = layers[picture["name"]]
        if layer.visible != picture["shown"]:
            sys.exit(f"OpenRaster, {picture['name']}: shown {layer.visible}")
        same(f"OpenRaster, {picture['name']}", on_canvas(layer, want.shape[1], want.shape[0]), want)
    with zipfile.ZipFile(folder / entry["file"]) as archive:
        first = archive.infolist()[0]
        if (first.filename, first.compress_type) != ("mimetype", zipfile.ZIP_STORED):
            sys.exit(f"OpenRaster: the first entry is {first}")
        with Image.open(archive.open("Thumbnails/thumbnail.png")) as thumbnail:
            if not 0 < max(thumbnail.size) <= 256:
                sys.exit(f"OpenRaster: the thumbnail is {thumbnail.size}")
            print(f"OpenRaster: a thumbnail of {thumbnail.size}")


def read_pillow(folder, entry):
    with Image.open(folder / entry["file"]) as file:
        for number, picture in enumerate(entry["pictures"]):
            file.seek(number)
            name = file.tag_v2.get(285) if file.format == "TIFF" else picture["name"]
            if name != picture["name"]:
                sys.exit(f"{entry['file']}: page {number} is called {name}")
            dpi = tuple(round(float(v)) for v in file.info["dpi"])
            if dpi != (entry["dpi"], entry["dpi"]):
                sys.exit(f"{entry['file']}: its resolution is {dpi}")
            same(f"{entry['file']} by Pillow, {picture['name']}", file.convert("RGBA"), raw(folder, picture))


def read_tifffile(folder, entry):
    with tifffile.TiffFile(folder / entry["file"]) as file:
        for page, picture in zip(file.pages, entry["pictures"], strict=True):
            got = page.asarray()
            if got.dtype == numpy.uint16:
                if (got % 257).any():
                    sys.exit(f"{entry['file']}: 16 bits that are no 8")
                got = (got // 257).astype(numpy.uint8)
            same(f"{entry['file']} by tifffile, {picture['name']}", got, raw(folder, picture))


def read_json(folder, entry):
    schema = json.loads(Path(entry["schema"]).read_text())
    jsonschema.Draft202012Validator.check_schema(schema)
    jsonschema.Draft202012Validator(schema).validate(json.loads((folder / entry["file"]).read_text()))
    print(f"{entry['file']}: as its schema says")


READERS = {"openraster": read_openraster, "pillow": read_pillow, "tifffile": read_tifffile, "json": read_json}

folder = Path(sys.argv[1])
for entry in json.loads((folder / "expected.json").read_text()):
    READERS[entry["by"]](folder, entry)
