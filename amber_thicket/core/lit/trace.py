"""Paths of light over one displaced shape under surroundings and a lamp: the compiled part of a still.

A path is followed from the eye to the surface, there to the lamp and the surroundings, and on in a direction drawn from
what the surface reflects. Both ways to find the surroundings are weighed by how likely each was (Veach & Guibas,
"Optimally combining sampling techniques for Monte Carlo rendering", SIGGRAPH 1995, balance heuristic). The surface is
the one of glTF 2.0, appendix B: GGX with height-correlated Smith and Schlick's Fresnel over a Lambertian base; its
gloss is drawn after Heitz, "Sampling the GGX distribution of visible normals", JCGT 7(4), 2018.
"""

from __future__ import annotations

import math

import numpy as np

from amber_thicket.core.numeric.compiled import compiled

# What one sample draws: two for its place in the pixel, then for every bounce two for the surroundings, one for the
# kind of reflection and two for its direction.
BOUNCES = 3
DRAWN = 2 + 5 * BOUNCES
# Shapes as numbers.
SLAB, BALL = 0, 1
RADIUS = 0.5
# Light that comes over other places is held under this, so that a lucky path leaves no speck.
_BRIGHTEST = 12.0
# A ray through the relief is looked at every so many of the height's pixels, at most so often.
_STRIDE, _STEPS, _HALVINGS = 1.25, 200, 6
_INVERSE_PI = 1 / math.pi


# pixels of `texture`, channels: 0-2 base, 3-5 normal, 6 roughness, 7 metallic, 8-10 specular of what is no metal.
@compiled(loose=True)
def _look_up(texture, u, v, out):  # type: ignore[no-untyped-def]
    rows, columns, count = texture.shape
    x, y = (u - math.floor(u)) * columns - 0.5, (v - math.floor(v)) * rows - 0.5
    x0, y0 = math.floor(x), math.floor(y)
    a, b = x - x0, y - y0
    x1, y1 = (x0 + 1) % columns, (y0 + 1) % rows
    x0, y0 = x0 % columns, y0 % rows
    for c in range(count):
        top = texture[y0, x0, c] * (1 - a) + texture[y0, x1, c] * a
        bottom = texture[y1, x0, c] * (1 - a) + texture[y1, x1, c] * a
        out[c] = top * (1 - b) + bottom * b


@compiled(loose=True)
def _height_at(height, u, v):  # type: ignore[no-untyped-def]
    rows, columns = height.shape
    x, y = (u - math.floor(u)) * columns - 0.5, (v - math.floor(v)) * rows - 0.5
    x0, y0 = math.floor(x), math.floor(y)
    a, b = x - x0, y - y0
    x1, y1 = (x0 + 1) % columns, (y0 + 1) % rows
    x0, y0 = x0 % columns, y0 % rows
    top = height[y0, x0] * (1 - a) + height[y0, x1] * a
    bottom = height[y1, x0] * (1 - a) + height[y1, x1] * a
    return top * (1 - b) + bottom * b


@compiled(loose=True)
def _over(shape, form, px, py, pz):  # type: ignore[no-untyped-def]
    """(how far a place lies over the shape, u, v on its tiles). form: tiles across, tiles down, depth of the slab,
    displacement."""
    if shape == SLAB:
        return py, (px + 0.5) * form[0], (pz / form[2] + 0.5) * form[1]
    # A ball's map begins on its left side, as the lit view's ball does.
    away = math.sqrt(px * px + py * py + pz * pz)
    around = math.atan2(pz, -px) / (2 * math.pi)
    return away - RADIUS, (around + 1.0) * form[0], math.acos(min(max(py / away, -1.0), 1.0)) / math.pi * form[1]


