"""What is refused before a byte is decoded."""

from __future__ import annotations

from amber_thicket.errors import TooLarge

MAX_PIXELS = 200_000_000
MAX_BYTES = 1_000_000_000
MAX_SIDE = 65_535


def check_size(width: int, height: int, name: str) -> None:
    """Raises TooLarge when a picture has more pixels than the limit."""
    if width * height > MAX_PIXELS or max(width, height) > MAX_SIDE:
        raise TooLarge(
            f"{name} has {width} × {height} px, {width * height / 1e6:.0f} megapixels.",
            remedy=f"The limit is {MAX_PIXELS // 1_000_000} megapixels and {MAX_SIDE} px a side; make it smaller.",
            limit=MAX_PIXELS,
            file=name,
        )
