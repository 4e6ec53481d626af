"""Between the metal/rough and the specular/gloss way of saying how a surface answers light.

Source: Khronos, KHR_materials_pbrSpecularGlossiness (archived extension of glTF 2.0), appendix "Converting between
workflows"; 4 % is the reflectance of what is no metal.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from amber_thicket.core.numeric.colour import extremes
from amber_thicket.core.raster import Pixels

DIELECTRIC = 0.04
# Metallic under which nothing is one, and over which nothing is left to mirror besides; reflectance that every metal
# has.
_NO_METAL, _ALL_METAL, _DARKEST_METAL = 0.2, 0.98, 0.12


def to_specular(base: Pixels, metallic: Pixels, dielectric: Pixels | float = DIELECTRIC) -> tuple[Pixels, Pixels]:
    """Diffuse and specular colour, linear (H, W, 3), of a metal/rough surface. base: linear; metallic: (H, W);
    dielectric: what is no metal mirrors straight on, linear (H, W, 3) or one number. What is not mirrored is left for
    diffuse light, so that its colour is brighter by as much; above 1 it is cut off."""
    metal = metallic[..., None]
    specular = np.float32(1) * dielectric * (1 - metal) + base * metal
    left = np.maximum(1 - extremes(specular)[0], 1e-3)[..., None]
    diffuse = base * (1 - metal) * np.float32(1 - DIELECTRIC) / left
    return diffuse.clip(0, 1).astype(np.float32), specular.astype(np.float32)


def to_metal(diffuse: Pixels, specular: Pixels) -> tuple[Pixels, Pixels, Pixels]:
    """Base colour, linear (H, W, 3), metallic (H, W), and what is no metal mirrors straight on, linear (H, W, 3), of a
    specular/gloss surface.

    Per pixel the metallic that explains both colours by their perceived brightness; what the specular says beyond that
    is kept as the third, so that to_specular() gives both colours back: to 1/255 where it is 0 or 1, and in between,
    which is no material, within .03 on average (tested). A specular of up to 12 % stays no metal; a brighter grey one
    cannot be told from metal.
    """
    strength = 1 - extremes(specular)[0]
    metallic = _solved(_perceived(diffuse), _perceived(specular), strength)
    weak = (metallic < _NO_METAL) | (extremes(specular)[0] < _DARKEST_METAL)
    metallic = np.where(weak, 0, metallic).astype(np.float32)
    metal = metallic[..., None]
    from_diffuse = diffuse * (strength / (1 - DIELECTRIC) / np.maximum(1 - metallic, 1e-6))[..., None]
    from_specular = (specular - np.float32(DIELECTRIC) * (1 - metal)) / np.maximum(metal, 1e-6)
    base = from_diffuse + (metal * metal) * (from_specular - from_diffuse)
    base = base.clip(0, 1).astype(np.float32)
    beyond = (specular - base * metal) / np.maximum(1 - metal, 1e-6)
    rest = np.where(metal > _ALL_METAL, np.float32(DIELECTRIC), beyond).clip(0, 1)
    return base, metallic, rest.astype(np.float32)


def _perceived(colour: Pixels) -> Pixels:
    weights = np.array([0.299, 0.587, 0.114], np.float32)
    return np.sqrt((colour * colour) @ weights)


def _solved(diffuse: Pixels, specular: Pixels, strength: Pixels) -> Pixels:
    b = diffuse * strength / (1 - DIELECTRIC) + specular - 2 * DIELECTRIC
    c = DIELECTRIC - specular
    root = np.sqrt(np.maximum(b * b - 4 * DIELECTRIC * c, 0))
    found = ((-b + root) / (2 * DIELECTRIC)).clip(0, 1)
    return np.where(specular < DIELECTRIC, 0, found)


# Maps made from others only when a profile asks for them: name to the function that makes it.
DERIVED: dict[str, Callable[[dict[str, Pixels]], Pixels]] = {
    "diffuse": lambda maps: to_specular(maps["base_color"], maps["metallic"], maps["specular"])[0],
    "specular_color": lambda maps: to_specular(maps["base_color"], maps["metallic"], maps["specular"])[1],
    # Light that comes through, as a share and its colour.
    "transmission": lambda maps: extremes(maps["translucency"])[0],
    "transmission_color": lambda maps: (
        maps["translucency"] / np.maximum(extremes(maps["translucency"])[0][..., None], 1e-6)
    ),
}
# What they are called.
DERIVED_LABELS: dict[str, str] = {
    "diffuse": "Diffuse",
    "specular_color": "Specular colour",
    "transmission": "Light through",
    "transmission_color": "Colour of light through",
}
# Those of them with one channel.
ONE_CHANNEL = ("transmission",)
_NEEDED = dict.fromkeys(("transmission", "transmission_color"), ("translucency",))


def needed(name: str) -> tuple[str, ...]:
    """The maps a derived one is made of."""
    return _NEEDED.get(name, ("base_color", "metallic", "specular"))
