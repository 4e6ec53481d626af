"""Where the sun stood and how much of the light was sky, read from the colour and the height that came along.

The light is not asked for: bearing, steepness, how deep the height is, how much of the light is sky, how soft shadow
and picture are: those that leave the least edges in the colour. What is dark because it lies deep is smooth where the
height is smooth, so it hides no edge of the light; to explain the tones themselves would take it for shadow. The photo
is taken to be albedo × ((1 − sky) · sun + sky · open sky), the sun by Lambert's law with its cast shadow, all of it as
blurred as the camera made it. It is found where the relief is strongest, at the sharpness of the capture: a picture
made smaller no longer is what the light makes of a height made smaller.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from functools import partial
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.even._round import with_margin, without_margin
from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2, optimize
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.operation import Operation
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings
from amber_thicket.core.shading.horizon import open_sky
from amber_thicket.core.shading.slope import slopes

_GRID, _WINDOW, _SAMPLES = 768, 512, 4000
_FIRST_DEPTH, _DEPTHS = 0.03, (0.004, 0.09)
_DEEPER, _FINER = 1.25, 5
_SOFT, _SOFTS = 1.3, (0.5, 0.8, 1.1, 1.5, 2.2, 3.2)
_BLUR, _BLURS = 0.6, (0.0, 0.4, 0.55, 0.7, 0.9, 1.2, 1.7)
_APART = (1, 3)
_EDGE, _ROUNDS = 0.05, 20
_REACH, _LARGE, _DARK, _SPILL, _LEAST = 1 / 18, 1 / 12, 1e-3, 0.005, 0.05
# How wrong a shadow's length may be, of what is further than so many px; the colour around: σ in tile widths; how far
# colour may stand out from it by itself, in log tone.
_WRONG, _NEAR, _AROUND, _TEXTURE = 0.25, 2, 0.004, 0.1


class Settings(OperationSettings):
    pass


@dataclass(frozen=True)
class Light:
    """x, y: direction toward the sun, (right, up), times the cotangent of its elevation, in slopes of the height made
    `depth` tile widths deep. sky: share of the light that is sky. soft, blur: σ of the shadow's edge and of the
    picture, in tile widths. explained: share of the edges that are the light's."""

    x: float
    y: float
    depth: float
    sky: float
    soft: float
    blur: float
    explained: float

    @property
    def bearing(self) -> float:
        """Degrees from the right, counter-clockwise."""
        return float(np.degrees(np.arctan2(self.y, self.x)) % 360)


def sun(squared: Raster, height: Raster | None, *, frame: Frame) -> Raster:
    """The light on the relief against its middle value, (H, W); its evidence is what Light holds.

    One pixel of 1 where no height came along.
    """
    if height is None:
        return Raster(np.ones((1, 1), np.float32))
    tone = np.asarray(np.maximum(luminance(squared.pixels), _DARK), np.float32)
    found = found_light(tone, height.pixels, frame.tile_width)
    light = _light_on_frame(height, tone, found, frame)
    light = np.maximum(light / max(float(np.median(light)), _DARK), _LEAST)
    return Raster(light, evidence={**asdict(found), "bearing": found.bearing, "tile_width": frame.tile_width})


def _light_on_frame(height: Raster, tone: Pixels, found: Light, frame: Frame) -> Pixels:
    """light_on(); on a tile shadows fall across the edges as well."""
    if not frame.wraps:
        return light_on(height.pixels, tone, found, frame.tile_width)
    wide, _ = with_margin(height, frame)
    wider, around = with_margin(Raster(tone), frame)
    return without_margin(Raster(light_on(wide.pixels, wider.pixels, found, around.tile_width)), frame).pixels


def found_light(tone: Pixels, height: Pixels, tile: float) -> Light:
    """tone: luminance (H, W). height: (H, W) in [0, 1]. tile: px of one tile width."""
    wanted = np.log(tone)
    x, y, depth = _first(tone, height, tile)
    window = _strongest(height)
    seen = _Seen(np.ascontiguousarray(wanted[window]), np.ascontiguousarray(height[window]), tile)
    fit, tried = seen.fitted(x, y, depth, 0.25), 1
    for deeper in (_DEEPER, 1 / _DEEPER):
        first = fit
        for _ in range(_FINER):
            tried += 1
            report_progress(min(0.1 * tried, 0.8), "finding the sun")
            other = seen.fitted(fit.x / deeper, fit.y / deeper, fit.depth * deeper, fit.sky)
            if other.off >= fit.off or not _DEPTHS[0] <= other.depth <= _DEPTHS[1]:
                break
            fit = other
        if fit is not first:
            break
    return seen.softened(fit)