@compiled(loose=True)
def _span(form, p, d):  # type: ignore[no-untyped-def]
    """(first, last): where a ray from p along d is in the layer the slab's relief lies in; last < first if never."""
    # A little thicker than the relief, so that its highest and lowest places lie within.
    half = 0.51 * form[3]
    if abs(d[1]) < 1e-9:
        return 1.0, 0.0
    a, b = (half - p[1]) / d[1], (-half - p[1]) / d[1]
    first, last = max(min(a, b), 0.0), max(a, b)
    for axis, reach in ((0, 0.5), (2, 0.5 * form[2])):
        if abs(d[axis]) < 1e-12:
            if abs(p[axis]) > reach:
                return 1.0, 0.0
            continue
        a, b = (-reach - p[axis]) / d[axis], (reach - p[axis]) / d[axis]
        first, last = max(first, min(a, b)), min(last, max(a, b))
    return first, last


@compiled(loose=True)
def _above(form, height, p, d, t):  # type: ignore[no-untyped-def]
    """How far a place of a ray lies over the slab's relief; negative under it."""
    e, u, v = _over(SLAB, form, p[0] + t * d[0], p[1] + t * d[1], p[2] + t * d[2])
    return e - (_height_at(height, u, v) - 0.5) * form[3]


@compiled(loose=True)
def _hit(shape, form, height, p, d):  # type: ignore[no-untyped-def]
    """How far along d a ray from p first meets the surface from outside, or −1."""
    if shape == BALL:
        along = p[0] * d[0] + p[1] * d[1] + p[2] * d[2]
        rest = along * along - (p[0] * p[0] + p[1] * p[1] + p[2] * p[2]) + RADIUS * RADIUS
        away = -along - math.sqrt(max(rest, 0.0))
        return away if rest > 0 and away > 1e-6 else -1.0
    first, last = _span(form, p, d)
    if last < first:
        return -1.0
    if form[3] <= 0:
        # The layer has no thickness: the ray meets the slab where it enters it.
        return first if d[1] < 0 and first > 1e-6 else -1.0
    run = (last - first) * math.sqrt(max(0.0, 1 - d[1] * d[1])) * form[0] * height.shape[1]
    steps = min(max(int(run / _STRIDE), 3), _STEPS)
    before = first
    if _above(form, height, p, d, first) < 0:
        # Into the slab from its side, or from under the surface: nothing is there to be seen.
        return -1.0
    for k in range(1, steps + 1):
        t = first + (last - first) * k / steps
        if _above(form, height, p, d, t) >= 0:
            before = t
            continue
        low, high = before, t
        for _ in range(_HALVINGS):
            middle = 0.5 * (low + high)
            if _above(form, height, p, d, middle) < 0:
                high = middle
            else:
                low = middle
        return low
    return -1.0


@compiled(loose=True)
def _light(sky, turn, d, out):  # type: ignore[no-untyped-def]
    """Radiance from a direction. turn: (cos, sin) of how far the surroundings are turned."""
    x, z = turn[0] * d[0] - turn[1] * d[2], turn[1] * d[0] + turn[0] * d[2]
    rows, columns = sky.shape[:2]
    column = int((math.atan2(x, z) / (2 * math.pi) + 0.5) * columns) % columns
    row = min(max(int(math.acos(min(max(d[1], -1.0), 1.0)) / math.pi * rows), 0), rows - 1)
    for c in range(3):
        out[c] = sky[row, column, c]
    return row * columns + column


@compiled(loose=True)
def _drawn(table, shape, turn, a, b, out):  # type: ignore[no-untyped-def]
    """A direction drawn as bright as the surroundings are there; answers the pixel. table: (N,) running sums to 1."""
    low, high = 0, len(table) - 1
    while low < high:
        middle = (low + high) // 2
        if table[middle] < a:
            low = middle + 1
        else:
            high = middle
    rows, columns = shape
    row, column = low // columns, low % columns
    below = table[low - 1] if low else 0.0
    inside = (a - below) / max(table[low] - below, 1e-20)
    phi = ((column + inside) / columns - 0.5) * 2 * math.pi
    top, bottom = math.cos(row / rows * math.pi), math.cos((row + 1) / rows * math.pi)
    y = top + b * (bottom - top)
    s = math.sqrt(max(0.0, 1 - y * y))
    x, z = s * math.sin(phi), s * math.cos(phi)
    out[0], out[1], out[2] = turn[0] * x + turn[1] * z, y, -turn[1] * x + turn[0] * z
    return low


