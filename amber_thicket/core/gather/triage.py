"""Triage: what a capture is good for, before time is spent on it. Each finding has a figure and says what to do.

Sources: Immerkær, "Fast noise variance estimation", Computer Vision and Image Understanding 64(2), 1996 (noise). The
sharpness, feature and glare figures are ours; their limits come from photographs of the capture bench with known
faults.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.gather.features import count_features
from amber_thicket.core.gather.tilt import tilt
from amber_thicket.core.numeric.colour import coded_luminance, encode_srgb, luminance
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.numeric.ground import silhouette
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels
from amber_thicket.core.shading.mirrored import mirrored_on_dark
from amber_thicket.core.shading.raking import ONE_SIDE, raking
from amber_thicket.core.tile.join import Settings

_SAMPLE = 1536
Box = tuple[float, float, float, float]
SOFT, NOISY, FEW, UNEVEN, GLARE, CLIPPED = 0.25, 3.5, 20.0, 1.6, 0.004, 0.005
PLAIN, MARGIN = 0.006, 0.01
# Share of a thing on an even ground that mirrors, from which on it is told, and how far it stands out, log.
_GLOSSY, _GLOSSY_RISE = 0.002, 0.9
# Strips differ from a copy by less than this share of what neighbouring pixels differ by.
_SAME = 0.25
# Every so many columns of a strip are looked at before all of them.
_THIN = 8
# Nobody sees that much enlarging.
_HARDLY = 1.03


@dataclass(frozen=True)
class CaptureFinding:
    """level: "pass", "note" or "attention". what: in a word or two. measured: with its unit. advice: what to do. box:
    where it shows most: left, top, right, bottom in 0..1 of the file's picture."""

    level: Literal["pass", "note", "attention"]
    what: str
    measured: str
    advice: str = ""
    box: Box | None = None


def noise_of(codes: Pixels) -> float:
    """Standard deviation of a colour's grain in 8-bit codes. codes: (H, W, 3), coded, in [0, 1].

    Read from the differences between colours: fine texture moves all three together, grain moves each by itself. A grey
    picture therefore shows none.
    """
    return min(_grain_of(codes[..., 0] - codes[..., 1]), _grain_of(codes[..., 2] - codes[..., 1])) / 2**0.5


