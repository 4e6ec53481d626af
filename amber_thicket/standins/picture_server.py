"""The simulation of a picture maker, served over HTTP as service/providers.py asks for it: to try that contract with.

`python -m amber_thicket.standins.picture_server --port 9000`; it listens on this machine alone, and says that what it
makes is a simulation.
"""

from __future__ import annotations

import argparse
import base64
import io
import json
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from PIL import Image

from amber_thicket.core.generate import Request
from amber_thicket.standins.words_to_picture import SimulatedProvider


def answer_of(asked: dict[str, Any]) -> dict[str, Any]:
    """The answer to one request, as plain data."""
    provider = SimulatedProvider()
    request = Request(
        str(asked["words"]), int(asked["seed"]), tileable=bool(asked["tileable"]), top_down=bool(asked["top_down"]),
        side=int(asked["side"]),
    )  # fmt: skip
    made = provider.candidates(request, int(asked["count"]), lambda share, what: None, lambda: None)
    pictures = []
    for one in made:
        file = io.BytesIO()
        Image.fromarray(one.pixels).save(file, "PNG")
        pictures.append({"seed": one.seed, "png": base64.b64encode(file.getvalue()).decode()})
    return {"pictures": pictures, "unread": provider.unread(request.words), "simulation": True}


class PictureHandler(BaseHTTPRequestHandler):
    """Answers POST with pictures; anything else with 405."""

    key = ""

    def do_POST(self) -> None:
        if self.key and self.headers.get("Authorization") != f"Bearer {self.key}":
            self._answer(401, {"error": "the key is wrong"})
            return
        try:
            asked = json.loads(self.rfile.read(int(self.headers.get("Content-Length", "0"))))
            told = answer_of(asked)
        except (ValueError, KeyError, TypeError) as error:
            self._answer(400, {"error": f"not understood: {error}"})
            return
        self._answer(200, told)

    def _answer(self, status: int, told: dict[str, Any]) -> None:
        data = json.dumps(told).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, format: str, *arguments: Any) -> None:
        """Nothing is written down."""


def main() -> None:
    parser = argparse.ArgumentParser(description="A simulated picture maker; see docs/guide/providers.md.")
    parser.add_argument("--port", type=int, default=9000)
    parser.add_argument("--key", default="", help="demanded from whoever asks")
    options = parser.parse_args()
    PictureHandler.key = options.key
    server = ThreadingHTTPServer(("127.0.0.1", options.port), PictureHandler)
    print(f"Simulated pictures at http://127.0.0.1:{server.server_address[1]}/pictures", flush=True)
    server.serve_forever()


if __name__ == "__main__":
    main()
