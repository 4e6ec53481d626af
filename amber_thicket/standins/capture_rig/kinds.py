"""Every kind of surface there is on the bench: (side in px, seed) gives a surface."""

from __future__ import annotations

from collections.abc import Callable

from amber_thicket.standins.capture_rig.coir_matting import coir_matting
from amber_thicket.standins.capture_rig.cork_board import cork_board
from amber_thicket.standins.capture_rig.deck_planks import deck_planks
from amber_thicket.standins.capture_rig.embossed_hide import embossed_hide
from amber_thicket.standins.capture_rig.lime_render import lime_render
from amber_thicket.standins.capture_rig.slate_shingles import slate_shingles
from amber_thicket.standins.capture_rig.surface import Surface
from amber_thicket.standins.capture_rig.tarred_felt import tarred_felt
from amber_thicket.standins.capture_rig.tide_pebbles import tide_pebbles
from amber_thicket.standins.capture_rig.verdigris_copper import verdigris_copper

KINDS: dict[str, Callable[[int, int], Surface]] = {
    make.__name__: make
    for make in (
        slate_shingles, lime_render, coir_matting, cork_board, verdigris_copper, deck_planks, tide_pebbles, tarred_felt,
        embossed_hide,
    )
}  # fmt: skip
