"""Scanned meshes of every surface of the bench against the surface they were made of: height, normals, time."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np

from amber_thicket.service.scanning import Asked, make
from amber_thicket.standins.capture_rig.kinds import KINDS
from amber_thicket.standins.capture_rig.scanned import scanned
from bench.timing import table
from tests.core.test_scan import WHOLE, as_scan, level, true_maps

SEED = 9


def run(side: int) -> None:
    rows, figures = [], []
    for name, make_kind in KINDS.items():
        whole = make_kind(256, SEED)
        part = np.s_[:255, :255]
        of = replace(whole, height=whole.height[part], albedo=whole.albedo[part], width_mm=255.0)
        began = time.perf_counter()
        made = make(as_scan(scanned(of, 255)), Asked(unit="mm", patch=WHOLE, width=127))
        took = time.perf_counter() - began
        height, normals = true_maps(of)
        off = float(level(made.height * made.depth * made.width_mm - height).std() / np.ptp(height))
        angle = float(np.median(np.degrees(np.arccos((normals * made.normal).sum(-1).clip(-1, 1)))))
        figures.append((off, angle))
        rows.append([name, f"{100 * off:.3f} %", f"{angle:.2f}°", f"{took:.1f} s"])
    worst = np.max(figures, axis=0)
    rows.append(["worst", f"{100 * worst[0]:.3f} %", f"{worst[1]:.2f}°", ""])
    table("Scans of 129,000 triangles against the truth", ["surface", "height, rms of its range", "normals, median", "time"],
          rows)  # fmt: skip
