"""A simulated purchase: a map set as one might get it from elsewhere, with the faults such sets have."""

from __future__ import annotations

import io
import zipfile

import cv2
import numpy as np

from amber_thicket.core.files.encode import quantised
from amber_thicket.core.numeric.colour import encode_srgb8, linear_to_srgb
from amber_thicket.core.raster import Pixels
from amber_thicket.core.relief.normal import from_height as normals_of
from amber_thicket.core.shading.horizon import open_sky
from amber_thicket.formats.write import png_bytes
from amber_thicket.standins.capture_rig.harbour_grating import harbour_grating

SIDE, SEED = 1024, 11
NAME = "harbour_grating.zip"


def true_maps(side: int = SIDE) -> dict[str, Pixels]:
    """The maps as they should be: linear colour, unit normals Y+, scalars in [0, 1]."""
    surface = harbour_grating(side, SEED)
    top = float(surface.height.max())
    return {
        "base_color": surface.albedo,
        "height": surface.height / np.float32(top),
        "normal": normals_of(surface.height, depth=1.0, wraps=True),
        "roughness": surface.roughness,
        "ambient_occlusion": open_sky(surface.height, depth=1.0, reach=side / 16, wraps=True),
    }


def sample_files(side: int = SIDE) -> dict[str, bytes]:
    """Files of the harbour grating by name. Faults: normal Y− and coded as sRGB, gloss instead of roughness, height in
    8 bits, occlusion of half the size, a metallic map with nothing in it."""
    maps = true_maps(side)
    stored = maps["normal"] * np.array([0.5, -0.5, 0.5], np.float32) + np.float32(0.5)
    half = cv2.resize(maps["ambient_occlusion"], (side // 2, side // 2), interpolation=cv2.INTER_AREA)
    codes = {
        "BaseColor": encode_srgb8(maps["base_color"]),
        "Normal": quantised(linear_to_srgb(stored).astype(np.float32), 8),
        "Gloss": quantised(1 - maps["roughness"], 8),
        "Height": quantised(maps["height"], 8),
        "AO": quantised(half, 8),
        "Metallic": np.zeros((side, side), np.uint8),
    }
    return {
        f"Harbour_Grating_{name}.png": png_bytes(picture, encoding="srgb" if name == "BaseColor" else "linear")
        for name, picture in codes.items()
    }


def sample_zip(side: int = SIDE) -> bytes:
    """The files as they came: one zip."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w") as archive:
        for name, data in sample_files(side).items():
            archive.writestr(zipfile.ZipInfo(f"Harbour_Grating/{name}", (1980, 1, 1, 0, 0, 0)), data)
    return stream.getvalue()