@dataclass(frozen=True)
class _Fit:
    """A light as in Light, and the mean edge it leaves."""

    x: float
    y: float
    depth: float
    sky: float
    off: float


class _Seen:
    """A window of a picture: pairs of places near each other, and how far their tones are apart."""

    def __init__(self, wanted: Pixels, height: Pixels, tile: float) -> None:
        self.height, self.tile = height, tile
        rows, columns = (max(n - max(_APART), 1) for n in height.shape)
        at = np.random.default_rng(0).permutation(rows * columns)[:_SAMPLES]
        first = at // columns * height.shape[1] + at % columns
        pairs = [first + step for apart in _APART for step in (apart, apart * height.shape[1])]
        self.places = np.minimum(np.stack([first, *pairs]), height.size - 1)
        self.wanted = self._at(wanted)

    def _at(self, field: Pixels, blurred: float = 0.0) -> NDArray[Any]:
        result: NDArray[Any] = _softened(field, blurred).ravel()[self.places].astype(np.float64)
        return result

    def edges(self, light: NDArray[Any]) -> NDArray[Any]:
        """What is left of the tones' differences once the light is divided out; light: at the places."""
        left = self.wanted - np.log(light)
        return np.asarray((left[1:] - left[0]).ravel())

    def fitted(self, x: float, y: float, depth: float, sky: float, soft: float = _SOFT, blur: float = _BLUR) -> _Fit:
        """The sun and the share of sky that leave the least edges, for one depth, from a first guess."""
        ground = Ground(self.height, depth, self.tile)
        above = self._at(ground.sky, blur)
        p = np.array([x, y, np.log(sky / (1 - sky))])
        for _ in range(2):
            flat = ground.open(p[0], p[1], soft)
            even, right, up = (self._at(flat * part, blur) for part in (ground.even, ground.right, ground.up))

            def off(
                p: NDArray[Any], even: NDArray[Any] = even, right: NDArray[Any] = right, up: NDArray[Any] = up
            ) -> NDArray[Any]:
                share = 1 / (1 + np.exp(-p[2]))
                sun = np.maximum(even - p[0] * right - p[1] * up, 0)
                return np.append(self.edges((1 - share) * sun + share * above + _SPILL), 0.3 * p[2])

            found = optimize.least_squares(off, p, loss="soft_l1", f_scale=_EDGE, max_nfev=_ROUNDS)
            p = found.x
        share = float(np.clip(1 / (1 + np.exp(-p[2])), 0.02, 0.95))
        return _Fit(float(p[0]), float(p[1]), depth, share, float(np.abs(found.fun[:-1]).mean()))

    def softened(self, fit: _Fit) -> Light:
        """With the softness of shadow and picture, and the sun once more with these."""
        ground = Ground(self.height, fit.depth, self.tile)

        def off(soft: float, blur: float) -> float:
            light = ground.light(fit.x, fit.y, fit.sky, soft, blur)
            return float(np.abs(self.edges(self._at(light))).mean())

        soft = min(_SOFTS, key=lambda s: off(s, _BLUR))
        blur = min(_BLURS, key=lambda b: off(soft, b))
        last = self.fitted(fit.x, fit.y, fit.depth, fit.sky, soft=soft, blur=blur)
        explained = 1 - last.off / max(float(np.abs(self.edges(np.ones_like(self.wanted))).mean()), 1e-9)
        tile = self.tile
        return Light(last.x, last.y, last.depth, last.sky, soft / tile, blur / tile, round(explained, 3))


class Ground:
    """A height made `depth` tile widths deep, and what of the light follows from it alone."""

    def __init__(self, height: Pixels, depth: float, tile: float) -> None:
        self.height = np.ascontiguousarray(height * np.float32(depth * tile))
        self.reach = tile * _REACH
        right, up = slopes(self.height, wraps=False)
        self.even = 1 / np.sqrt(1 + right * right + up * up)
        self.right, self.up = right * self.even, up * self.even
        self.sky = open_sky(self.height, depth=1.0, reach=self.reach, wraps=False)

    def open(self, x: float, y: float, soft: float) -> Pixels:
        """1 where the sun reaches, 0 in cast shadow. x, y: as in Light. soft: σ of the shadow, px."""
        return _softened(_shadow(self.height, x, y, self.reach).open(), soft)

    def light(self, x: float, y: float, sky: float, soft: float, blur: float) -> Pixels:
        """All of the light as the camera saw it. sky: share. soft, blur: σ of the shadow and of the picture, px."""
        sun = np.float32(1 - sky) * self.facing(x, y) * self.open(x, y, soft)
        return np.asarray(_softened(sun + np.float32(sky) * self.sky, blur) + np.float32(_SPILL), np.float32)

    def facing(self, x: float, y: float) -> Pixels:
        """Light of the sun against a flat place by Lambert's law, without cast shadow.

        (H, W), 1 on a flat place under a sun overhead.
        """
        result: Pixels = np.maximum(self.even - np.float32(x) * self.right - np.float32(y) * self.up, 0)
        return result


