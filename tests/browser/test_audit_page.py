"""A bought set from the audit to the packed zip, in the real page."""

import io
import json
import tempfile
import zipfile
from pathlib import Path

from amber_thicket.formats.write import stored_codes
from amber_thicket.service.sample_purchase import sample_zip
from tests.browser.server import BrowserTest


class AuditTest(BrowserTest):
    def test_from_audit_to_pack(self) -> None:
        page = self.page
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "harbour_grating.zip"
            path.write_bytes(sample_zip(512))
            page.get_by_role("button", name="Audit").click()
            page.set_input_files("input[aria-label='Files to audit']", str(path))
            page.locator("text=5 things are wrong; all of them can be put right.").wait_for()
        for words in (
            "coded as sRGB",
            "Green points down",
            "It holds gloss",
            "too few to displace",
            "It is 256 × 256 px",
            "nothing is in it",
        ):
            page.locator(f"text={words}").first.wait_for()
        page.get_by_role("img", name="as found and repaired").wait_for()
        # Another receiver wants what the set has.
        page.get_by_label("Receiver").click()
        page.get_by_role("option", name="Specular and gloss").click()
        page.locator("text=3 things are wrong").wait_for()
        page.reload()
        page.locator("text=3 things are wrong").wait_for()
        page.get_by_label("Receiver").click()
        page.get_by_role("option", name="Separate maps, Y+").click()
        page.locator("text=5 things are wrong").wait_for()
        page.get_by_role("button", name="Repair all and open").click()
        page.wait_for_selector("nav[aria-label=Stages]")
        page.locator("button[title='Open Check']:has-text('1 to settle')").wait_for()
        self.stage("Pack")
        page.get_by_label("Profile").first.click()
        page.get_by_role("option", name="glTF 2.0").click()
        page.get_by_label("MaterialX").click()
        page.get_by_role("button", name="Pack as zip").click()
        with page.expect_download() as waited:
            page.get_by_role("link", name="Download").click()
        archive = zipfile.ZipFile(io.BytesIO(Path(waited.value.path()).read_bytes()))
        names = set(archive.namelist())
        self.assertTrue(
            {f"Harbour_Grating{end}" for end in ("_normal.png", "_occlusion_roughness_metallic.png", ".glb", ".mtlx")}
            <= names,
            names,
        )
        manifest = json.loads(archive.read("Harbour_Grating_manifest.json"))
        self.assertFalse([check for check in manifest["checks"] if check["level"] == "blocked"])
        self.assertEqual(stored_codes(archive.read("Harbour_Grating_height.png")).dtype.name, "uint16")

    def test_a_profile_as_a_table(self) -> None:
        page = self.page
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "grating.zip"
            path.write_bytes(sample_zip(256))
            page.get_by_role("button", name="Audit").click()
            page.set_input_files("input[aria-label='Files to audit']", str(path))
            page.get_by_role("button", name="Repair all and open").click()
        page.wait_for_selector("nav[aria-label=Stages]")
        self.stage("Pack")
        page.get_by_label("Profile").first.click()
        page.get_by_role("option", name="Mask packed").click()
        page.get_by_role("button", name="Change it as a table").click()
        page.get_by_label("mask: B").click()
        page.get_by_role("option", name="Height", exact=True).click()
        page.get_by_label("base_color: format").click()
        page.get_by_role("option", name="WEBP").click()
        page.get_by_role("button", name="Add a file").click()
        page.get_by_label("file_1: end of the name").wait_for()
        with page.expect_download() as waited:
            page.get_by_role("button", name="Export").click()
        kept = json.loads(Path(waited.value.path()).read_text())
        self.assertEqual(next(f for f in kept["files"] if f["suffix"] == "mask")["channels"][2], "height")
        page.keyboard.press("Escape")
        page.locator("text=Grating_base_color.webp").wait_for()
        page.get_by_title("Show height as the file will hold it").first.click()
        page.get_by_role("img", name="Height in Harbour_Grating_mask.png").wait_for()
