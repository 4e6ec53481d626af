"""A role and a format that a test registers show up everywhere, without another line."""

import json
import subprocess
import sys
import unittest

NEW_ROLE = """
from amber_thicket.core import roles
from amber_thicket.core.roles import Role, Uniform, ZoneEffect
new = Role(
    "sheen", "Sheen", 1, "linear", 0.0, 8, "velvety", made=False, words=("sheen", "velvet"),
    uniform=Uniform(0.0, "How velvety it is.", "Which places are velvety."),
    finished="response.on_sheen", zone=ZoneEffect("Sheen", {"level": 0.5}), covered=0.25,
)
roles.ROLES["sheen"] = roles.EVERY["sheen"] = new
roles.OPTIONAL += ("sheen",)
"""
NEW_FORMAT = """
from amber_thicket.core.pack import formats
formats.FORMATS["ppm"] = formats.FileFormat("ppm", "Portable pixmap", "ppm", ("8", "16"), alpha=False)
"""


def run(code: str) -> dict:
    """What a program prints as JSON, which is nothing but this code."""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    if done.returncode:
        raise AssertionError(done.stderr[-3000:])
    return json.loads(done.stdout)


class NewRole(unittest.TestCase):
    found: dict

    @classmethod
    def setUpClass(cls) -> None:
        cls.found = run(
            NEW_ROLE
            + """
import json
import numpy as np
from amber_thicket.core.files.file_plan import planned
from amber_thicket.core.gather.maps import TAKEN
from amber_thicket.core.gather.roles import named
from amber_thicket.core.pack.profiles import CONTENTS, PROFILES
from amber_thicket.core.registry import BY_ID
from amber_thicket.service import preview
from amber_thicket.web import typescript
from amber_thicket.web.app import _role
from tests.support import evaluation, linear_photograph, size_of, stroke

zone = {"id": "a", "parts": [{"kind": "brush", "strokes": [stroke(0.1, 0.25, 0.5)], "soft": 0}]}
painted = stroke(0.05, 0.75, 0.5, kind="set", value=0.8, strength=1, soft=0)
changes = {
    "response.sheen.level": 0.3, "response.zones.zones": [zone], "response.on_sheen.in_zones": {"a": {"level": 0.6, "spread": 0}},
    "response.on_sheen.strokes": [painted],
}
plain = evaluation(linear_photograph("gravel"), **size_of(256))
made = evaluation(linear_photograph("gravel"), **size_of(256), **changes)
covered = evaluation(linear_photograph("gravel"), **size_of(256), **changes, **{
    "response.covers.covers": [{"id": "c", "where": "everywhere"}]})
pixels = made.layer("sheen", (256, 256)).pixels
print(json.dumps({
    "taken": "sheen" in TAKEN, "named": named("brick_velvet.png").role, "contents": "sheen" in CONTENTS,
    "setting": "sheen" in BY_ID["gather.maps"].settings.model_fields,
    "packed": [file.suffix for file in PROFILES["separate_y_plus"].files], "maps": [plain.maps(), made.maps()],
    "files": [file.name for file in planned(made.recipe, "m").files],
    "values": [round(float(pixels[y, x]), 3) for x, y in ((128, 20), (64, 128), (192, 128))],
    "covered": round(float(covered.layer("sheen", (256, 256)).pixels[20, 128]), 3),
    "shown": "sheen" in preview.LAYERS and len(preview.picture(made, "sheen", kind="jpg", side=64)) > 300,
    "page": _role(new), "types": "response.on_sheen.strokes" in typescript.generated(),
}))
"""
        )

    def test_files_bring_it_by_their_names(self) -> None:
        self.assertEqual((self.found["taken"], self.found["setting"], self.found["named"]), (True, True, "sheen"))

    def test_it_is_set_painted_and_changed_by_zones_and_deposits(self) -> None:
        self.assertEqual(self.found["values"], [0.3, 0.6, 0.8])
        self.assertEqual(self.found["covered"], 0.25)

    def test_it_is_packed_where_it_says_something(self) -> None:
        self.assertTrue(self.found["contents"])
        self.assertIn("sheen", self.found["packed"])
        plain, made = self.found["maps"]
        self.assertEqual(("sheen" in plain, "sheen" in made), (False, True))
        self.assertIn("m_sheen.png", self.found["files"])

    def test_it_is_shown_and_the_page_knows_it(self) -> None:
        self.assertTrue(self.found["shown"])
        self.assertTrue(self.found["types"])
        page = self.found["page"]
        self.assertEqual(page["strokes"], "response.on_sheen.strokes")
        self.assertEqual(page["uniform"], "response.sheen.level")
        self.assertEqual(
            page["zone"],
            {"label": "Sheen", "start": {"level": 0.5}, "path": "response.on_sheen.in_zones", "shape": "scalar"},
        )


class NewFormat(unittest.TestCase):
    def test_it_is_chosen_planned_written_and_judged(self) -> None:
        found = run(
            NEW_FORMAT
            + """
import io, json
import numpy as np
from PIL import Image
from amber_thicket.formats import write

def ppm_bytes(codes, *, encoding, per_metre=0.0):
    stream = io.BytesIO()
    Image.fromarray(codes if codes.dtype == np.uint8 else (codes >> 8).astype(np.uint8)).save(stream, "PPM")
    return stream.getvalue()

write.CODECS["ppm"] = write.Codec(ppm_bytes, lambda data: np.asarray(Image.open(io.BytesIO(data))), (b"P6",))
from amber_thicket.core.files.file_plan import planned
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.settings import describe
from amber_thicket.service.bake import pack
from tests.support import evaluation, linear_photograph, size_of

own = {"label": "o", "y": "plus", "files": [{"suffix": "C", "channels": ["base_color"], "format": "ppm", "depth": "8"},
                                            {"suffix": "N", "channels": ["normal", "opacity"], "format": "ppm"}]}
choices = next(row for row in describe(BY_ID["pack.files"].settings) if row["name"] == "format")["choices"]
recipe = {"pack.files.own": {**own, "files": own["files"][:1]}, "pack.files.profile": "own"}
made = evaluation(linear_photograph("gravel"), **size_of(256), **recipe)
files = list(pack(made, "m", lambda share, what: None))
manifest = json.loads(next(one.data for one in files if one.name.endswith("manifest.json")))
lost = evaluation(linear_photograph("gravel"), **size_of(256), **{**recipe, "pack.files.own": own})
from amber_thicket.service.bake import check
print(json.dumps({
    "choices": [row["value"] for row in choices], "names": [one.name for one in files],
    "start": files[0].data[:2].decode("latin1"), "read_back": [row.get("read_back") for row in manifest["files"]],
    "alpha": [row["level"] for row in check(lost, "m") if row["rule"] == "files.alpha"],
}))
"""
        )
        self.assertIn("ppm", found["choices"])
        self.assertEqual(found["names"][0], "m_C.ppm")
        self.assertEqual(found["start"], "P6")
        self.assertEqual(found["read_back"][0], "equal")
        self.assertEqual(found["alpha"], ["blocked"], "it has no alpha")


if __name__ == "__main__":
    unittest.main()
