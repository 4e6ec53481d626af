"""Installs a wheel into an empty environment and works with it: python -m tests.installed WHEEL. Called by ./run wheel."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
import urllib.request
import venv
from pathlib import Path

from tests.support import encoded, photograph

LOCK = Path(__file__).parents[1] / "requirements.lock"


def _say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def _run(*command: str | Path, codes: tuple[int, ...] = (0,), cwd: Path | None = None) -> str:
    done = subprocess.run([str(part) for part in command], capture_output=True, text=True, cwd=cwd, check=False)
    if done.returncode not in codes:
        raise SystemExit(f"{' '.join(map(str, command))}: exit code {done.returncode}\n{done.stdout}\n{done.stderr}")
    return done.stdout


def _served(program: Path, folder: Path) -> None:
    """The page, its script and a picture come from the installed program."""
    served = subprocess.Popen(
        [str(program), "serve", "--data", str(folder / "library"), "--port", "0"],
        stdout=subprocess.PIPE,
        text=True,
        cwd=folder,
    )
    try:
        assert served.stdout
        address = served.stdout.readline().split(" at ")[1].strip()
        page = urllib.request.urlopen(address, timeout=30).read().decode()
        script = page.split('src="/')[1].split('"')[0]
        assert len(urllib.request.urlopen(address + script, timeout=30).read()) > 100_000
        made = json.load(
            urllib.request.urlopen(
                urllib.request.Request(f"{address}api/materials?file=a.png", data=encoded(photograph("gravel"))),
                timeout=60,
            )
        )
        picture = urllib.request.urlopen(f"{address}api/materials/{made['id']}/picture/normal.jpg", timeout=300)
        assert picture.read()[:3] == b"\xff\xd8\xff"
        served.terminate()
        assert served.wait(10) == 0
    finally:
        served.kill()
        served.wait()


def main() -> int:
    wheel = Path(sys.argv[1]).resolve()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        _say("Installing the wheel into an empty environment …")
        venv.create(folder / "empty", with_pip=True)
        python, program = folder / "empty" / "bin" / "python", folder / "empty" / "bin" / "amber-thicket"
        quiet = ("--quiet", "--disable-pip-version-check")
        _run(python, "-m", "pip", "install", *quiet, "-c", LOCK, f"{wheel}[redis]")
        began = time.monotonic()
        (folder / "gravel.png").write_bytes(encoded(photograph("gravel")))
        _say("Baking, auditing and serving with it …")
        _run(program, "bake", "gravel.png", "--out", "maps", "--size", "256", cwd=folder)
        written = sorted(path.name for path in (folder / "maps").iterdir())
        assert "gravel_height.png" in written, written
        report = json.loads(_run(program, "audit", "maps", "--json", codes=(0, 1), cwd=folder))
        roles = {file["role"] for one in report["sets"] for file in one["files"]}
        assert {"base_color", "height", "normal", "roughness"} <= roles, roles
        _served(program, folder)
        _run(
            python,
            "-c",
            "import amber_thicket, importlib.resources as r; r.files(amber_thicket).joinpath('py.typed').read_text()",
        )
    _say(f"{wheel.name}: bakes, audits and serves ({time.monotonic() - began:.0f} s)")
    return 0


if __name__ == "__main__":
    sys.exit(main())