@compiled(loose=True)
def _reflect(surface, n, v, d, out):  # type: ignore[no-untyped-def]
    """BRDF times cosine toward d into out; answers how likely d is drawn, per steradian."""
    nl = n[0] * d[0] + n[1] * d[1] + n[2] * d[2]
    nv = n[0] * v[0] + n[1] * v[1] + n[2] * v[2]
    for c in range(3):
        out[c] = 0.0
    if nl <= 0 or nv <= 0:
        return 0.0
    hx, hy, hz = d[0] + v[0], d[1] + v[1], d[2] + v[2]
    size = math.sqrt(hx * hx + hy * hy + hz * hz)
    nh = (n[0] * hx + n[1] * hy + n[2] * hz) / size
    vh = (v[0] * hx + v[1] * hy + v[2] * hz) / size
    alpha = max(surface[6] * surface[6], 0.0016)
    a2 = alpha * alpha
    spread = nh * nh * (a2 - 1) + 1
    normals = a2 / (math.pi * spread * spread)
    toward, from_ = math.sqrt(nv * nv * (1 - a2) + a2), math.sqrt(nl * nl * (1 - a2) + a2)
    gloss = normals * 0.5 / (nl * toward + nv * from_)
    fifth = (1 - vh) ** 5
    for c in range(3):
        f0 = surface[8 + c] * (1 - surface[7]) + surface[c] * surface[7]
        f = f0 + (1 - f0) * fifth
        out[c] = ((1 - f) * surface[c] * (1 - surface[7]) * _INVERSE_PI + f * gloss) * nl
    # Visible normals: D · G1(v) · (v·h) / (n·v), over 4 (v·h) for directions.
    seen = normals / (2 * (nv + toward))
    share = _gloss_share(surface, nv)
    return share * seen + (1 - share) * nl * _INVERSE_PI


@compiled(loose=True)
def _gloss_share(surface, nv):  # type: ignore[no-untyped-def]
    """How often a direction is drawn from the gloss rather than the matte base."""
    fifth = (1 - nv) ** 5
    gloss = matte = 0.0
    for c in range(3):
        f0 = surface[8 + c] * (1 - surface[7]) + surface[c] * surface[7]
        gloss += f0 + (1 - f0) * fifth
        matte += surface[c] * (1 - surface[7])
    return min(max(gloss / (gloss + matte + 1e-6), 0.15), 1.0 if matte < 1e-3 else 0.9)


@compiled(loose=True)
def _frame(n, t, b):  # type: ignore[no-untyped-def]
    """Two directions across n, at right angles (Duff et al., JCGT 6(1), 2017)."""
    sign = 1.0 if n[2] >= 0 else -1.0
    p = -1.0 / (sign + n[2])
    q = n[0] * n[1] * p
    t[0], t[1], t[2] = 1.0 + sign * n[0] * n[0] * p, sign * q, -sign * n[0]
    b[0], b[1], b[2] = q, sign + n[1] * n[1] * p, -n[1]


