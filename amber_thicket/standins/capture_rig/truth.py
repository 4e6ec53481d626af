"""The true maps of a surface as the camera saw it: they lie on the photograph pixel for pixel."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.relief.normal import from_height as normals_of
from amber_thicket.standins.capture_rig.camera import Stand, seen_from
from amber_thicket.standins.capture_rig.noise import Field
from amber_thicket.standins.capture_rig.surface import Surface


def truth_seen(surface: Surface, stand: Stand | None = None) -> dict[str, NDArray[np.uint8] | NDArray[np.uint16]]:
    """File codes of base_color (8 bit), height (16 bit), normal (16 bit, Y+) and roughness (8 bit).

    Normals are turned by as much as the picture is turned at their place, as a scanner that looked from there would
    give them.
    """
    normals = normals_of(surface.height, depth=1.0, wraps=False)
    layers = [surface.albedo, surface.height / max(float(surface.height.max()), 1e-9), normals, surface.roughness]
    if stand:
        layers = [seen_from(np.ascontiguousarray(layer, np.float32), stand) for layer in layers]
        layers[2] = _turned(layers[2], stand)
    albedo, height, normals, roughness = layers
    length = np.linalg.norm(normals, axis=-1, keepdims=True)
    return {
        "base_color": encode_srgb8(np.ascontiguousarray(albedo, np.float32)),
        "height": np.rint(height.clip(0, 1) * 65535).astype(np.uint16),
        "normal": np.rint((normals / length + 1) * 32767.5).astype(np.uint16),
        "roughness": np.rint(roughness.clip(0, 1) * 255).astype(np.uint8),
    }


def _turned(normals: Field, stand: Stand) -> Field:
    """Normals of the surface in the frame of the picture: the rotation nearest to the homography at each place."""
    rows, columns = normals.shape[:2]
    y, x = np.mgrid[0:rows, 0:columns]
    shape = np.array([columns, rows])
    places = np.stack([x + 0.5, y + 0.5], -1) / shape
    surface = _through(places, np.linalg.inv(stand.homography()))
    small = 1e-4
    across, down = (
        (_through(surface + step, stand.homography()) - _through(surface - step, stand.homography())) * shape
        for step in (np.array([small, 0.0]), np.array([0.0, small]))
    )
    cos, sin = across[..., 0] + down[..., 1], across[..., 1] - down[..., 0]
    length = np.hypot(cos, sin)
    cos, sin = cos / length, sin / length
    # Rows run downwards and y upwards: a turn of the picture is one the other way for the vectors.
    right = cos * normals[..., 0] + sin * normals[..., 1]
    up = cos * normals[..., 1] - sin * normals[..., 0]
    return np.stack([right, up, normals[..., 2]], -1)


def _through(points: NDArray[Any], homography: NDArray[Any]) -> NDArray[Any]:
    seen = np.concatenate([points, np.ones((*points.shape[:-1], 1))], -1) @ homography.T
    return np.asarray(seen[..., :2] / seen[..., 2:])
