"""What is refused before a pixel is decoded: too large, or not to be believed.

Sources: RFC 1951 (deflate packs at most 1032 to 1), ITU-T T.81 (a JPEG spends at least one bit on each block of 8 × 8),
TIFF 6.0 (PackBits packs at most 64 to 1).
"""

from __future__ import annotations

from collections.abc import Callable

from amber_thicket.errors import TooLarge, UnreadableFile

MAX_PIXELS = 200_000_000
MAX_BYTES = 1_000_000_000
MAX_SIDE = 65_535
MAX_DECODED = 1_250_000_000
# Decoded bytes to one byte of the file, at most, by how it is packed; with room for what is no pixels.
DEFLATE, JPEG_BLOCKS, PACKBITS, PLAIN = 1100, 3 * 64 * 8, 140, 1.1
ANY = 1 << 40
# Above so many pixels a picture is believed only up to so many decoded bytes to one of the file: a flat map of 8192 ×
# 8192 px stays below, and a file made to fill the memory does not.
_LARGE, _TIGHT = 100_000_000, 400

# Told how many bytes a picture takes before it is decoded, where memory is limited; see helper.py.
announce: Callable[[int], None] = lambda decoded: None  # noqa: E731


def check_size(
    width: int, height: int, name: str, *, samples: int = 3, depth: float = 1.0, length: int = 0, densest: float = ANY
) -> None:
    """Raises TooLarge, UnreadableFile for a picture that is larger than the limit or than its file can hold.

    depth: bytes of each value, of which there are samples in each place; length: bytes of the file, 0 when it does not
    matter; densest: how many decoded bytes a byte of such a file stands for at most.
    """
    if width <= 0 or height <= 0 or samples <= 0:
        raise UnreadableFile(f"{name} says that it has no pixels.", remedy="Save it again.", file=name)
    if width * height > MAX_PIXELS or max(width, height) > MAX_SIDE:
        raise TooLarge(
            f"{name} has {width} × {height} px, {width * height / 1e6:.0f} megapixels.",
            remedy=f"The limit is {MAX_PIXELS // 1_000_000} megapixels and {MAX_SIDE} px a side; make it smaller.",
            limit=MAX_PIXELS,
            file=name,
        )
    decoded = width * height * samples * depth
    if decoded > MAX_DECODED:
        raise TooLarge(
            f"{name} would take {decoded / 1e9:.1f} GB: {width} × {height} px of {samples} values.",
            remedy=f"The limit is {MAX_DECODED / 1e9:.2f} GB; save it smaller, with fewer channels or fewer bits.",
            limit=MAX_DECODED,
            file=name,
        )
    tight = width * height > _LARGE and width * height * min(samples, 3) > _TIGHT * length
    if length and (decoded > length * densest or tight):
        raise UnreadableFile(
            f"{name} says it has {width} × {height} px but holds only {_size(length)}: "
            "it is cut short, or no photograph.",
            remedy="Copy it from the camera or the card again.",
            file=name,
        )
    announce(int(max(decoded, width * height * 4)))


def _size(length: int) -> str:
    return f"{length} bytes" if length < 10_000 else f"{length / 1000:.0f} kB"
