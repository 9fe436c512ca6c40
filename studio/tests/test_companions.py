"""Files that came one by one and name each other."""

import io
import zipfile
from unittest import TestCase, mock

from armuto import formats
from studio.ingest.services.companions import packed


def inside(data: bytes) -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


class Packing(TestCase):
    def test_what_is_named_by_what_is_named_goes_along(self):
        files = [
            ("keeper.obj", b"mtllib keeper.mtl\nv 0 0 0"),
            ("keeper.mtl", b"newmtl brass\nmap_Kd brass plate.png"),
            ("brass plate.png", b"brass"),
            ("plan.png", b"nobody names it"),
            ("walk.bvh", b"HIERARCHY brass plate.png"),
        ]
        *others, (name, data) = packed(files)
        self.assertEqual(others, [files[3], files[4]])
        self.assertEqual((name, inside(data)), ("keeper.zip", dict(files[:3])))

    def test_the_same_files_are_the_same_archive(self):
        files = [("keeper.obj", b"mtllib keeper.mtl"), ("keeper.mtl", b"newmtl brass")]
        with mock.patch("time.time", lambda: 2e9):
            later = packed(files[::-1])
        self.assertEqual(packed(files), later)

    def test_nothing_is_lost_where_two_have_the_same_path(self):
        files = [
            ("a.obj", b"mtllib a.mtl"),
            ("a.mtl", b""),
            ("a.obj", b"mtllib a.mtl\nv 0 0 0"),
            ("a.mtl", b""),
        ]
        *others, (_, data) = packed(files)
        self.assertEqual((others, inside(data)), (files[2:], dict(files[:2])))

    def test_what_is_named_is_found_in_long_files_of_all_kinds(self):
        for name, content in (
            ("keeper.obj", b"# keeper.png\n" + b"v 0 0 0\n" * 100 + b"  MTLLIB keeper.mtl\r\n" + b"f 1 2 3\n" * 100),
            ("keeper.dae", b"<a>keeper.png</a><init_from sid='x'>\n  file:///C:/clay/keeper.mtl </init_from>"),
            ("keeper.gltf", b'{"images": [{"uri": "data:image/png;base64,keeper.png"}, {"uri": "./keeper.mtl"}]}'),
        ):
            with self.subTest(name):
                beside = [("keeper.mtl", b"list"), ("keeper.png", b"picture")]
                other, (_, data) = packed([(name, content), *beside])
                self.assertEqual((other, set(inside(data))), (beside[1], {name, "keeper.mtl"}))

    def test_files_that_name_none_which_is_there_stay_by_themselves(self):
        files = [
            ("keeper.obj", b"mtllib gone.mtl"),
            ("a.glb", b"glTF"),
            ("b.bvh", b"HIERARCHY"),
            ("other.mtl", b"newmtl x"),
        ]
        self.assertEqual(packed(files), files)
        self.assertEqual(packed([]), [])

    def test_folders_stay_as_they_were_and_name_the_archive(self):
        files = [
            ("hall/yard/walk.gltf", b'{"buffers": [{"uri": "data%20here/walk.bin"}]}'),
            ("hall/yard/data here/walk.bin", b"walk"),
            ("hall/yard/trot/trot.gltf", b'{"buffers": [{"uri": "trot.bin"}]}'),
            ("hall/yard/trot/trot.bin", b"trot"),
            ("hall/trot.bin", b"of another folder"),
        ]
        other, (name, data) = packed(files)
        self.assertEqual(other, files[4])
        self.assertEqual(name, "hall/yard.zip")
        self.assertEqual(set(inside(data)), {"walk.gltf", "data here/walk.bin", "trot/trot.gltf", "trot/trot.bin"})
        found = formats.contents(data, name)
        self.assertEqual(
            [(path, "trot.bin" in near) for path, _, near in found], [("trot/trot.gltf", True), ("walk.gltf", False)]
        )

    def test_meshes_are_packed_apart_since_an_archive_of_figures_passes_them_over(self):
        files = [("a.obj", b"mtllib a.mtl"), ("a.mtl", b""), ("b.dae", b"<init_from>b.png<"), ("b.png", b"")]
        self.assertEqual([name for name, _ in packed(files)], ["b.zip", "a.zip"])
        common = [*files[:2], ("c/b.dae", b"<init_from>./b.png</init_from>"), ("c/b.png", b"")]
        self.assertEqual([name for name, _ in packed(common)], ["c.zip", "a.zip"])
