"""Which of the maps that not every surface needs say something."""

from __future__ import annotations

from amber_thicket.core.recipe import Recipe
from amber_thicket.core.response.covers import active_covers
from amber_thicket.core.roles import OPTIONAL


def says_something(recipe: Recipe, role: str) -> bool:
    """Whether anything makes the map say something. role: metallic or an optional one."""
    specular = recipe.settings("gather.maps").workflow == "specular"
    if specular and role in ("metallic", "specular"):
        # Worked into base colour and metallic, it has nothing more to say.
        return role == "metallic"
    if role.startswith("relief_"):
        return bool(recipe.settings("relief.split").on)
    if role == "opacity" and recipe.settings("tile.cutout").on:
        return True
    own = recipe.settings(f"response.{role}")
    finished = recipe.settings(f"response.on_{role}")
    if own != type(own)() or finished.in_zones or finished.strokes or getattr(recipe.settings("gather.maps"), role):
        return True
    return role == "metallic" and any(
        row.metallic or row.material for row in active_covers(recipe.settings("response.covers").covers)
    )


def present(recipe: Recipe) -> tuple[str, ...]:
    """The optional maps that are there."""
    return tuple(role for role in OPTIONAL if says_something(recipe, role))
