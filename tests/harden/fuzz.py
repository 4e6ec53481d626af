"""Requests nobody would send, to every route: none may be answered with a fault of the program's own."""

from __future__ import annotations

import json
import random
import sys
import tempfile
import urllib.parse
from collections import Counter
from pathlib import Path
from typing import Any

from tests.harden.row import Row
from tests.program import Program
from tests.support import encoded, photograph

COUNT = 3600
SEED = 20260
NUMBERS = (
    "0",
    "-1",
    "1",
    "99999999999999999999",
    "1e308",
    "-1e308",
    "nan",
    "inf",
    "-inf",
    "0x10",
    "1.5",
    "",
    "٣",
    "1" * 400,
)
WORDS = (
    "", "a", "..", "../../etc/passwd", "%2e%2e", "\0", "ü", "𝔘", "' OR 1=1 --", "<script>", "a" * 6000, "{}", "null",
    "base_color", "height", "normal", "tile.join.overlap_x", "zone:1", "\ud800", "\r\nX: y", "*", "0" * 64, "f" * 12,
)  # fmt: skip


def _nested(depth: int) -> Any:
    value: Any = 1
    for _ in range(depth):
        value = [value]
    return value


class Requests:
    """Makes requests from a seed. known: names that lead to something."""

    def __init__(self, random: random.Random, known: dict[str, list[str]]) -> None:
        self._random = random
        self._known = known

    def value(self, depth: int = 0) -> Any:
        pick = self._random.random()
        if pick < 0.3:
            return self._random.choice([0, -1, 1, 2**31, 2**63, -(2**70), 1e308, -1e308, 0.5, 1e-320, 10**25])
        if pick < 0.55:
            return self._random.choice(WORDS)
        if pick < 0.65:
            return self._random.choice([None, True, False, [], {}])
        if pick < 0.7:
            return json.dumps(self.value(depth + 1), default=str) if depth < 2 else "[]"
        if depth > 3:
            return 0
        if pick < 0.85:
            return [self.value(depth + 1) for _ in range(self._random.randrange(4))]
        return {str(self._random.choice(WORDS)): self.value(depth + 1) for _ in range(self._random.randrange(4))}

    def argument(self, name: str) -> str:
        good = self._known.get(name, [])
        if good and self._random.random() < 0.7:
            return self._random.choice(good)
        return self._random.choice(WORDS if self._random.random() < 0.6 else NUMBERS)

    def query(self) -> str:
        names = (
            "x",
            "y",
            "side",
            "key",
            "slot",
            "layer",
            "one",
            "other",
            "channel",
            "file",
            "as",
            "gesture",
            "mark",
            "archived",
        )
        chosen = self._random.sample(names, self._random.randrange(4))
        return urllib.parse.urlencode({name: self.argument(name) for name in chosen}, errors="replace")

    def body(self, settings: list[str]) -> bytes:
        pick = self._random.random()
        if pick < 0.06:
            return b"[" * 5000 + b"]" * 5000
        if pick < 0.1:
            return b'{"revision":1,"changes":{"tile.join.overlap_x":NaN}}'
        if pick < 0.14:
            return bytes(self._random.randrange(256) for _ in range(40))
        fields: dict[str, Any] = {
            "revision": self._random.choice([1, 2, 3, self.value()]),
            "changes": {self._random.choice(settings): self.value() for _ in range(self._random.randrange(1, 4))},
        }
        for name in ("name", "names", "lines", "materials", "places", "pairs", "way", "role", "words", "seed", "side",
                     "files", "profile", "set", "x", "y", "radius", "label", "gesture", "showing", "padding"):  # fmt: skip
            if self._random.random() < 0.25:
                fields[name] = self.value()
        keep = self._random.sample(list(fields), self._random.randrange(1, len(fields) + 1))
        return json.dumps({name: fields[name] for name in keep}).encode("utf-8", "surrogatepass")


def routes() -> list[tuple[str, str]]:
    """(method, rule) of everything the program answers, but what ends a long wait."""
    from amber_thicket.web.app import create_app
    from amber_thicket.web.config import Config

    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Config(Path(folder), worker=False))
        rules = [
            (method, str(rule)) for rule in app.url_map.iter_rules()
            for method in sorted((rule.methods or set()) - {"HEAD", "OPTIONS"})
        ]  # fmt: skip
        app.extensions["thicket"].close()
    return rules


def run() -> list[Row]:
    from amber_thicket.core.registry import OPERATIONS

    rng = random.Random(SEED)
    rules = routes()
    settings = [f"{op.id}.{name}" for op in OPERATIONS for name in op.settings.model_fields]
    statuses: Counter[int] = Counter()
    faults: list[str] = []
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        program = Program(Path(folder) / "library", "--no-worker")
        program.start()
        made = [
            program.ask(f"/api/materials?file={n}.png", data=encoded(photograph(n))).json for n in ("gravel", "brick")
        ]
        known = {
            "material_id": [row["id"] for row in made], "layer": ["base_color", "height", "normal"], "kind": ["jpg", "png"],
            "number": ["0", "1"], "zone": ["1"], "where": ["tile", "sample"], "way": ["undo", "redo", "archive", "restore"],
            "key": [program.ask(f"/api/materials/{row['id']}").json["files"][0]["key"] for row in made],
            "name": ["studio", "index.html"], "what": ["photo"], "side": ["64", "128"], "x": ["0.5"], "y": ["0.5"],
        }  # fmt: skip
        requests = Requests(rng, known)
        for number in range(COUNT):
            method, rule = rules[number % len(rules)]
            path = rule
            while "<" in path:
                start, end = path.index("<"), path.index(">")
                name = path[start + 1 : end].rpartition(":")[2]
                path = (
                    path[:start]
                    + urllib.parse.quote(requests.argument(name), safe="", errors="replace")
                    + path[end + 1 :]
                )
            query = requests.query()
            body = requests.body(settings) if method in ("POST", "PATCH", "PUT", "DELETE") else None
            answer = _asked(program, path + (f"?{query}" if query else ""), method, body)
            statuses[answer.status // 100] += 1
            if answer.status >= 500:
                faults.append(f"{answer.status} {method} {path[:90]} {(body or b'')[:160]!r} {answer.body[:200]!r}")
        alive = program.ask("/api/about").status == 200
        program.kill()
    for line in faults[:20]:
        print(f"  {line}", file=sys.stderr)
    told = ", ".join(f"{kind}xx {count}" for kind, count in sorted(statuses.items()))
    return [Row(f"fuzz: {COUNT} requests, {len(rules)} routes", told, "0 × 5xx, alive after it", not faults and alive)]


def _asked(program: Program, path: str, method: str, body: bytes | None) -> Any:
    import http.client

    line = http.client.HTTPConnection("127.0.0.1", program.port, timeout=120)
    try:
        headers = {"Content-Type": "application/json"} if body is not None else {}
        line.request(method, path, body, headers)
        answer = line.getresponse()
        from tests.program import Answer

        return Answer(answer.status, answer.read(), {})
    finally:
        line.close()
