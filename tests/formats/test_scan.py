"""Scans of every kind as other libraries write them, damaged ones, and what the command line makes of them."""

from __future__ import annotations

import io
import json
import os
import tempfile
import unittest
import zipfile
from dataclasses import replace
from functools import cache
from pathlib import Path
from unittest import mock

import laspy
import numpy as np
import tifffile
import trimesh
from PIL import Image

import amber_thicket as at
from amber_thicket.cli import main
from amber_thicket.errors import TooLarge, UnreadableFile
from amber_thicket.formats import apart, scan
from amber_thicket.formats.elevation import read_elevation
from amber_thicket.formats.scan import pack_beside, read_scan, scan_kind, unpack_beside
from amber_thicket.service.scanning import opened
from amber_thicket.standins.capture_rig.scanned import Scanned, mtl_bytes, obj_bytes, ply_bytes, scanned, stl_bytes
from tests.support import rig_surface

SIDE = 60


@cache
def thing() -> Scanned:
    return scanned(rig_surface("slate_shingles", 256, 4), SIDE)


@cache
def texture() -> bytes:
    stream = io.BytesIO()
    y, x = np.mgrid[0:64, 0:64]
    Image.fromarray(np.stack([x * 4, y * 4, x * 0 + 40], -1).astype(np.uint8)).save(stream, "PNG")
    return stream.getvalue()


def las_bytes(kind: str, *, colours: bool = True, eight_bit: bool = False) -> bytes:
    """A cloud as laspy writes it."""
    header = laspy.LasHeader(point_format=2 if colours else 0)
    header.scales = np.full(3, 1e-6)
    cloud = laspy.LasData(header)
    cloud.x, cloud.y, cloud.z = (thing().points[:, k] / 1000 for k in range(3))
    if colours:
        codes = thing().colours.astype(np.uint16) * (1 if eight_bit else 257)
        cloud.red, cloud.green, cloud.blue = (codes[:, k] for k in range(3))
    stream = io.BytesIO()
    cloud.write(stream, do_compress=kind == "laz")
    return stream.getvalue()


def glb_bytes(parts: int = 1) -> bytes:
    """Binary glTF as trimesh writes it; several parts stand beside each other, each with a texture of its own."""
    scene = trimesh.Scene()
    for number in range(parts):
        picture = Image.open(io.BytesIO(texture()))
        if number:
            picture = Image.new("RGB", (32, 16), (250, 10, 20))
        material = trimesh.visual.material.PBRMaterial(baseColorTexture=picture)
        visual = trimesh.visual.TextureVisuals(uv=thing().uv, material=material)
        mesh = trimesh.Trimesh(thing().points / 1000, thing().faces, visual=visual, process=False)
        away = np.eye(4)
        away[0, 3] = 2.0 * number
        scene.add_geometry(mesh, transform=away)
    return scene.export(file_type="glb")