def _grain_of(tone: Pixels) -> float:
    """Standard deviation of the finest detail in 8-bit codes, in the calmest places. tone: (H, W)."""
    mask = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    grain = np.abs(cv2.filter2D(tone, cv2.CV_32F, mask))[1:-1, 1:-1]
    blocks = cv2.resize(
        grain, (max(1, grain.shape[1] // 24), max(1, grain.shape[0] // 24)), interpolation=cv2.INTER_AREA
    )
    calm = float(np.percentile(blocks, 5))
    return float(calm * np.sqrt(np.pi / 2) / 6 * 255)


def sharpness_of(tone: Pixels, noise: float) -> float:
    """Detail of the finest octave over that of the octave two coarser, grain taken off.

    noise: as noise_of gives it.
    tone: (H, W) coded luminance, 0..1; noise: its standard deviation.
    """
    details = []
    rest = tone
    for _ in range(3):
        smaller = shrink(rest[: rest.shape[0] // 2 * 2, : rest.shape[1] // 2 * 2], 2)
        larger = cv2.resize(smaller, (smaller.shape[1] * 2, smaller.shape[0] * 2), interpolation=cv2.INTER_CUBIC)
        details.append(float(np.mean((rest[: larger.shape[0], : larger.shape[1]] - larger) ** 2)))
        rest = smaller
    # Luminance averages the grain of three colours.
    grain = (0.75 * noise / 255) ** 2
    # Averaging sixteen pixels leaves a quarter of the grain for the octave two coarser.
    fine, coarse = max(details[0] - grain, 0.0), max(details[2] - grain / 16, 1e-9)
    return float(np.sqrt(fine / coarse))


def triage(pixels: Pixels, *, bits: int, floating: bool) -> list[dict[str, Any]]:
    """All findings of a capture, as plain data. pixels: linear RGB (H, W, 3)."""
    height, width = pixels.shape[:2]
    top, left = max(0, (height - _SAMPLE) // 2), max(0, (width - _SAMPLE) // 2)
    part = np.ascontiguousarray(pixels[top : top + _SAMPLE, left : left + _SAMPLE])
    coded = encode_srgb(part)
    tone = coded_luminance(part)
    step = max(1, int((height * width / 600_000) ** 0.5))
    codes = encode_srgb(np.ascontiguousarray(pixels[::step, ::step]))
    small = shrink(pixels, max(1, min(height, width) // 512))
    whole = np.ascontiguousarray(coded_luminance(small))
    found = [_size(width, height), *_exposure(codes), _light(small), *_one_side(small), _glare(codes, pixels)]
    found += [_bits(bits, floating), *_margins(whole), *_strips(whole)]
    if min(tone.shape) >= 64:
        noise = noise_of(coded)
        found += [
            _sharp(tone, noise),
            _grain(noise),
            *_features(pixels),
            _tilt(shrink(pixels, max(1, max(width, height) // 1200))),
        ]
    return [asdict(finding) for finding in found]


def _size(width: int, height: int) -> CaptureFinding:
    """What a tile keeps of the picture: the overlap of its joins is spent."""
    side = min(width, height)
    kept = side / (1 + Settings().overlap_x / 100)
    if side < 512:
        advice = "Finished maps over this size hold no more detail. Come closer, or photograph in parts."
        return CaptureFinding("attention", "Small", f"{width} × {height} px", advice)
    enough = 2 ** int(np.log2(kept * _HARDLY))
    advice = f"Enough for maps of {enough} px; {2 * enough} px would be enlarged {2 * enough / kept:.1f} ×."
    return CaptureFinding("pass", "Size", f"{width} × {height} px", advice)


def _exposure(codes: Pixels) -> list[CaptureFinding]:
    brightest, _ = _ends(codes)
    burnt, crushed = brightest >= 254 / 255, brightest <= 1 / 255
    white, black = float(burnt.mean()), float(crushed.mean())
    found = []
    if white > CLIPPED:
        advice = "Expose darker, or crop the bright part away."
        found.append(CaptureFinding("attention", "Burnt out", f"{white * 100:.1f} % of pixels", advice, densest(burnt)))
    if black > CLIPPED:
        advice = "Expose brighter, or light the recesses."
        found.append(
            CaptureFinding("attention", "Crushed blacks", f"{black * 100:.1f} % of pixels", advice, densest(crushed))
        )
    return found or [CaptureFinding("pass", "Exposure", "nothing clipped")]


def _ends(codes: Pixels) -> tuple[Pixels, Pixels]:
    """The largest and the smallest of each pixel's three channels; plane by plane, which is much quicker."""
    red, green, blue = cv2.split(codes)
    return np.maximum(np.maximum(red, green), blue), np.minimum(np.minimum(red, green), blue)


def _light(pixels: Pixels) -> CaptureFinding:
    grid = np.maximum(luminance(shrink(pixels, max(1, min(pixels.shape[:2]) // 8))), 1e-4)
    uneven = float(np.percentile(grid, 90)) / max(float(np.percentile(grid, 10)), 1e-4)
    if uneven > UNEVEN:
        advice = "Even takes it out; check the amount there."
        return CaptureFinding("attention", "Uneven light", f"{uneven:.1f} : 1", advice, _cell(grid, int(grid.argmin())))
    return CaptureFinding("pass", "Light", f"{uneven:.1f} : 1")


def _one_side(pixels: Pixels) -> list[CaptureFinding]:
    """Light that falls in from one side: what Check looks for in the finished colour."""
    light = raking(pixels)
    if light.weight <= ONE_SIDE:
        return []
    measured = f"{light.weight:.2f}, along {light.bearing:.0f}°"
    advice = "Relief shading in Even takes it out; Relief reads the height from it."
    return [CaptureFinding("attention", "Light from one side", measured, advice)]


def _glare(codes: Pixels, pixels: Pixels) -> CaptureFinding:
    bright, dark = _ends(codes)
    dull = bright - dark
    shiny = (bright > 0.965) & (dull < 0.12) & (bright > np.median(bright) + 0.25)
    share = float(shiny.mean())
    if share > GLARE:
        advice = "Turn the lamp or the camera, or shoot under a cloudy sky; Even can take some of it down."
        return CaptureFinding("attention", "Glare", f"{share * 100:.1f} % of pixels", advice, densest(shiny))
    thing = shrink(pixels, max(1, round(max(pixels.shape[:2]) / 1024)))
    outline = silhouette(thing)
    if outline is not None:
        # On a leaf that is dark as a whole, glare need not be bright beside its ground.
        glossy = mirrored_on_dark(thing, thing.shape[1], _GLOSSY_RISE) & (outline > 0.5)
        share = float(glossy.sum()) / max(float((outline > 0.5).sum()), 1.0)
        if share > _GLOSSY:
            advice = "Glare in Even rebuilds what lies under it; or turn the lamp, or cross two polarising filters."
            return CaptureFinding("attention", "Glare", f"{share * 100:.1f} % of the thing", advice, densest(glossy))
    return CaptureFinding("pass", "Glare", "none to speak of")


def _bits(bits: int, floating: bool) -> CaptureFinding:
    if bits == 8:
        return CaptureFinding("note", "Bit depth", "8 bit", "Shoot RAW or 16 bit where height is read from tone.")
    return CaptureFinding("pass", "Bit depth", f"{bits} bit{' float' if floating else ''}")


def _sharp(tone: Pixels, noise: float) -> CaptureFinding:
    sharp = sharpness_of(tone, noise)
    if sharp < SOFT:
        advice = "Focus again or steady the camera; or make maps of half the size, which lose nothing."
        return CaptureFinding("attention", "Soft", f"{sharp:.2f} of coarser detail", advice)
    return CaptureFinding("pass", "Sharpness", f"{sharp:.2f} of coarser detail")


def _grain(grain: float) -> CaptureFinding:
    if grain > NOISY:
        advice = "Use more light or a lower ISO: grain becomes relief."
        return CaptureFinding("attention", "Noise", f"{grain:.1f} of 255", advice)
    return CaptureFinding("pass", "Noise", f"{grain:.1f} of 255")


def _features(pixels: Pixels) -> list[CaptureFinding]:
    count = count_features(pixels)
    if count.across is None or count.down is None:
        advice = "It has no pieces with clear joints to count. Look at it repeated in Tile."
        return [CaptureFinding("note", "Features", "cannot tell", advice)]
    fit = max(count.across, 1.0) * max(count.down, 1.0)
    measured = f"about {count.across:.0f} across, {count.down:.0f} down"
    few = fit < FEW
    advice = "Many small ones tile well."
    if few:
        advice = "Few big features show at every repeat. Stand further back, so that more of them fit."
    # What lies within half a feature of an edge belongs to features that the edge cuts through.
    share = 1 - (1 - 1 / max(count.across, 1)) * (1 - 1 / max(count.down, 1))
    cut = "So much of the picture belongs to features that its borders cut, and has to be joined in Tile."
    return [
        CaptureFinding("attention" if few else "pass", "Few features" if few else "Features", measured, advice),
        CaptureFinding("note" if few else "pass", "Border share", f"{share * 100:.0f} %", cut),
    ]


def _tilt(pixels: Pixels) -> CaptureFinding:
    found = tilt(pixels)
    if not found.found:
        return CaptureFinding("pass", "Straight on", found.measured)
    advice = "A view from an angle does not tile. Flatten it in Square by its corners, or shoot straight down."
    if found.toward is None:
        return CaptureFinding("attention", "Tilt", found.measured, advice)
    x, y = found.toward
    across = (2 / 3, 1.0) if x > 0.5 else (0.0, 1 / 3) if x < -0.5 else (0.0, 1.0)
    down = (2 / 3, 1.0) if y > 0.5 else (0.0, 1 / 3) if y < -0.5 else (0.0, 1.0)
    return CaptureFinding("attention", "Tilt", found.measured, advice, (across[0], down[0], across[1], down[1]))


def _margins(tone: Pixels) -> list[CaptureFinding]:
    """Plain strips along the edges: the lid of a scanner, a frame, black bars. tone: (H, W), coded."""
    kept = []
    for rows in (tone, tone.T):
        plain = rows.std(axis=1) < PLAIN
        inner = np.flatnonzero(~plain)
        if inner.size == 0:
            return []
        kept.append((inner[0] / plain.size, (inner[-1] + 1) / plain.size))
    (top, bottom), (left, right) = kept
    share = 1 - (right - left) * (bottom - top)
    if share < MARGIN:
        return []
    advice = "Nothing is on it. Crop it away in Square."
    box = (float(left), float(top), float(right), float(bottom))
    return [CaptureFinding("attention", "Plain margin", f"{share * 100:.0f} % of the picture", advice, box)]


def _strips(tone: Pixels) -> list[CaptureFinding]:
    """Strips along an edge that were not photographed: a mirrored copy of what lies beside them, or the last row drawn
    out. tone: (H, W), coded."""
    height, width = tone.shape
    usual = float(np.abs(np.diff(tone, axis=0)).mean() + np.abs(np.diff(tone, axis=1)).mean()) / 2
    if min(height, width) < 64 or usual < 1e-4:
        return []
    found = []
    for side, rows in (("top", tone), ("bottom", tone[::-1]), ("left", tone.T), ("right", tone.T[::-1])):
        # What is drawn out is its own mirror, too.
        smeared = _smeared(rows, usual)
        for what, deep in (("Smeared edge", smeared), ("Mirrored edge", 0 if smeared else _mirrored(rows, usual))):
            if deep:
                share = deep / len(rows)
                box = {
                    "top": (0.0, 0.0, 1.0, share),
                    "bottom": (0.0, 1 - share, 1.0, 1.0),
                    "left": (0.0, 0.0, share, 1.0),
                    "right": (1 - share, 0.0, 1.0, 1.0),
                }[side]
                advice = "This strip is no photograph of the surface. Crop it away in Square."
                found.append(CaptureFinding("attention", what, f"{share * 100:.0f} % at the {side}", advice, box))
    return found


def _mirrored(rows: Pixels, usual: float) -> int:
    """How many of the first rows are a mirror of the next ones, 0 for none."""
    # Most depths are told from a few columns: what is a mirror is one there as well.
    thin = np.ascontiguousarray(rows[:, ::_THIN])
    for deep in range(len(rows) // 3, max(len(rows) // 50, 5), -1):
        strip = rows[:deep]
        # With or without the row at the fold twice; shrunk pictures blur it.
        for first in (deep, deep + 1):
            beside = rows[first : first + deep][::-1]
            if beside.shape != strip.shape or _apart(thin[:deep], thin[first : first + deep]) > 2 * _SAME * usual:
                continue
            if float(np.abs(strip - beside).mean()) < _SAME * usual:
                return deep
    return 0


def _apart(strip: Pixels, beside: Pixels) -> float:
    """How far the rows of a strip are from those beside it, the other way round, on the average."""
    return float(np.abs(strip - beside[::-1]).mean())


def _smeared(rows: Pixels, usual: float) -> int:
    """How many of the first rows are all alike, though they change along, 0 for none."""
    steps = np.abs(np.diff(rows, axis=0)).mean(axis=1)
    alike = int(np.argmax(steps > _SAME * usual)) if (steps > _SAME * usual).any() else len(steps)
    along = float(np.abs(np.diff(rows[0])).mean())
    return alike if alike > max(len(rows) // 50, 5) and along > _SAME * usual and alike < len(steps) else 0


def densest(mask: NDArray[np.bool_]) -> Box:
    """Where a mask is fullest: its heaviest blob after small gaps are closed.

    mask: (H, W); in fractions of the picture.
    """
    height, width = mask.shape
    reach = max(3, round(min(height, width) / 40)) | 1
    closed = cv2.dilate(mask.astype(np.uint8), np.ones((reach, reach), np.uint8))
    _, labels = cv2.connectedComponents(closed)
    weights = np.bincount(labels[mask].ravel(), minlength=2)
    weights[0] = 0
    y, x = np.nonzero((labels == int(weights.argmax())) & mask)
    if y.size == 0:
        return 0.0, 0.0, 1.0, 1.0
    return float(x.min() / width), float(y.min() / height), float((x.max() + 1) / width), float((y.max() + 1) / height)


def _cell(grid: Pixels, number: int) -> Box:
    rows, columns = grid.shape[:2]
    y, x = divmod(number, columns)
    return x / columns, y / rows, (x + 1) / columns, (y + 1) / rows
