"""What a zone can be made of, and what that says: how it mirrors, how rough it is, which colours are plausible.

Mirroring of what is no metal follows from its index of refraction n as ((n − 1) / (n + 1))² (Fresnel, straight on);
that of metals from n and k. Indices: CRC Handbook of Chemistry and Physics (minerals, polymers, water, ice), from
memory. Metals marked "palik" are integrated over CIE 1931 and D65 from E. D. Palik (ed.), Handbook of Optical Constants
of Solids, 1985; those marked "memory" are usual values, from memory. Albedos marked "oke": T. R. Oke, Boundary Layer
Climates, 2nd ed. 1987, tables 1.1 and 8.2, from memory. Roughness, and what it follows: common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from amber_thicket.core.response.convert import DIELECTRIC
from amber_thicket.core.response.roughness import USUAL_SPREAD

# Reflectances that lie so near to the usual 4 % need no map of their own.
_AS_USUAL = 0.008


@dataclass(frozen=True)
class Kind:
    """One kind of material.

    group: what it is listed under. rough, spread: mean and standard deviation of its roughness. follows: how far
    recesses, grain and paleness make it rougher, −100..100. n: index of refraction; of metals None. f0: linear sRGB
    reflectance of a metal straight on. albedo: (darkest, brightest) luminance that a base colour has. sources: of the
    index or reflectance, and of the albedo.
    """

    id: str
    label: str
    group: str
    rough: float
    spread: float
    follows: tuple[float, float, float]
    albedo: tuple[float, float]
    n: float | None = None
    f0: tuple[float, float, float] | None = None
    sources: tuple[str, str] = ("practice", "practice")

    @property
    def metallic(self) -> float:
        return 1.0 if self.f0 else 0.0

    def reflectance(self) -> tuple[float, float, float]:
        """Linear, straight on."""
        if self.f0:
            return self.f0
        assert self.n is not None
        value = ((self.n - 1) / (self.n + 1)) ** 2
        return value, value, value

    def changes(self) -> dict[str, dict[str, Any] | None]:
        """What a zone of the kind changes on each map, by role, as finish.py has it; None for what it leaves alone."""
        recesses, grain, pale = self.follows
        rough = {"level": self.rough, "spread": round(self.spread / USUAL_SPREAD, 2),
                 "recesses": recesses, "grain": grain, "pale": pale}  # fmt: skip
        special = self.special()
        return {
            "roughness": rough,
            "metallic": {"level": 0.95, "spread": 0.0} if self.f0 else None,
            "specular": {"colour": special, "amount": 100.0, "keep": 0.0} if special else None,
        }

    def special(self) -> str | None:
        """ "#rrggbb" of what it mirrors straight on, where that needs a map of its own: no metal, and not about 4 %."""
        usual = self.f0 or abs(self.reflectance()[0] - DIELECTRIC) <= _AS_USUAL
        return None if usual else hex_of(self.reflectance())

    def whole(self) -> dict[str, Any]:
        """Settings of a surface that is all of this kind; None for the default."""
        recesses, grain, pale = self.follows
        return {
            "response.roughness.reads": "surface", "response.specular.colour": self.special(),
            "response.roughness.centre": self.rough, "response.roughness.spread": self.spread,
            "response.roughness.recesses": recesses, "response.roughness.grain": grain, "response.roughness.pale": pale,
            "response.metallic.level": 0.95 if self.f0 else 0.0,
        }  # fmt: skip


def hex_of(linear: tuple[float, float, float]) -> str:
    """ "#rrggbb" of a linear colour, as picked ones are written: IEC 61966-2-1, one number at a time, for the page asks
    for these before the compiler is there."""
    coded = (12.92 * one if one <= 0.0031308 else 1.055 * one ** (1 / 2.4) - 0.055 for one in linear)
    return "#" + "".join(f"{round(255 * min(max(one, 0.0), 1.0)):02x}" for one in coded)


_MINERAL, _LIVING, _MADE, _METAL, _WATER = "Stone and earth", "Wood and plants", "Made", "Metals", "Water"
_CRC, _OKE, _PRACTICE = "crc", "oke", "practice"


def _metal(
    id: str, label: str, rough: float, f0: tuple[float, float, float], source: str, *, spread: float = 0.06
) -> Kind:
    # A metal's base colour is its reflectance; dirt and oxide darken it.
    bright = 0.2126 * f0[0] + 0.7152 * f0[1] + 0.0722 * f0[2]
    albedo = (round(0.5 * bright, 2), min(1.0, round(1.15 * bright, 2)))
    return Kind(id, label, _METAL, rough, spread, (50, 40, -30), albedo, f0=f0, sources=(source, source))


KINDS: dict[str, Kind] = {
    kind.id: kind
    for kind in (
        # Quartz 1.544, calcite 1.658 and feldspars 1.53 on the average.
        Kind("stone", "Stone", _MINERAL, 0.68, 0.08, (60, 40, 20), (0.08, 0.40), 1.55, sources=(_CRC, _OKE)),
        Kind("polished_stone", "Polished stone", _MINERAL, 0.15, 0.05, (60, 20, 0), (0.05, 0.60), 1.55,
             sources=(_CRC, _PRACTICE)),
        Kind("slate", "Slate", _MINERAL, 0.6, 0.08, (50, 40, 30), (0.06, 0.15), 1.57, sources=(_PRACTICE, _OKE)),
        Kind("brick", "Brick", _MINERAL, 0.84, 0.05, (50, 40, 20), (0.15, 0.40), 1.55, sources=(_PRACTICE, _OKE)),
        Kind("mortar", "Mortar", _MINERAL, 0.92, 0.03, (40, 50, 20), (0.15, 0.55), 1.55),
        Kind("concrete", "Concrete", _MINERAL, 0.82, 0.06, (50, 40, 40), (0.10, 0.40), 1.55, sources=(_PRACTICE, _OKE)),
        Kind("plaster", "Plaster", _MINERAL, 0.88, 0.05, (40, 40, 40), (0.30, 0.85), 1.52, sources=(_CRC, _PRACTICE)),
        Kind("soil", "Soil", _MINERAL, 0.92, 0.05, (40, 40, 50), (0.05, 0.40), 1.53, sources=(_PRACTICE, _OKE)),
        Kind("sand", "Sand", _MINERAL, 0.9, 0.04, (20, 50, 50), (0.15, 0.45), 1.544, sources=(_CRC, _OKE)),
        Kind("asphalt", "Asphalt", _MINERAL, 0.85, 0.07, (50, 50, 40), (0.04, 0.20), 1.6, sources=(_PRACTICE, _OKE)),
        Kind("tile", "Glazed tile", _MINERAL, 0.12, 0.05, (70, 20, 0), (0.05, 0.85), 1.52, sources=(_CRC, _PRACTICE)),
        # Cell walls 1.42 (Gausman, Allen & Escobar, Applied Optics 13, 1974), from memory.
        Kind("moss", "Moss", _LIVING, 0.94, 0.03, (30, 50, 0), (0.03, 0.16), 1.42, sources=("gausman", _PRACTICE)),
        Kind("grass", "Grass", _LIVING, 0.72, 0.08, (40, 40, 0), (0.05, 0.26), 1.42, sources=("gausman", _OKE)),
        Kind("leaf", "Leaf", _LIVING, 0.5, 0.1, (50, 30, 20), (0.04, 0.20), 1.42, sources=("gausman", _PRACTICE)),
        Kind("bark", "Bark", _LIVING, 0.9, 0.05, (50, 40, 20), (0.04, 0.25), 1.53, sources=(_PRACTICE, _PRACTICE)),
        # Cellulose 1.54.
        Kind("bare_wood", "Bare wood", _LIVING, 0.72, 0.07, (60, 40, 20), (0.06, 0.55), 1.54,
             sources=(_CRC, _PRACTICE)),
        Kind("varnished_wood", "Varnished wood", _LIVING, 0.25, 0.08, (60, 20, 20), (0.04, 0.45), 1.5),
        Kind("leather", "Leather", _MADE, 0.52, 0.09, (70, 30, 20), (0.02, 0.50), 1.53),
        Kind("textile", "Textile", _MADE, 0.88, 0.05, (60, 40, 0), (0.02, 0.85), 1.54, sources=(_CRC, _PRACTICE)),
        Kind("paper", "Paper", _MADE, 0.86, 0.04, (30, 50, 0), (0.30, 0.90), 1.54, sources=(_CRC, _PRACTICE)),
        # Polymethyl methacrylate 1.49, polystyrene 1.59; natural rubber 1.52.
        Kind("plastic", "Plastic", _MADE, 0.4, 0.08, (50, 30, 20), (0.02, 0.90), 1.5, sources=(_CRC, _PRACTICE)),
        Kind("rubber", "Rubber", _MADE, 0.8, 0.07, (50, 40, 50), (0.02, 0.30), 1.52, sources=(_CRC, _PRACTICE)),
        Kind("paint", "Paint", _MADE, 0.32, 0.08, (50, 30, 20), (0.02, 0.90), 1.5, sources=(_PRACTICE, _OKE)),
        Kind("flat_paint", "Flat paint", _MADE, 0.78, 0.06, (50, 40, 30), (0.02, 0.90), 1.5, sources=(_PRACTICE, _OKE)),
        # Soda-lime 1.52.
        Kind("glass", "Glass", _MADE, 0.05, 0.03, (50, 20, 0), (0.0, 1.0), 1.52, sources=(_CRC, _PRACTICE)),
        # Goethite 2.3 and haematite 2.9, but a powder full of air.
        Kind("rust", "Rust", _METAL, 0.88, 0.05, (40, 50, 0), (0.03, 0.25), 1.7),
        # Brochantite 1.77, malachite 1.88 (Handbook of Mineralogy), from memory.
        Kind("patina", "Patina", _METAL, 0.85, 0.06, (30, 50, 40), (0.08, 0.45), 1.75,
             sources=("mineralogy", _PRACTICE)),
        _metal("iron", "Iron, steel", 0.42, (0.561, 0.565, 0.578), "memory"),
        _metal("copper", "Copper", 0.35, (0.956, 0.638, 0.538), "palik"),
        _metal("brass", "Brass", 0.32, (0.887, 0.789, 0.434), "memory"),
        _metal("bronze", "Bronze", 0.4, (0.8, 0.65, 0.44), "memory"),
        _metal("aluminium", "Aluminium", 0.35, (0.913, 0.921, 0.924), "palik"),
        _metal("zinc", "Zinc", 0.5, (0.664, 0.682, 0.699), "memory"),
        _metal("chromium", "Chromium", 0.12, (0.635, 0.662, 0.705), "palik", spread=0.03),
        _metal("nickel", "Nickel", 0.25, (0.659, 0.609, 0.526), "palik"),
        _metal("silver", "Silver", 0.25, (0.972, 0.96, 0.915), "palik"),
        _metal("gold", "Gold", 0.25, (1.0, 0.782, 0.343), "palik"),
        _metal("lead", "Lead", 0.6, (0.632, 0.626, 0.641), "memory"),
        _metal("titanium", "Titanium", 0.4, (0.542, 0.497, 0.449), "memory"),
        Kind("water", "Water", _WATER, 0.04, 0.02, (0, 0, 0), (0.0, 0.10), 1.333, sources=(_CRC, _OKE)),
        Kind("ice", "Ice", _WATER, 0.15, 0.08, (40, 40, 40), (0.20, 0.60), 1.31, sources=(_CRC, _OKE)),
        Kind("snow", "Snow", _WATER, 0.85, 0.05, (20, 50, 0), (0.40, 0.95), 1.31, sources=(_CRC, _OKE)),
    )
}  # fmt: skip

SOURCES: dict[str, str] = {
    "crc": "CRC Handbook of Chemistry and Physics, from memory",
    "palik": "Palik (ed.), Handbook of Optical Constants of Solids, 1985",
    "oke": "Oke, Boundary Layer Climates, 1987, from memory",
    "gausman": "Gausman, Allen & Escobar, Applied Optics 13, 1974, from memory",
    "mineralogy": "Handbook of Mineralogy, from memory",
    "memory": "usual value, from memory",
    "practice": "common practice, no source",
}


def described() -> list[dict[str, Any]]:
    """Every kind for the page: what choosing it sets."""
    return [
        {"id": kind.id, "label": kind.label, "group": kind.group, "changes": kind.changes(), "whole": kind.whole()}
        for kind in KINDS.values()
    ]
