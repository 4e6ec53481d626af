"""What the server holds in memory: idle, with a material open, and some time after it was last used."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from bench.arrive import photograph
from bench.timing import table
from tests.program import Program

_LAYERS = (
    "gathered", "squared", "evened", "tiled", "base_color", "height", "normal", "roughness", "metallic", "ambient_occlusion",
    "curvature",
)  # fmt: skip
_IDLE_SECONDS = 2.0


def resident(pid: int) -> float:
    """MB of memory a process holds and shares with no other."""
    for line in Path(f"/proc/{pid}/smaps_rollup").read_text("ascii").splitlines():
        if line.startswith("Pss:"):
            return int(line.split()[1]) / 1024
    return 0.0


def everything(pid: int) -> float:
    """MB that a process and all it started hold together."""
    children = Path(f"/proc/{pid}/task/{pid}/children").read_text("ascii").split()
    return resident(pid) + sum(everything(int(child)) for child in children)


def run(side: int) -> None:
    """side: longer side of the capture, px; 6000 (24 megapixels) where it is 0."""
    width = side or 6000
    rows = []
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as name:
        server = Program(Path(name), "--idle-minutes", f"{_IDLE_SECONDS / 60:.3f}")
        server.start()
        assert server.process
        pid = server.process.pid

        def told(when: str) -> None:
            rows.append([when, f"{resident(pid):.0f} MB", f"{everything(pid):.0f} MB"])
            print(*rows[-1], flush=True)

        try:
            time.sleep(3)
            told("idle, as it started")
            for number, megapixels in enumerate((24, 24)):
                made = server.ask("/api/materials?file=a.jpg", data=photograph(width, width * 2 // 3)).json
                id = made["id"]
                state = server.ask(f"/api/materials/{id}").json
                for layer in _LAYERS:
                    server.ask(f"/api/materials/{id}/picture/{layer}.jpg?key={state['keys'][layer]}&side=768&follow=1")
                for path in ("checks", "next", "figures"):
                    server.ask(f"/api/materials/{id}/{path}", seconds=120)
                told(f"{('one', 'two')[number]} of {megapixels} megapixels open, checked")
            time.sleep(_IDLE_SECONDS + 12)
            told("idle again")
        finally:
            server.kill()
    table("What the server holds", ["", "itself", "with its helpers and worker"], rows)
