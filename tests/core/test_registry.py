"""Operations, settings and rules: declared, described, explained; page types match the declarations."""

import json
import subprocess
import sys
import unittest
from functools import partial

from amber_thicket.core.check.registry import RULES
from amber_thicket.core.registry import BY_ID, BY_LAYER, OPERATIONS, STAGE_LAYERS, catalogue
from amber_thicket.core.settings import describe
from amber_thicket.web import typescript
from tests.recipes import declared

# Operations of which one file makes several alike.
SHARED = ("metallic", "specular", "opacity", "translucency", "emissive", "back_color")


class RegistryTest(unittest.TestCase):
    def test_every_setting_is_labelled_ranged_and_explained(self) -> None:
        for operation in OPERATIONS:
            for row in describe(operation.settings):
                with self.subTest(setting=f"{operation.id}.{row['name']}"):
                    self.assertTrue(row["label"])
                    self.assertTrue(row["help"] and row["help"].endswith("."), row["help"])
                    if row["kind"] == "number":
                        self.assertLess(row["min"], row["max"])
                        self.assertLessEqual(row["min"], row["default"])
                        self.assertLessEqual(row["default"], row["max"])
                    if row["kind"] == "choice":
                        self.assertIn(row["default"], [c["value"] for c in row["choices"]])

    def test_what_is_declared_stays(self) -> None:
        """Defaults, ranges, steps and units as they are stored: another default is another picture for every recipe that
        left it alone, a narrower range refuses one that opened."""
        stored = declared.FILE.read_text().splitlines()
        self.assertEqual(
            declared.lines(), stored, "meant? Then `python -m tests.recipes.declared`, and see CONTRIBUTING"
        )

    def test_layers_are_made_before_they_are_read(self) -> None:
        made = {"photo"}
        for operation in OPERATIONS:
            # What goes along with the colour, as an existing map does, is made from layers that are there by then.
            needed = {name for name in operation.reads if not name.startswith("?") and "." not in name}
            self.assertLessEqual(needed, made, operation.id)
            made.add(operation.writes)
        self.assertLessEqual(set(STAGE_LAYERS.values()), set(BY_LAYER))

    def test_file_is_named_for_the_operation(self) -> None:
        for operation in OPERATIONS:
            if operation.apply and not isinstance(operation.apply, partial) and operation.name not in SHARED:
                self.assertEqual(operation.apply.__module__, f"amber_thicket.core.{operation.id}")

    def test_catalogue_is_complete(self) -> None:
        self.assertEqual([row["id"] for row in catalogue()], list(BY_ID))

    def test_every_rule_says_why_and_whence(self) -> None:
        self.assertGreaterEqual(len(RULES), 15)
        for rule in RULES:
            self.assertTrue(rule.why.endswith("."), rule.id)
            self.assertTrue(rule.source, rule.id)

    def test_page_types_are_up_to_date(self) -> None:
        self.assertEqual(
            typescript.TARGET.read_text(), typescript.generated(), "run python -m amber_thicket.web.typescript"
        )


class LightTest(unittest.TestCase):
    def test_recipes_and_settings_wait_for_no_large_library(self) -> None:
        """Nothing that only knows recipes needs the compiler, OpenCV or SciPy."""
        code = (
            "import json, sys, amber_thicket.core.recipe, amber_thicket.core.pack.profiles;"
            "print(json.dumps(sorted({'numba', 'cv2', 'scipy'} & set(sys.modules))))"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(json.loads(done.stdout), [])
