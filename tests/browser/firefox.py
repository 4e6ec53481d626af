"""Firefox as Debian offers it, driven by WebDriver BiDi (W3C), which it speaks itself: no driver in between."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from websockets.sync.client import connect

FIREFOX = shutil.which("firefox-esr") or shutil.which("firefox") or ""
_PATIENCE = 120.0


class Firefox:
    """One window of a Firefox of its own. Nothing is asked of the network but what the page asks."""

    def __init__(self, width: int = 1280, height: int = 800) -> None:
        self._folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        profile = Path(self._folder.name)
        # A fresh profile that calls nobody, and answers none of the questions of a first start.
        settings = {
            "app.update.enabled": False, "browser.shell.checkDefaultBrowser": False, "network.captive-portal-service.enabled": False,
            "network.connectivity-service.enabled": False, "datareporting.policy.dataSubmissionEnabled": False,
            "toolkit.telemetry.enabled": False, "browser.aboutwelcome.enabled": False, "intl.accept_languages": "en-GB, en",
        }  # fmt: skip
        lines = [f'user_pref("{name}", {json.dumps(value)});' for name, value in settings.items()]
        (profile / "user.js").write_text("\n".join(lines), "utf-8")
        self._process = subprocess.Popen(
            [FIREFOX, "--headless", "--remote-debugging-port=0", "--profile", str(profile), "--window-size", f"{width},{height}"],
            stderr=subprocess.PIPE, stdout=subprocess.DEVNULL, text=True,
        )  # fmt: skip
        self._socket = connect(f"{self._address()}/session", max_size=None, open_timeout=_PATIENCE)
        self._count = 0
        self.trouble: list[str] = []
        self._ask("session.new", capabilities={})
        self._window = self._ask("browsingContext.getTree")["contexts"][0]["context"]
        self._ask("browsingContext.setViewport", context=self._window, viewport={"width": width, "height": height})
        self._ask("session.subscribe", events=["log.entryAdded"])

    def _address(self) -> str:
        assert self._process.stderr
        for line in self._process.stderr:
            if found := re.search(r"WebDriver BiDi listening on (ws://\S+)", line):
                return found[1]
        raise RuntimeError("Firefox did not say where it listens")

    def _ask(self, method: str, **params: Any) -> Any:
        self._count += 1
        self._socket.send(json.dumps({"id": self._count, "method": method, "params": params}))
        while True:
            told = json.loads(self._socket.recv(timeout=_PATIENCE))
            if told.get("method") == "log.entryAdded" and told["params"]["level"] == "error":
                self.trouble.append(told["params"]["text"])
            if told.get("id") == self._count:
                if told["type"] == "error":
                    raise RuntimeError(f"{method}: {told['error']}: {told['message']}")
                return told["result"]

    def open(self, address: str) -> None:
        self._ask("browsingContext.navigate", context=self._window, url=address, wait="complete")

    def look(self, expression: str) -> Any:
        """What an expression of JavaScript is in the page, as plain data."""
        told = self._ask(
            "script.evaluate", expression=f"Promise.resolve({expression}).then((value) => JSON.stringify(value instanceof Node ? true : value ?? null))",
            target={"context": self._window}, awaitPromise=True,
        )  # fmt: skip
        if told["type"] == "exception":
            raise RuntimeError(told["exceptionDetails"]["text"])
        return json.loads(told["result"]["value"])

    def define(self, source: str) -> None:
        """Runs a script in the page for what it defines."""
        self._ask("script.evaluate", expression=f"{source}; null", target={"context": self._window}, awaitPromise=False)

    def until(self, expression: str) -> Any:
        """Waits until an expression is true, and returns what it is."""
        ends = time.monotonic() + _PATIENCE
        while not (seen := self.look(expression)):
            if time.monotonic() > ends:
                raise TimeoutError(f"never so: {expression}\n{self.look('document.body.innerText')[:600]}")
            time.sleep(0.1)
        return seen

    def keys(self, *names: str) -> None:
        """Presses keys one after the other, as people do: a character, or a name of WebDriver's table."""
        strokes = [{"type": kind, "value": _KEYS.get(name, name)} for name in names for kind in ("keyDown", "keyUp")]
        self._ask(
            "input.performActions", context=self._window, actions=[{"type": "key", "id": "keys", "actions": strokes}]
        )

    def place(self, selector: str) -> tuple[float, float]:
        """The middle of what a selector finds, in px of the window."""
        x, y = self.until(
            f"((e) => {{ e?.scrollIntoView({{block: 'nearest'}}); const r = e?.getBoundingClientRect();"
            f" return r && r.width && [r.x + r.width / 2, r.y + r.height / 2] }})({selector})"
        )
        return x, y

    def click(self, selector: str) -> None:
        """Presses what a selector finds, again where it moved away under the pointer meanwhile."""
        for _ in range(5):
            at = self.place(selector)
            self.define(f"window.pressed = false; {selector}.addEventListener('click', () => (window.pressed = true))")
            self.drag(at)
            # A new page knows nothing of it any more.
            if self.look("window.pressed ?? true"):
                return
        raise TimeoutError(f"could not be pressed: {selector}")

    def drag(self, *places: tuple[float, float], kind: str = "mouse") -> None:
        """Presses at the first place, moves over the others, lets go at the last."""
        to = [{"type": "pointerMove", "x": round(x), "y": round(y), "duration": 20} for x, y in places]
        moves = [to[0], {"type": "pointerDown", "button": 0}, *to[1:], {"type": "pointerUp", "button": 0}]
        source = {"type": "pointer", "id": kind, "parameters": {"pointerType": kind}, "actions": moves}
        self._ask("input.performActions", context=self._window, actions=[source])

    def wheel(self, at: tuple[float, float], by: int) -> None:
        turn = {"type": "scroll", "x": round(at[0]), "y": round(at[1]), "deltaX": 0, "deltaY": by}
        self._ask(
            "input.performActions", context=self._window, actions=[{"type": "wheel", "id": "wheel", "actions": [turn]}]
        )

    def bring(self, selector: str, *files: Path) -> None:
        """Chooses files in a field for files."""
        found = self._ask(
            "script.evaluate", expression=selector, target={"context": self._window}, awaitPromise=False,
            resultOwnership="root",
        )  # fmt: skip
        self._ask("input.setFiles", context=self._window, element=found["result"], files=[str(file) for file in files])

    def picture(self) -> bytes:
        """What the window shows, as PNG in base64."""
        return str(self._ask("browsingContext.captureScreenshot", context=self._window)["data"]).encode()

    def close(self) -> None:
        closing: list[Callable[[], object]] = [
            lambda: self._ask("browser.close"),
            self._socket.close,
            self._process.kill,
        ]
        for one in closing:
            try:
                one()
            except Exception:
                continue
        self._process.wait(timeout=20)
        self._folder.cleanup()


_KEYS = {
    "Enter": "\ue007",
    "Escape": "\ue00c",
    "Tab": "\ue004",
    "ArrowRight": "\ue014",
    "ArrowLeft": "\ue012",
    "End": "\ue010",
}