@compiled(loose=True)
def _onward(surface, n, v, kind, a, b, t, s, out):  # type: ignore[no-untyped-def]
    """A direction drawn from what the surface reflects, into out. t, s: room for two directions across n."""
    _frame(n, t, s)
    nv = n[0] * v[0] + n[1] * v[1] + n[2] * v[2]
    phi = 2 * math.pi * b
    if kind >= _gloss_share(surface, nv):
        r = math.sqrt(a)
        x, y = r * math.cos(phi), r * math.sin(phi)
        z = math.sqrt(max(0.0, 1 - a))
        for c in range(3):
            out[c] = x * t[c] + y * s[c] + z * n[c]
        return
    alpha = max(surface[6] * surface[6], 0.0016)
    vx = v[0] * t[0] + v[1] * t[1] + v[2] * t[2]
    vy = v[0] * s[0] + v[1] * s[1] + v[2] * s[2]
    x, y, z = alpha * vx, alpha * vy, nv
    size = math.sqrt(x * x + y * y + z * z)
    x, y, z = x / size, y / size, z / size
    flat = math.sqrt(x * x + y * y)
    ax, ay = (-y / flat, x / flat) if flat > 1e-9 else (1.0, 0.0)
    bx, by, bz = -z * ay, z * ax, x * ay - y * ax
    r = math.sqrt(a)
    p, q = r * math.cos(phi), r * math.sin(phi)
    half = 0.5 * (1 + z)
    q = (1 - half) * math.sqrt(max(0.0, 1 - p * p)) + half * q
    w = math.sqrt(max(0.0, 1 - p * p - q * q))
    hx, hy, hz = p * ax + q * bx + w * x, p * ay + q * by + w * y, q * bz + w * z
    hx, hy, hz = alpha * hx, alpha * hy, max(hz, 1e-6)
    size = math.sqrt(hx * hx + hy * hy + hz * hz)
    vh = (vx * hx + vy * hy + nv * hz) / size
    for c in range(3):
        out[c] = 2 * vh * (hx * t[c] + hy * s[c] + hz * n[c]) / size - v[c]


@compiled(loose=True)
def _leaned(shape, p, surface, bare, n):  # type: ignore[no-untyped-def]
    """The bare shape's normal at p and the one of the maps there, unit vectors."""
    if shape == SLAB:
        bare[0], bare[1], bare[2] = 0.0, 1.0, 0.0
        n[0], n[1], n[2] = surface[3], surface[5], -surface[4]
    else:
        size = math.sqrt(p[0] * p[0] + p[1] * p[1] + p[2] * p[2])
        bare[0], bare[1], bare[2] = p[0] / size, p[1] / size, p[2] / size
        flat = math.sqrt(p[0] * p[0] + p[2] * p[2])
        tx, tz = (p[2] / flat, -p[0] / flat) if flat > 1e-9 else (1.0, 0.0)
        # Up the map: bare × tangent.
        bx, by, bz = bare[1] * tz, bare[2] * tx - bare[0] * tz, -bare[1] * tx
        n[0] = surface[3] * tx + surface[4] * bx + surface[5] * bare[0]
        n[1] = surface[4] * by + surface[5] * bare[1]
        n[2] = surface[3] * tz + surface[4] * bz + surface[5] * bare[2]
    size = math.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
    n[0], n[1], n[2] = n[0] / size, n[1] / size, n[2] / size


