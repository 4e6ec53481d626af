"""Three hundred open pages and three hundred idle connections: pictures come as fast as without them."""

from __future__ import annotations

import socket
import tempfile
import time
from pathlib import Path
from statistics import median

from tests.harden.row import Row
from tests.program import Program
from tests.support import encoded, photograph

PAGES, IDLE, LOOKS, ROUNDS = 300, 300, 40, 3
# A picture may take so much longer beside them; below that the machine's own unrest is what is measured.
LIMIT = 1.25


def _times(program: Program, address: str) -> list[float]:
    times = []
    for _ in range(LOOKS):
        began = time.perf_counter()
        assert program.ask(address).status == 200
        times.append(time.perf_counter() - began)
    return times


def run() -> list[Row]:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        program = Program(Path(folder) / "library", "--no-worker")
        program.start()
        made = program.ask("/api/materials?file=gravel.png", data=encoded(photograph("gravel"))).json
        address = f"/api/materials/{made['id']}/picture/base_color.jpg"
        _times(program, address)
        ratios, worst = [], []
        # By turns, so that what else the machine does falls on both.
        for _ in range(ROUNDS):
            alone = _times(program, address)
            lines = [socket.create_connection(("127.0.0.1", program.port), timeout=20) for _ in range(PAGES + IDLE)]
            for line in lines[:PAGES]:
                line.sendall(f"GET /api/events HTTP/1.1\r\nHost: 127.0.0.1:{program.port}\r\n\r\n".encode())
            opened = sum(b"200 OK" in line.recv(4096) for line in lines[:PAGES])
            beside = _times(program, address)
            ratios.append(median(beside) / median(alone))
            worst.append(sorted(beside)[int(LOOKS * 0.95)] / sorted(alone)[int(LOOKS * 0.95)])
            for line in lines:
                line.close()
            time.sleep(1)
        program.kill()
    told = f"p50 × {min(ratios):.2f}, p95 × {min(worst):.2f}, {opened} streams"
    return [Row(f"pictures beside {PAGES} pages and {IDLE} idle", told, f"p50 × {LIMIT}", min(ratios) <= LIMIT)]
