"""The page's colours against WCAG 2.2 and our own rule of neutral greys."""

import re
import unittest
from pathlib import Path

from amber_thicket.core.numeric.colour import srgb_to_linear

CSS = (Path(__file__).parents[2] / "frontend" / "src" / "index.css").read_text()


def tokens(theme: str) -> dict[str, tuple[int, int, int]]:
    block = re.search(rf'\[data-theme="{theme}"\] \{{(.*?)\}}', CSS, re.S)
    assert block
    found = re.findall(r"--([\w-]+): #([0-9a-f]{6});", block[1])
    return {name: tuple(int(code[i : i + 2], 16) for i in (0, 2, 4)) for name, code in found}  # type: ignore[misc]


def contrast(one: tuple[int, int, int], other: tuple[int, int, int]) -> float:
    """WCAG 2.2, relative luminance and contrast ratio."""
    light = sorted(float(srgb_to_linear([c / 255 for c in code]) @ [0.2126, 0.7152, 0.0722]) for code in (one, other))
    return (light[1] + 0.05) / (light[0] + 0.05)


class ContrastTest(unittest.TestCase):
    def test_text_contrast(self) -> None:
        # WCAG 2.2, 1.4.3: 4.5 : 1 for text of this size.
        for theme in ("dusk", "day"):
            colours = tokens(theme)
            for text in ("text", "soft"):
                for ground in ("ground", "raised", "lifted"):
                    self.assertGreaterEqual(contrast(colours[text], colours[ground]), 4.5, (theme, text, ground))
            self.assertGreaterEqual(contrast(colours["on-amber"], colours["amber"]), 4.5, theme)

    def test_known_ratio(self) -> None:
        self.assertAlmostEqual(contrast((0, 0, 0), (255, 255, 255)), 21.0, places=6)

    def test_what_surrounds_a_picture_is_neutral(self) -> None:
        for theme in ("dusk", "day"):
            for name, code in tokens(theme).items():
                # What marks a place on the picture has to stand out from it.
                if name not in ("amber", "on-amber", "stop"):
                    self.assertEqual(len(set(code)), 1, (theme, name))