class KindTest(unittest.TestCase):
    def test_every_kind_holds_the_same_surface(self) -> None:
        want = thing()
        beside = {"a.mtl": mtl_bytes("a.png"), "a.png": texture()}
        plain = trimesh.Trimesh(want.points, want.faces, process=False)
        ascii_ply = trimesh.exchange.ply.export_ply(plain, encoding="ascii")
        kinds = {
            "a.ply": ply_bytes(want), "b.ply": ascii_ply, "a.stl": stl_bytes(want),
            "b.stl": plain.export(file_type="stl_ascii").encode(), "a.obj": obj_bytes(want, "a.mtl"),
            "a.glb": glb_bytes(), "c.ply": ply_bytes(want, faces=False), "a.las": las_bytes("las"), "a.laz": las_bytes("laz"),
        }  # fmt: skip
        for name, data in kinds.items():
            with self.subTest(name):
                found = read_scan(data, name, beside)
                scale = 1000 if name[:4] in ("a.gl", "a.la") else 1
                cloud = name in ("c.ply", "a.las", "a.laz")
                self.assertEqual(len(found.faces), 0 if cloud else len(want.faces))
                corners = found.points if cloud else found.points[found.faces].reshape(-1, 3)
                true = want.points if cloud else want.points[want.faces].reshape(-1, 3)
                np.testing.assert_allclose(corners * scale, true, atol=2e-3)
                self.assertEqual(found.metres, 1.0 if name == "a.glb" else 0.0)
                if name in ("a.ply", "c.ply", "a.las", "a.laz"):
                    np.testing.assert_array_equal(found.colours, want.colours)
                elif name in ("a.obj", "a.glb"):
                    np.testing.assert_allclose(found.colours[found.faces].reshape(-1, 2),
                                               want.uv[want.faces].reshape(-1, 2), atol=1e-5)  # fmt: skip
                    self.assertEqual(found.texture.shape, (64, 64, 3))
                else:
                    self.assertEqual(len(found.colours), 0)
                    self.assertIn("it has no colour", found.notes)

    def test_colours_of_eight_bits_where_sixteen_are_meant(self) -> None:
        found = read_scan(las_bytes("las", eight_bit=True), "a.las")
        np.testing.assert_array_equal(found.colours, thing().colours)
        self.assertEqual(len(read_scan(las_bytes("las", colours=False), "a.las").colours), 0)

    def test_several_parts_with_textures_of_their_own(self) -> None:
        found = read_scan(glb_bytes(2), "a.glb")
        self.assertEqual(len(found.faces), 2 * len(thing().faces))
        self.assertAlmostEqual(
            float(np.ptp(found.points[:, 0])), 2 + float(np.ptp(thing().points[:, 0])) / 1000, delta=1e-3
        )
        rows, columns = found.texture.shape[:2]
        # Each looks at its own picture, whatever order they come in.
        far = found.points[:, 0] > 1.5
        for place, want in ((np.flatnonzero(far)[-1], (250, 10, 20)),
                            (np.flatnonzero(~far)[SIDE // 2 * SIDE + SIDE // 2], (128, 128, 40))):  # fmt: skip
            u, v = found.colours[place]
            seen = found.texture[int((1 - v) * rows), int(u * columns)].astype(int)
            self.assertLess(int(np.abs(seen - want).max()), 8)

    def test_an_obj_without_what_it_names_says_so(self) -> None:
        found = read_scan(obj_bytes(thing(), "lost.mtl"), "a.obj")
        self.assertIn("lost.mtl did not come along", found.notes)

    def test_one_zip_holds_all_of_an_obj(self) -> None:
        stream = io.BytesIO()
        with zipfile.ZipFile(stream, "w") as archive:
            archive.writestr("set/a.obj", obj_bytes(thing(), "a.mtl"))
            archive.writestr("set/a.mtl", mtl_bytes("tex/a.png"))
            archive.writestr("set/tex/a.png", texture())
        found = opened(stream.getvalue(), "set.zip")
        self.assertEqual(found.texture.shape, (64, 64, 3))
        empty = io.BytesIO()
        with zipfile.ZipFile(empty, "w") as archive:
            archive.writestr("read.txt", b"nothing")
        with self.assertRaisesRegex(UnreadableFile, "holds no scan"):
            opened(empty.getvalue(), "set.zip")

    def test_beside_is_handed_over_whole(self) -> None:
        files = {"a.mtl": b"x" * 5, "ü.png": b"", "b.png": bytes(range(256))}
        self.assertEqual(unpack_beside(pack_beside(files)), files)

    def test_in_the_helper_process(self) -> None:
        helper = apart.Apart(1)
        self.addCleanup(helper.stop)
        with mock.patch.object(apart, "_apart", helper):
            beside = {"a.mtl": mtl_bytes("a.png"), "a.png": texture()}
            found = apart.read_scan(obj_bytes(thing(), "a.mtl"), "a.obj", beside)
            self.assertEqual(found.texture.shape, (64, 64, 3))
            self.assertEqual(len(found.faces), len(thing().faces))
            with self.assertRaisesRegex(UnreadableFile, "damaged or cut short"):
                apart.read_scan(ply_bytes(thing())[:4000], "a.ply")


class HostileTest(unittest.TestCase):
    def test_cut_short_and_filled_with_anything(self) -> None:
        rng = np.random.default_rng(1)
        whole = {
            "a.ply": ply_bytes(thing()),
            "a.stl": stl_bytes(thing()),
            "a.glb": glb_bytes(),
            "a.laz": las_bytes("laz"),
        }
        for name, data in whole.items():
            for kind in range(3):
                spoilt = bytearray(data)
                if kind == 0:
                    del spoilt[len(spoilt) // 3 :]
                elif kind == 1:
                    spoilt[200:] = rng.integers(0, 256, len(spoilt) - 200, dtype=np.uint8).tobytes()
                else:
                    for place in rng.integers(0, len(spoilt), 40):
                        spoilt[place] = 255
                with self.subTest(name, kind=kind):
                    try:
                        found = read_scan(bytes(spoilt), name)
                        self.assertTrue(np.isfinite(found.points).all())
                        self.assertTrue(not len(found.faces) or int(found.faces.max()) < len(found.points))
                        self.assertTrue(not len(found.faces) or int(found.faces.min()) >= 0)
                    except (UnreadableFile, TooLarge):
                        pass

    def test_more_than_is_taken_is_refused_before_it_is_read(self) -> None:
        head = b"ply\nformat binary_little_endian 1.0\nelement vertex 900000000\nproperty float x\nend_header\n"
        with self.assertRaisesRegex(TooLarge, "900,000,000 points"):
            read_scan(head, "a.ply")
        with mock.patch.object(scan, "MOST_TRIANGLES", 100), self.assertRaisesRegex(TooLarge, "triangles"):
            read_scan(stl_bytes(thing()), "a.stl")

    def test_what_is_none(self) -> None:
        self.assertIsNone(scan_kind(b"hello", "a.txt"))
        self.assertIsNone(scan_kind(b"", "a.obj"))
        self.assertEqual(scan_kind(b"# made\nv 0 0 0\n", "a.obj"), "obj")
        with self.assertRaisesRegex(UnreadableFile, "no scan we can read"):
            read_scan(b"hello", "a.ply")
        with self.assertRaisesRegex(UnreadableFile, "no surface"):
            read_scan(b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "a.obj")
        with self.assertRaisesRegex(UnreadableFile, "no numbers"):
            read_scan(ply_bytes(_with_nan()), "a.ply")
        faces = thing().faces.copy()
        faces[3, 1] = 10**6
        with self.assertRaisesRegex(UnreadableFile, "not there|damaged"):
            read_scan(ply_bytes(replace(thing(), faces=faces)), "a.ply")
        with self.assertRaisesRegex(UnreadableFile, "no depth map"):
            opened(b"hello", "a.ply")


def _with_nan() -> Scanned:
    points = thing().points.copy()
    points[7, 2] = np.nan
    return Scanned(points, thing().faces, thing().colours, thing().uv)


class ElevationTest(unittest.TestCase):
    def geo_tiff(self, *, degrees: bool = False) -> bytes:
        y, x = np.mgrid[0:80, 0:100]
        values = (240 + np.sin(x / 6) + np.cos(y / 9)).astype(np.float32)
        values[3, 4] = -9999
        keys = (1, 1, 0, 1, 1024, 0, 1, 2 if degrees else 1)
        stream = io.BytesIO()
        extra = [
            (33550, "d", 3, (0.25, 0.25, 0.0), True),
            (34735, "H", len(keys), keys, True),
            (42113, "s", 0, "-9999", True),
        ]
        tifffile.imwrite(stream, values, extratags=extra, metadata=None)
        return stream.getvalue()

    def test_geotiff_says_its_sizes(self) -> None:
        found = read_elevation(self.geo_tiff(), "a.tif")
        self.assertEqual((found.missing, found.pixel), (-9999.0, 0.25))
        self.assertAlmostEqual(float(found.values[40, 50]), 240 + np.sin(50 / 6) + np.cos(40 / 9), delta=1e-4)
        self.assertEqual(read_elevation(self.geo_tiff(degrees=True), "a.tif").pixel, 0.0)

    def test_below_zero_and_over_one_stay(self) -> None:
        values = np.linspace(-40, 90, 64 * 64, dtype=np.float32).reshape(64, 64)
        stream = io.BytesIO()
        tifffile.imwrite(stream, values)
        np.testing.assert_array_equal(read_elevation(stream.getvalue(), "a.tif").values, values)

    def test_colours_are_no_depth(self) -> None:
        with self.assertRaisesRegex(UnreadableFile, "coloured picture"):
            read_elevation(texture(), "a.png")


class CommandTest(unittest.TestCase):
    def test_a_mesh_becomes_a_set_that_knows_its_size(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "slip_wall.ply"
            path.write_bytes(ply_bytes(scanned(rig_surface("slate_shingles", 256, 4), 160)))
            code, said = self.run_cli("scan", path, "--out", Path(folder) / "out", "--unit", "mm", "--json", "--size", "256",
                                      "--set", "tile.join.method=none")  # fmt: skip
            self.assertIn(code, (0, 1))
            told = json.loads(said)
            self.assertAlmostEqual(told["scan"]["width_mm"], 1195, delta=3)
            self.assertGreater(told["scan"]["depth_mm"], 10)
            names = sorted(os.listdir(Path(folder) / "out"))
            self.assertTrue(any("height" in name for name in names) and any("normal" in name for name in names))
            # The depth of what is packed is the one of the scan.
            material = at.scan(path, {"tile.join.method": "none"}, unit="mm")
            evidence = material.evaluation.layer("height", (256, 256)).evidence
            self.assertAlmostEqual(
                evidence["depth_mm"], material.found["depth_mm"], delta=0.06 * material.found["depth_mm"]
            )

    def test_what_is_asked_wrongly_is_said(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.ply"
            path.write_bytes(ply_bytes(thing()))
            for more, words in ((("--patch", "1,2"), "4 numbers"), (("--patch", "0,0,2,1"), "rectangle"),
                                (("--plane-through", "0,0", "1,1", "x"), "2 numbers")):  # fmt: skip
                errors = io.StringIO()
                with mock.patch("sys.stderr", errors):
                    self.assertEqual(main(["scan", str(path), "--out", folder, *more]), 2)
                self.assertIn(words, errors.getvalue())

    def run_cli(self, *arguments: object) -> tuple[int, str]:
        output = io.StringIO()
        with mock.patch("sys.stdout", output):
            code = main([str(argument) for argument in arguments])
        return code, output.getvalue()


if __name__ == "__main__":
    unittest.main()
