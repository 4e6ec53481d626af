"""How long packs take on this machine, told by those that were made in this data folder."""

from __future__ import annotations

from statistics import median

from amber_thicket.service.bake import kept_of
from amber_thicket.store.models import Job
from amber_thicket.store.work import PackedFile, PackResult, result_of

# So many packs tell it, none of fewer pixels: what a small one takes hardly hangs on its size.
_PACKS, _LEAST_PX = 5, 1 << 20


def _tile_of(file: PackedFile) -> int:
    return int((file.model_extra or {}).get("tile", 0))


def measured_pace(most_in_memory: float, spilled: bool) -> float | None:
    """Seconds a pixel of the last packs whose steps were spilled, or were not, as asked; None before the first."""
    rows = Job.select(Job.kind, Job.result).where(Job.kind == "pack", Job.state == "done").order_by(Job.created.desc())
    paces: list[float] = []
    for job in rows.limit(4 * _PACKS):
        result = result_of(job.kind, job.result)
        if not isinstance(result, PackResult) or not result.seconds:
            continue
        made = {(_tile_of(file), file.width, file.height) for file in result.files if file.width and file.height}
        pixels = sum(width * height for _, width, height in made)
        largest = max((kept_of(width, height) for _, width, height in made), default=0)
        if pixels >= _LEAST_PX and (largest > most_in_memory) == spilled:
            paces.append(result.seconds / pixels)
    return median(paces[:_PACKS]) if paces else None
