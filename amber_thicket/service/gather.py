"""What the program works out for Gather: white from a neutral patch."""

from __future__ import annotations

from amber_thicket.core.gather import white
from amber_thicket.core.graph import Evaluation

_SIDE = 1536


def neutral_patch(evaluation: Evaluation, x: float, y: float, radius: float) -> dict[str, float]:
    """Settings of gather.white that make the place (0..1 across and down the capture) neutral grey.

    radius: of the patch, as a share of the capture's shorter side. Raises BadSetting.
    """
    pixels = evaluation.gathered(_SIDE).pixels
    height, width = pixels.shape[:2]
    reach = max(1, round(radius * min(height, width)))
    column, row = int(x * (width - 1)), int(y * (height - 1))
    patch = pixels[max(0, row - reach) : row + reach + 1, max(0, column - reach) : column + reach + 1]
    # The capture is shown balanced; the new gains come on top of those in force.
    now = evaluation.recipe.settings("gather.white")
    found = white.neutral(patch * 2.0**-now.exposure)
    gains = {name: getattr(now, name) * gain for name, gain in found.items()}
    return {f"gather.white.{name}": round(min(max(gain, 0.25), 4.0), 4) for name, gain in gains.items()}
