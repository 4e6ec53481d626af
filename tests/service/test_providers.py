"""Picture makers over HTTP: the simulation served over loopback, and slow, failing, lying ones."""

from __future__ import annotations

import base64
import json
import os
import tempfile
import threading
import time
import unittest
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np

from amber_thicket.core.generate import Request
from amber_thicket.errors import BadSetting, Cancelled, ThicketError
from amber_thicket.service.images import generated
from amber_thicket.service.providers import HttpProvider, Maker, makers, providers
from amber_thicket.standins.picture_server import PictureHandler, answer_of
from amber_thicket.standins.words_to_picture import SimulatedProvider
from amber_thicket.store.blobs import open_blobs
from amber_thicket.store.work import GeneratePayload
from tests.support import encoded

WANTED = Request("tarred felt, worn", seed=3, side=512)


def quietly(share: float, what: str) -> None:
    """Nobody is told."""


class Served(unittest.TestCase):
    def serve(self, handler: type[BaseHTTPRequestHandler]) -> str:
        server = ThreadingHTTPServer(("127.0.0.1", 0), handler)
        server.daemon_threads = True
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        return f"http://127.0.0.1:{server.server_address[1]}/pictures"

    def answering(self, answer: Callable[[BaseHTTPRequestHandler], None], seconds: float = 60.0) -> HttpProvider:
        class Handler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                self.rfile.read(int(self.headers["Content-Length"]))
                answer(self)

            def do_GET(self) -> None:
                answer(self)

            def log_message(self, format: str, *arguments: Any) -> None:
                """Nothing."""

        return HttpProvider(Maker(label="Ours", address=self.serve(Handler), seconds=seconds))

    def sending(self, told: Any, status: int = 200) -> HttpProvider:
        def answer(request: BaseHTTPRequestHandler) -> None:
            data = told if isinstance(told, bytes) else json.dumps(told).encode()
            request.send_response(status)
            request.send_header("Content-Length", str(len(data)))
            request.end_headers()
            request.wfile.write(data)

        return self.answering(answer)

    def test_the_simulation_over_http_is_the_simulation(self) -> None:
        class Locked(PictureHandler):
            key = "open"

        address = self.serve(Locked)
        maker = Maker(label="Ours", address=address, key_from="AT_TEST_KEY", seconds=60)
        provider = HttpProvider(maker)
        with self.assertRaises(BadSetting) as refused:
            provider.candidates(WANTED, 2, quietly, lambda: None)
        self.assertIn("AT_TEST_KEY is not set", refused.exception.message)
        with mock.patch.dict(os.environ, {"AT_TEST_KEY": "wrong"}), self.assertRaises(ThicketError) as refused:
            provider.candidates(WANTED, 2, quietly, lambda: None)
        self.assertIn("does not take the key", refused.exception.message)
        with mock.patch.dict(os.environ, {"AT_TEST_KEY": "open"}):
            made = provider.candidates(WANTED, 2, quietly, lambda: None)
        wanted = list(SimulatedProvider().candidates(WANTED, 2, quietly, lambda: None))
        for one, other in zip(made, wanted, strict=True):
            self.assertEqual(one.seed, other.seed)
            # Through light and back, a code at most.
            off = np.abs(one.pixels.astype(int) - other.pixels.astype(int))
            self.assertLessEqual(int(off.max()), 1)
        self.assertTrue(provider.simulation)
        self.assertEqual(provider.unread(WANTED.words), SimulatedProvider().unread(WANTED.words))

    def test_what_lies_fails_or_is_slow_is_told_and_nothing_kept(self) -> None:
        good = answer_of({"words": "felt", "seed": 1, "count": 1, "side": 512, "tileable": True, "top_down": True})
        small = base64.b64encode(encoded(np.zeros((64, 64, 3), np.uint8))).decode()

        def slow(request: BaseHTTPRequestHandler) -> None:
            time.sleep(4)

        def trickling(request: BaseHTTPRequestHandler) -> None:
            request.send_response(200)
            request.end_headers()
            for _ in range(40):
                request.wfile.write(b" ")
                request.wfile.flush()
                time.sleep(0.1)

        def elsewhere(request: BaseHTTPRequestHandler) -> None:
            request.send_response(302)
            request.send_header("Location", "http://127.0.0.1:1/")
            request.send_header("Content-Length", "0")
            request.end_headers()

        picture = good["pictures"][0]
        for provider, told in (
            (self.sending(b"no json"), "no JSON"),
            (self.sending({"pictures": []}), "asked for 1 pictures and sent 0"),
            (self.sending({"pictures": [picture, picture]}), "sent 2"),
            (self.sending({"images": []}), "pictures"),
            (self.sending({"pictures": [{"seed": -1, "png": ""}]}), "pictures.0.seed"),
            (self.sending({"pictures": [{"seed": 1, "png": "&&&"}]}), "no base64"),
            (self.sending({"pictures": [{"seed": 1, "png": "YWJj"}]}), "cannot be read"),
            (self.sending({"pictures": [{"seed": 1, "png": small}]}), "64 × 64 px"),
            (self.sending(b" " * 4_000_000), "more than"),
            (self.sending({}, 500), "refused (500)"),
            (self.sending({}, 403), "does not take the key"),
            (self.sending({}, 429), "enough to do"),
            (self.answering(elsewhere), "refused (302)"),
            (self.answering(slow, 1.5), "longer than 1.5 s"),
            (self.answering(trickling, 1.5), "longer than 1.5 s"),
            (HttpProvider(Maker(label="Ours", address="http://127.0.0.1:1/x")), "cannot be reached"),
        ):
            with self.subTest(told=told), self.assertRaises(ThicketError) as refused:
                provider.candidates(WANTED, 1, quietly, lambda: None)
            self.assertIn(told, refused.exception.message)
            self.assertTrue(refused.exception.remedy)
        with self.assertRaises(BadSetting):
            HttpProvider(Maker(label="Ours", address="http://127.0.0.1:1/x", largest_side=512)).candidates(
                Request("felt", side=1024), 1, quietly, lambda: None
            )

        def called_off() -> None:
            raise Cancelled("Called off.")

        with self.assertRaises(Cancelled):
            self.sending(good).candidates(WANTED, 1, quietly, called_off)

    def test_a_job_asks_whom_the_data_folder_names(self) -> None:
        address = self.serve(PictureHandler)
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "providers.toml").write_text(f'[studio]\nlabel = "Ours"\naddress = "{address}"\n')
            payload = GeneratePayload(words="tarred felt, worn", seed=3, side=512, provider="studio")
            *_, result = generated(open_blobs(folder), folder, payload, quietly, lambda: None)
            self.assertEqual((len(result.candidates), result.simulation), (4, True))
            self.assertEqual(list(providers(folder)), ["simulation", "studio"])
            (folder / "providers.toml").unlink()
            with self.assertRaises(BadSetting):
                list(generated(open_blobs(folder), folder, payload, quietly, lambda: None))

    def test_each_picture_is_told_as_soon_as_it_is_there(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            payload = GeneratePayload(words="tarred felt, frobnicated", seed=3, side=512)
            said: list[str] = []
            told = generated(
                open_blobs(Path(name)), Path(name), payload, lambda share, what: said.append(what), lambda: None
            )
            first = next(told)
            self.assertEqual((len(first.candidates), len(said), first.unread), (1, 1, ("frobnicated",)))
            self.assertEqual([len(result.candidates) for result in told], [2, 3, 4])

    def test_a_wrong_file_is_told(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            self.assertEqual(makers(folder), {})
            for text, told in (
                ("[studio", "cannot be read"),
                ("[studio]\nlabel = 'a'\n", "address"),
                ("[studio]\nlabel = 'a'\naddress = 'file:///etc/passwd'\n", "http://"),
                ("[studio]\nlabel = 'a'\naddress = 'http://a'\nkey = 'secret'\n", "key"),
            ):
                with self.subTest(text=text):
                    (folder / "providers.toml").write_text(text)
                    with self.assertRaises(BadSetting) as refused:
                        makers(folder)
                    self.assertIn(told, refused.exception.message)
