"""The simulated camera: sun, sky, fall-off, vignette, focus, noise, JPEG-ready codes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.colour import encode_srgb
from amber_thicket.core.relief.normal import from_height as normals_of
from amber_thicket.core.shading.horizon import open_sky
from amber_thicket.core.square.lens import straight
from amber_thicket.core.square.view import turns
from amber_thicket.standins.capture_rig.noise import Field
from amber_thicket.standins.capture_rig.surface import Surface


@dataclass(frozen=True)
class Shot:
    """How a surface is photographed.

    bearing: degrees from the right, counter-clockwise, toward the sun; elevation: degrees above the surface.
    sun, sky: strengths. softness: how blurred cast shadow is (px). fall_off: share of light lost from one side to
    the other, toward fall_off_bearing. vignette: share lost in the corners. noise: grain. exposure: white point.
    white: the light that becomes it; None takes the brightest of the picture, as a camera's meter does.
    """

    bearing: float = 120.0
    elevation: float = 40.0
    sun: float = 1.0
    sky: float = 0.5
    softness: float = 1.5
    fall_off: float = 0.0
    fall_off_bearing: float = 150.0
    vignette: float = 0.08
    noise: float = 0.006
    exposure: float = 0.9
    warmth: float = 0.04
    focus: float = 0.55
    gloss: float = 0.25
    white: float | None = None


def ring(
    count: int, *, first: float = 0.0, clockwise: bool = False, elevation: float = 45.0, shot: Shot | None = None
) -> tuple[Shot, ...]:
    """Shots under a ring of lamps, one lit at a time, in a darkened room and with one exposure for all.

    first: bearing of the first lamp in degrees from the right, counter-clockwise. elevation: of all lamps.
    """
    base = shot or Shot(sky=0.04, softness=0.8, warmth=0.0, vignette=0.03)
    step = (-1 if clockwise else 1) * 360 / count
    white = base.white or 1.1
    return tuple(
        replace(base, bearing=(first + step * i) % 360, elevation=elevation, white=white) for i in range(count)
    )


@dataclass(frozen=True)
class Stand:
    """Where the camera stands. tilt, pan, roll: degrees away from looking straight down on the surface. focal: focal
    length in widths of the picture. distance: to the middle of the surface, in its widths. k1: lens bend as in
    core/square/lens.py. picture: (width, height) px."""

    tilt: float = 0.0
    pan: float = 0.0
    roll: float = 0.0
    focal: float = 1.3
    distance: float = 1.5
    k1: float = 0.0
    picture: tuple[int, int] = (1536, 1536)

    def homography(self) -> NDArray[np.float64]:
        """From surface coordinates (0..1) to picture coordinates without lens bend (0..1)."""
        about_x, about_y, about_z = turns(*np.radians([self.tilt, self.pan, self.roll]))
        turn = about_z @ about_x @ about_y
        plane = turn[:, :2] @ np.array([[1, 0, -0.5], [0, 1, -0.5]])
        plane[2, 2] += self.distance
        aspect = self.picture[0] / self.picture[1]
        result: NDArray[np.float64] = np.array([[self.focal, 0, 0.5], [0, self.focal * aspect, 0.5], [0, 0, 1]]) @ plane
        return result


def seen_from(layer: Field, stand: Stand) -> Field:
    """A flat layer (H, W[, C]) of a surface as the camera sees it; the surface goes on mirrored beyond its edges."""
    at = _places(stand) * np.array([layer.shape[1], layer.shape[0]], np.float32) - np.float32(0.5)
    # Twice the size, then averaged: no far course flickers.
    fine = cv2.remap(layer, at[..., 0], at[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    result: Field = cv2.resize(fine, stand.picture, interpolation=cv2.INTER_AREA)
    return result


@lru_cache(maxsize=1)
def _places(stand: Stand) -> Field:
    """Surface coordinates of a picture of twice the size, (2H, 2W, 2) float32."""
    width, height = stand.picture
    aspect = width / height
    y, x = np.mgrid[0 : 2 * height, 0 : 2 * width]
    places = np.stack([(x + 0.5) / (2 * width), (y + 0.5) / (2 * height)], -1)
    if stand.k1:
        places = straight(places, aspect, k1=stand.k1, k2=0.0, p1=0.0, p2=0.0)
    ones = np.concatenate([places, np.ones((*places.shape[:2], 1))], -1) @ np.linalg.inv(stand.homography()).T
    result: Field = (ones[..., :2] / ones[..., 2:]).astype(np.float32)
    return result


def cast_shadow(height: Field, bearing: float, elevation: float, reach: int) -> Field:
    """1 in sun, 0 where something between a point and the sun stands in the way. height in px."""
    rows, columns = height.shape
    y, x = np.mgrid[0:rows, 0:columns].astype(np.float32)
    dx, dy = np.cos(np.radians(bearing)), -np.sin(np.radians(bearing))
    rise = np.tan(np.radians(elevation))
    over = np.full(height.shape, -1e9, np.float32)
    step = 1.0
    while step < reach:
        ahead = cv2.remap(
            height,
            x + np.float32(dx * step),
            y + np.float32(dy * step),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REFLECT,
        )
        np.maximum(over, ahead - np.float32(step * rise), out=over)
        step *= 1.06 if step > 16 else 1.0
        step += 0.0 if step > 16 else 1.0
    result: Field = 1 / (1 + np.exp(np.clip((over - height - 0.3) * 2.5, -30, 30)))
    return result


def light_field(shape: tuple[int, int], shot: Shot) -> Field:
    """Large-scale light across the picture: fall-off and vignette, 1 at the brightest."""
    height, width = shape
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    x, y = x / width * 2 - 1, 1 - y / height * 2
    toward = x * np.cos(np.radians(shot.fall_off_bearing)) + y * np.sin(np.radians(shot.fall_off_bearing))
    # Inverse-square light of a lamp off to one side.
    distance = 1.9 - toward
    field = 1 / distance**2
    field = field / field.max()
    fall = 1 - shot.fall_off * (1 - field)
    result: Field = (fall * (1 - shot.vignette * (x * x + y * y) / 2)).astype(np.float32)
    return result


def light_of(surface: Surface, shot: Shot, toward: tuple[float, float, float] = (0.0, 0.0, 1.0)) -> Field:
    """(H, W, 3) linear light that leaves the surface toward a camera, straight on, in no exposure. toward: where the
    camera is, seen from the surface: right, up, out."""
    normals = normals_of(surface.height, depth=1.0, wraps=False)
    bearing, elevation = np.radians(shot.bearing), np.radians(shot.elevation)
    sun = np.array([np.cos(bearing) * np.cos(elevation), np.sin(bearing) * np.cos(elevation), np.sin(elevation)])
    sun = sun.astype(np.float32)
    facing = np.clip(normals @ sun, 0, None) / sun[2]
    lit = cast_shadow(surface.height, shot.bearing, shot.elevation, surface.height.shape[1] // 12)
    lit = cv2.GaussianBlur(lit, (0, 0), shot.softness)
    sky = open_sky(surface.height, depth=1.0, reach=surface.height.shape[1] / 18, wraps=False)
    direct = (facing * lit * shot.sun)[..., None] * np.array([1 + shot.warmth, 1, 1 - shot.warmth], np.float32)
    ambient = (sky * (0.75 + 0.25 * normals[..., 1]) * shot.sky)[..., None] * np.array([0.95, 1, 1.07], np.float32)
    # A metal has no body colour; what it throws back is the light around it, in its own colour.
    metal = surface.metallic[..., None]
    light = surface.albedo * ((1 - metal) * (direct + ambient) + metal * (0.35 * direct + 0.8 * ambient))
    away = np.array(toward, np.float32)
    half = sun + away / np.linalg.norm(away)
    half /= np.linalg.norm(half)
    power = 2 / np.maximum(surface.roughness, 0.1) ** 4
    glint = shot.gloss * (power + 8) / 25 * np.clip(normals @ half, 0, 1) ** power
    mirror = 0.04 * (1 - metal) + surface.albedo * metal
    return np.asarray(light + mirror * (glint * lit * shot.sun)[..., None], np.float32)


def photograph(surface: Surface, shot: Shot, rng: np.random.Generator, stand: Stand | None = None) -> NDArray[np.uint8]:
    """8-bit sRGB codes of the surface as the shot sees it: straight on, or from where the camera stands."""
    light = light_of(surface, shot)
    if stand:
        light = np.maximum(seen_from(light, stand), 0)
    return exposed(light, shot, rng)


def exposed(light: Field, shot: Shot, rng: np.random.Generator) -> NDArray[np.uint8]:
    """8-bit sRGB codes of light (H, W, 3) that falls on the sensor: fall-off, focus, exposure, tone and noise."""
    light = light * light_field(light.shape[:2], shot)[..., None]
    light = cv2.GaussianBlur(light, (0, 0), shot.focus)
    scale = shot.exposure / (shot.white or np.percentile(light, 99.7))
    light = _toned(light * scale)
    grain = rng.standard_normal(light.shape).astype(np.float32)
    light = light + grain * np.sqrt(np.maximum(light, 0) + 0.01) * shot.noise
    result: NDArray[np.uint8] = np.rint(encode_srgb(light.astype(np.float32)) * 255).astype(np.uint8)
    return result


def _toned(light: Field) -> Field:
    """The shoulder of a camera's tone: highlights bend before they clip."""
    knee = 0.75
    return np.where(light > knee, knee + (1 - knee) * np.tanh((light - knee) / (1 - knee)), light).astype(np.float32)
