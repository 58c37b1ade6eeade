"""Opens the layered files that were written, says what it finds, and writes files of its own for them to be read: by zip, XML and Pillow alone."""

import io
import json
import os
import sys
import xml.etree.ElementTree as ET
import zipfile

import numpy as np
from PIL import Image

folder = sys.argv[1]
told = json.load(open(os.path.join(folder, "told.json")))


def same(picture, name, found):
    """8-bit view of both: Pillow reads no 16-bit RGBA, and takes the upper byte."""
    ours = np.frombuffer(open(os.path.join(folder, name + ".rgba8"), "rb").read(), np.uint8).reshape(told["height"], told["width"], 4)
    theirs = np.asarray(picture.convert("RGBA"))
    off = int(np.abs(ours.astype(int) - theirs.astype(int)).max())
    print(f"{found}: {name}, {picture.size[0]} x {picture.size[1]}, off by {off} of 255")
    return off <= 1


fine = True

# OpenRaster: the media type first and stored, the stack from the front, each layer a PNG.
with zipfile.ZipFile(os.path.join(folder, "ours.ora")) as z:
    first = z.infolist()[0]
    fine &= first.filename == "mimetype" and first.compress_type == zipfile.ZIP_STORED and z.read(first) == b"image/openraster"
    fine &= {"stack.xml", "mergedimage.png", "Thumbnails/thumbnail.png"} <= set(z.namelist())
    root = ET.fromstring(z.read("stack.xml"))
    layers = list(root.iter("layer"))[::-1]
    fine &= [l.get("name") for l in layers] == [l["name"] for l in told["layers"]]
    fine &= [l.get("composite-op") for l in layers] == [l["op"] for l in told["layers"]]
    fine &= [float(l.get("opacity")) for l in layers] == [l["opacity"] for l in told["layers"]]
    for layer in layers:
        fine &= same(Image.open(io.BytesIO(z.read(layer.get("src")))), layer.get("name"), "ora")

# TIFF: a page a layer.
with Image.open(os.path.join(folder, "ours.tif")) as tif:
    fine &= tif.n_frames == len(told["layers"])
    for page, layer in enumerate(told["layers"]):
        tif.seek(page)
        fine &= tif.tag_v2[285].strip("\0") == layer["name"]
        fine &= json.loads(tif.tag_v2[270])["opacity"] == layer["opacity"]
        print("tif:", tif.tag_v2[285], tif.size, tif.tag_v2[258], "bits")

# Theirs, for us: an .ora with a layer that hangs over the border, a TIFF of pages, a folder of numbered pictures.
rng = np.random.default_rng(7)
made = []
for k, (name, op, blend) in enumerate([("hills", "svg:src-over", "Normal"), ("mist", "svg:screen", "Screen"), ("leaf", "svg:src-over", "Normal")]):
    pixels = rng.integers(0, 256, (told["height"], told["width"], 4), dtype=np.uint8)
    made.append((name, op, blend, round(1 - k / 4, 2), Image.fromarray(pixels, "RGBA")))
    open(os.path.join(folder, "theirs." + name + ".rgba8"), "wb").write(pixels.tobytes())
with zipfile.ZipFile(os.path.join(folder, "theirs.ora"), "w", zipfile.ZIP_DEFLATED) as z:
    z.writestr("mimetype", "image/openraster", zipfile.ZIP_STORED)
    image = ET.Element("image", w=str(told["width"]), h=str(told["height"]), version="0.0.3")
    stack = ET.SubElement(image, "stack")
    for k, (name, op, blend, opacity, picture) in reversed(list(enumerate(made))):
        data = io.BytesIO()
        picture.save(data, "PNG")
        z.writestr(f"data/{name}.png", data.getvalue())
        ET.SubElement(stack, "layer", name=name, src=f"data/{name}.png", x=str(-3 * k), y=str(5 * k), opacity=str(opacity), **{"composite-op": op})
    z.writestr("stack.xml", ET.tostring(image))
made[0][4].save(os.path.join(folder, "theirs.tif"), save_all=True, append_images=[m[4] for m in made[1:]], compression="tiff_lzw")
os.makedirs(os.path.join(folder, "theirs"))
for k, (name, op, blend, opacity, picture) in enumerate(made):
    picture.save(os.path.join(folder, "theirs", f"{k:02} {name} ({blend}, {100 * opacity:g} %).png"))
json.dump([{"name": m[0], "blend": m[2], "opacity": m[3]} for m in made], open(os.path.join(folder, "theirs.json"), "w"))
print("all as told" if fine else "NOT as told")
sys.exit(0 if fine else 1)