@compiled(loose=True)
def trace_rows(  # type: ignore[no-untyped-def]
    total,
    cover,
    base,
    offset,
    shape,
    form,
    height,
    texture,
    eye,
    axes,
    sky,
    likely,
    table,
    turn,
    lamp,
    shown,
    first,
    last,
):
    """One path for every pixel of rows first to last, added to total (H, W, 3) and cover (H, W).

    base: (H, W, DRAWN) numbers in 0..1, kept; offset: (DRAWN,) added to them. form: see _over. eye: (3,). axes: (3, 3),
    right and up over half the picture's height, and into the picture. sky: (h, w, 3) radiance; likely: (h·w,) how
    likely each of its pixels is drawn, per steradian; table: their running sums. lamp: (4,) toward it and its
    irradiance over π. shown: whether what lies around is seen past the shape.
    """
    rows, columns = cover.shape
    surface, out, ray, n, bare = np.empty(11), np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    v, d, t, s, p, carried, got = (
        np.empty(3),
        np.empty(3),
        np.empty(3),
        np.empty(3),
        np.empty(3),
        np.empty(3),
        np.empty(3),
    )
    for y in range(first, last):
        for x in range(columns):
            draw = base[y, x]
            a, b = draw[0] + offset[0], draw[1] + offset[1]
            across = (2 * (x + a - math.floor(a)) - columns) / rows
            up = (rows - 2 * (y + b - math.floor(b))) / rows
            for c in range(3):
                ray[c] = axes[2, c] + across * axes[0, c] + up * axes[1, c]
                p[c] = eye[c]
                carried[c] = 1.0
            size = math.sqrt(ray[0] * ray[0] + ray[1] * ray[1] + ray[2] * ray[2])
            for c in range(3):
                ray[c] /= size
            chance = 0.0
            for bounce in range(BOUNCES + 1):
                away = _hit(shape, form, height, p, ray)
                if away < 0:
                    pixel = _light(sky, turn, ray, got)
                    if bounce == 0:
                        if shown:
                            cover[y, x] += 1.0
                            for c in range(3):
                                total[y, x, c] += got[c]
                        break
                    weight = chance / (chance + likely[pixel])
                    for c in range(3):
                        value = carried[c] * got[c] * weight
                        total[y, x, c] += value if bounce == 1 else min(value, _BRIGHTEST)
                    break
                if bounce == BOUNCES:
                    break
                if bounce == 0:
                    cover[y, x] += 1.0
                for c in range(3):
                    p[c] += away * ray[c]
                    v[c] = -ray[c]
                _, u, w = _over(shape, form, p[0], p[1], p[2])
                _look_up(texture, u, w, surface)
                _leaned(shape, p, surface, bare, n)
                nv = n[0] * v[0] + n[1] * v[1] + n[2] * v[2]
                if nv < 0.02:
                    # A normal that leans away from the eye is seen at its rim.
                    size = 0.0
                    for c in range(3):
                        n[c] += (0.02 - nv) * v[c]
                        size += n[c] * n[c]
                    for c in range(3):
                        n[c] /= math.sqrt(size)
                # Off the surface by a hair, so that it does not meet itself.
                for c in range(3):
                    p[c] += (1e-4 + 0.004 * form[3]) * bare[c]
                at = 2 + 5 * bounce
                for light in range(2):
                    if light == 0:
                        if lamp[3] <= 0:
                            continue
                        d[0], d[1], d[2] = lamp[0], lamp[1], lamp[2]
                    else:
                        a, b = draw[at] + offset[at], draw[at + 1] + offset[at + 1]
                        pixel = _drawn(table, sky.shape[:2], turn, a - math.floor(a), b - math.floor(b), d)
                    if d[0] * bare[0] + d[1] * bare[1] + d[2] * bare[2] <= 0:
                        continue
                    chance = _reflect(surface, n, v, d, out)
                    if chance <= 0 or _hit(shape, form, height, p, d) >= 0:
                        continue
                    if light == 0:
                        for c in range(3):
                            got[c] = lamp[3] * math.pi
                    else:
                        _light(sky, turn, d, got)
                        for c in range(3):
                            got[c] /= likely[pixel] + chance
                    for c in range(3):
                        value = carried[c] * out[c] * got[c]
                        total[y, x, c] += value if bounce == 0 else min(value, _BRIGHTEST)
                k, a, b = draw[at + 2] + offset[at + 2], draw[at + 3] + offset[at + 3], draw[at + 4] + offset[at + 4]
                _onward(surface, n, v, k - math.floor(k), a - math.floor(a), b - math.floor(b), t, s, ray)
                chance = _reflect(surface, n, v, ray, out)
                if chance <= 0 or ray[0] * bare[0] + ray[1] * bare[1] + ray[2] * bare[2] <= 0:
                    break
                for c in range(3):
                    carried[c] *= out[c] / chance