def light_on(height: Pixels, tone: Pixels, light: Light, tile: float) -> Pixels:
    """The light on a height (H, W) in [0, 1], as light() of Ground. tone: luminance there, over 0. tile: px of a tile's
    width.

    Where a shadow ends may be wrong by a part of its length. There, what stands out from the colour around is taken for
    light, as far as light can be: no bright or dark line stays beside a shadow.
    """
    ground = Ground(height, light.depth, tile)
    shadow = _shadow(ground.height, light.x, light.y, ground.reach)
    above = np.float32(light.sky) * ground.sky
    full = np.float32(1 - light.sky) * ground.facing(light.x, light.y)
    sunlit = full * _softened(shadow.open(), light.soft * tile)
    field = _softened(sunlit + above, light.blur * tile) + np.float32(_SPILL)
    doubt = _softened(shadow.doubt(), light.soft * tile)
    off = np.log(tone / field)
    sure, sigma = np.maximum(1 - doubt, 1e-3), _AROUND * tile
    off -= blur(sure * off, sigma, wraps=False, fast=True) / blur(sure, sigma, wraps=False, fast=True)
    changed = field * np.exp(np.sign(off) * np.maximum(np.abs(off) - _TEXTURE, 0) * doubt)
    least, most = above + np.float32(_SPILL), full + above + np.float32(_SPILL)
    return np.asarray(np.clip(changed, np.minimum(least, field), np.maximum(most, field)), np.float32)


