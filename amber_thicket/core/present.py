"""Which of the maps that not every surface needs say something."""

from __future__ import annotations

from amber_thicket.core.recipe import Recipe
from amber_thicket.core.roles import OPTIONAL


def says_something(recipe: Recipe, role: str) -> bool:
    """Whether anything makes the map say something. role: metallic or an optional one."""
    if role in ("metallic", "specular") and recipe.settings("gather.maps").workflow == "specular":
        # Worked into base colour and metallic, it has nothing more to say unless something is changed on it.
        finished = recipe.settings(f"response.on_{role}")
        return role == "metallic" or bool(finished.in_zones or finished.strokes)
    if role.startswith("relief_"):
        return bool(recipe.settings("relief.split").on)
    if role == "opacity" and recipe.settings("tile.cutout").on:
        return True
    own = recipe.settings(f"response.{role}")
    finished = recipe.settings(f"response.on_{role}")
    if own != type(own)() or finished.in_zones or finished.strokes or getattr(recipe.settings("gather.maps"), role):
        return True
    return role == "metallic" and any(
        row.metallic or row.material for row in recipe.settings("response.covers").lying()
    )


def tells_colour(recipe: Recipe) -> bool:
    """Whether anything tells the colour: a photograph, or a file that brings it."""
    maps = recipe.settings("gather.maps")
    return maps.colour == "picture" or bool(maps.base_color)


def present(recipe: Recipe) -> tuple[str, ...]:
    """The optional maps that are there."""
    return tuple(role for role in OPTIONAL if says_something(recipe, role))
