"""One table of map roles: what a map means, how it is stored, and what "nothing here" looks like."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Encoding = Literal["srgb", "linear"]


@dataclass(frozen=True)
class Role:
    """What one kind of map means.

    channels: 1 or 3. encoding: how files store it. blank: the value that says nothing
    (a map that is blank everywhere may be left out). bits: usual bit depth of a file.
    white: what a high value stands for, in words.
    """

    id: str
    label: str
    channels: int
    encoding: Encoding
    blank: float
    bits: int
    white: str


ROLES: dict[str, Role] = {
    role.id: role
    for role in (
        Role("base_color", "Base colour", 3, "srgb", 0.5, 8, "bright"),
        Role("height", "Height", 1, "linear", 0.5, 16, "high"),
        Role("normal", "Normal", 3, "linear", 0.5, 8, "the axis' positive side"),
        Role("roughness", "Roughness", 1, "linear", 0.5, 8, "rough"),
        Role("metallic", "Metallic", 1, "linear", 0.0, 8, "metal"),
        Role("ambient_occlusion", "Ambient occlusion", 1, "linear", 1.0, 8, "open to the sky"),
    )
}