def _strongest(height: Pixels) -> tuple[slice, slice]:
    """The window whose relief is strongest; all of a small picture."""
    high, wide = (min(n, _WINDOW) for n in height.shape)
    steep = np.abs(np.gradient(cv2.blur(height, (3, 3)))).sum(0).astype(np.float32)
    mean = cv2.blur(steep, (wide, high), borderType=cv2.BORDER_REFLECT_101)
    tops, lefts = height.shape[0] - high + 1, height.shape[1] - wide + 1
    # The mean around a window's middle, for every place a window can have.
    inside = mean[high // 2 : high // 2 + tops, wide // 2 : wide // 2 + lefts]
    top, left = np.unravel_index(int(np.argmax(inside)), inside.shape)
    return slice(int(top), int(top) + high), slice(int(left), int(left) + wide)


def _first(tone: Pixels, height: Pixels, tile: float) -> tuple[float, float, float]:
    """A first guess at x, y and depth (see Light), by the tones of the whole picture, without cast shadow."""
    scale = min(1.0, _GRID / max(tone.shape))
    size = (max(16, round(tone.shape[1] * scale)), max(16, round(tone.shape[0] * scale)))
    height = np.asarray(cv2.resize(height, size, interpolation=cv2.INTER_AREA))
    tile = tile * scale
    wanted = _fine(np.log(cv2.resize(tone, size, interpolation=cv2.INTER_AREA)), tile)
    picked = np.random.default_rng(0).permutation(wanted.size)[: 5 * _SAMPLES]
    depth, x, y = _FIRST_DEPTH, 0.0, 0.0
    for _ in range(2):
        # The sky's part needs the depth, and the depth comes out of the fit: twice round is enough.
        scaled = np.ascontiguousarray(height * np.float32(depth * tile))
        right, up = slopes(scaled, wraps=False)
        sky = open_sky(scaled, depth=1.0, reach=tile * _REACH, wraps=False)
        x, y, deeper = _direction(*(part.ravel()[picked].astype(np.float64) for part in (right, up, sky, wanted)))
        depth = float(np.clip(depth * deeper, *_DEPTHS))
        x, y = x / deeper, y / deeper
    return x, y, depth


def _direction(
    right: NDArray[Any], up: NDArray[Any], sky: NDArray[Any], wanted: NDArray[Any]
) -> tuple[float, float, float]:
    """(x, y) toward the sun times the cotangent of its elevation, and how much deeper the height really is."""

    def off(p: NDArray[Any]) -> NDArray[Any]:
        facing = np.maximum(1 - p[0] * right - p[1] * up, 0) / np.sqrt(1 + p[3] ** 2 * (right * right + up * up))
        share = 1 / (1 + np.exp(-p[2]))
        difference = wanted - np.log((1 - share) * facing + share * sky + 0.02)
        return np.append(difference - np.median(difference), 0.01 * p[2])

    straight = np.linalg.lstsq(np.column_stack([right, up, np.ones_like(right)]), wanted, rcond=None)[0]
    start = [-straight[0], -straight[1], -0.5, 1.0]
    found = optimize.least_squares(off, start, loss="soft_l1", f_scale=0.2, max_nfev=60)
    return float(found.x[0]), float(found.x[1]), float(np.clip(abs(found.x[3]), 0.3, 3.0))


def _fine(field: Pixels, tile: float) -> Pixels:
    """A field without its large-scale part, which Large-scale light takes care of."""
    return np.asarray(field - blur(field, tile * _LARGE, wraps=False, fast=True), np.float32)


def _softened(field: Pixels, sigma: float) -> Pixels:
    """Blurred by σ px; as it is below a third of a pixel."""
    return cv2.GaussianBlur(field, (0, 0), sigma) if sigma > 1 / 3 else field


class _Shadow(NamedTuple):
    """over: how far above a place, in px, the ray of what hides the sun most passes; below 0 in the sun. far: how far
    off that is. rise: of the ray, in px a px."""

    over: Pixels
    far: Pixels
    rise: float

    def open(self) -> Pixels:
        """1 where the sun reaches, 0 where something nearer to it stands higher than its ray."""
        edge = np.float32(0.35 * self.rise)
        return np.asarray(np.clip(0.5 - (self.over - edge) / (2 * edge), 0, 1), np.float32)

    def doubt(self) -> Pixels:
        """1 where that hangs on the shadow's length."""
        near = np.clip(1.5 - np.abs(self.over) / (np.float32(self.rise * _WRONG) * self.far), 0, 1)
        return np.asarray(near * (self.far > _NEAR), np.float32)


def _shadow(height: Pixels, x: float, y: float, reach: float) -> _Shadow:
    """Cast shadow on a height in px, of a sun toward (x, y) as in Light, of what is nearer than `reach`.

    The capture bench casts its shadows by itself: were it this same function, the bench could not show what is wrong
    with it.
    """
    # The sun at its highest throws no shadow; so steep a ray passes over everything.
    length = max(float(np.hypot(x, y)), 1e-3)
    distances = [1.0]
    while distances[-1] < max(reach, 2.0):
        distances.append(distances[-1] + 1 if distances[-1] < 12 else distances[-1] * 1.09)
    away = np.array(distances[:-1] or [1.0])
    rise = np.float32(1 / length)
    margin = int(away[-1]) + 2
    room = cv2.copyMakeBorder(height, margin, margin, margin, margin, cv2.BORDER_REFLECT_101)
    toward = np.stack([away * (x / length), away * (-y / length)])
    over, far = np.full(height.shape, -1e9, np.float32), np.zeros_like(height)
    over_rows(partial(_march, room, margin, toward, away.astype(np.float32), rise, over, far), len(height), least=16)
    return _Shadow(over - height, far, float(rise))


@compiled()
def _march(room, margin, toward, away, rise, over, far, first, last):  # type: ignore[no-untyped-def]
    """The highest of what stands toward the sun, against the ray, and how far it is. A step is the same for all of a
    row, so its four neighbours are slices."""
    width = over.shape[1]
    for y in range(first, last):
        line, at = over[y], far[y]
        for step in range(len(away)):
            left, top = int(np.floor(toward[0, step])), int(np.floor(toward[1, step]))
            tx, ty = np.float32(toward[0, step] - left), np.float32(toward[1, step] - top)
            drop, distance = away[step] * rise, away[step]
            begin = margin + left
            upper = room[margin + y + top, begin : begin + width + 1]
            lower = room[margin + y + top + 1, begin : begin + width + 1]
            for x in range(width):
                above = upper[x] + (upper[x + 1] - upper[x]) * tx
                below = lower[x] + (lower[x + 1] - lower[x]) * tx
                ahead = above + (below - above) * ty - drop
                at[x] = distance if ahead > line[x] else at[x]
                line[x] = max(ahead, line[x])


OPERATION = Operation(
    id="even.sun",
    label="Sun",
    help="Where the sun stood, by the height map that came along.",
    settings=Settings,
    reads=("squared", "?squared.height"),
    writes="sun",
    apply=sun,
)
