"""File formats that are written: what each can hold. One line here and one writer (formats/write.py) make a format."""

from __future__ import annotations

from dataclasses import dataclass

# Sides that fit into the sixteen bits JPEG (ITU-T T.81) and TGA have for them, as the common library for JPEG takes
# them; and into the fourteen of WebP (RFC 9649) as the common library for that takes them.
_MOST_JPEG, _MOST_TGA, _MOST_WEBP = 65_500, 65_535, 16_383
# Bits of one channel.
BITS: dict[str, int] = {"8": 8, "16": 16, "half": 16, "float": 32}
FLOATING = ("half", "float")


@dataclass(frozen=True)
class FileFormat:
    """suffix: end of its file names. depths: of one channel, the fewest bits first; "half" and "float" are linear.
    alpha: it has a fourth channel. lossy: it does not give back what was written. most_px: on a side of a picture."""

    id: str
    label: str
    suffix: str
    depths: tuple[str, ...]
    alpha: bool = True
    lossy: bool = False
    most_px: int = (1 << 31) - 1

    def nearest(self, depth: str) -> str:
        """The depth it has that comes nearest: 16 bits become half floats, 8 bits the fewest there are."""
        if depth in self.depths:
            return depth
        if depth == "16" and "half" in self.depths:
            return "half"
        return self.depths[0] if depth == "8" else self.depths[-1]


FORMATS: dict[str, FileFormat] = {
    format.id: format
    for format in (
        FileFormat("png", "PNG", "png", ("8", "16")),
        FileFormat("tiff", "TIFF", "tif", ("8", "16", "float")),
        FileFormat("exr", "OpenEXR", "exr", ("half", "float")),
        FileFormat("jpeg", "JPEG", "jpg", ("8",), alpha=False, lossy=True, most_px=_MOST_JPEG),
        FileFormat("webp", "WebP", "webp", ("8",), most_px=_MOST_WEBP),
        FileFormat("tga", "TGA", "tga", ("8",), most_px=_MOST_TGA),
    )
}
