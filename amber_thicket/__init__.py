"""Amber Thicket: photographs in, checked and tileable map sets out. From Python: see amber_thicket.api."""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from amber_thicket.api import (
        Material,
        audit,
        bake,
        light_set,
        open_maps,
        open_photo,
        repair,
        scan,
        settings,
        walk_by,
    )

__version__ = "0.1.0"
__all__ = [
    "Material", "__version__", "audit", "bake", "light_set", "open_maps", "open_photo", "repair", "scan", "settings",
    "walk_by",
]  # fmt: skip


def __getattr__(name: str) -> Any:
    """The front door, read when it is first used: who only wants the version, or --help, does not wait for it."""
    if name in __all__:
        from amber_thicket import api

        return getattr(api, name)
    raise AttributeError(f"module 'amber_thicket' has no attribute {name!r}")
