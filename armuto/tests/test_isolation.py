"""Readers apart: bounded memory and time, and USD files that try to bring in others of the machine."""

import io
import os
import subprocess
import sys
import tempfile
import time
import zipfile
from pathlib import Path
from unittest import TestCase, mock

import numpy as np
from pxr import Sdf, Usd

from armuto import formats, isolation, pipeline
from armuto.errors import BadInput
from armuto.formats import usd, usd_layers
from armuto.retarget import fitting
from armuto.tests.files import BOW, DEMO, random_bvh

SECRET = """#usda 1.0
(defaultPrim = "S")
def SkelRoot "S" {
  def Skeleton "Secret" {
    uniform token[] joints = ["Secret"]
    uniform matrix4d[] restTransforms = [((1,0,0,0),(0,1,0,0),(0,0,1,0),(0,0,0,1))]
    uniform matrix4d[] bindTransforms = [((1,0,0,0),(0,1,0,0),(0,0,1,0),(0,0,0,1))]
  }
}
"""
VARIANT = """#usda 1.0
def "X" (
  variants = {{ string v = "a" }}
  add variantSets = "v"
) {{
  variantSet "v" = {{
    "a" ( {what} ) {{ }}
  }}
}}
"""
CLIPS = """clips = {{ dictionary default = {{
  asset[] assetPaths = [{asset}]
  string primPath = "/S"
  double2[] active = [(0, 0)]
}} }}"""
#: How a layer brings in another one, {asset} in the place of the other's path.
WAYS = {
    "sublayer": "#usda 1.0\n( subLayers = [{asset}] )\n",
    "reference": '#usda 1.0\ndef "X" ( references = {asset} ) {{ }}\n',
    "reference to a prim": '#usda 1.0\ndef "X" ( prepend references = {asset}</S> ) {{ }}\n',
    "payload": '#usda 1.0\ndef "X" ( payload = {asset} ) {{ }}\n',
    "class": '#usda 1.0\nclass "C" ( references = {asset} ) {{ }}\ndef "X" ( inherits = </C> ) {{ }}\n',
    "variant": VARIANT.replace("{what}", "references = {asset}"),
    "value clips": '#usda 1.0\ndef "X" ( ' + CLIPS + " ) {{ }}\n",
    "value clips in a variant": VARIANT.replace("{what}", CLIPS),
}
EXPRESSION = (
    '#usda 1.0\n( expressionVariables = {{ string P = "{path}" }} )\ndef "X" ( references = @`"${{P}}"`@ ) {{ }}\n'
)


def package(**layers: str) -> bytes:
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w") as archive:
        for name, text in layers.items():
            archive.writestr(f"{name}.usda", text)
    return held.getvalue()


def binary(text: str) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        layer = Sdf.Layer.CreateAnonymous(".usda")
        layer.ImportFromString(text)
        layer.Export(f"{folder}/x.usdc")
        return Path(f"{folder}/x.usdc").read_bytes()


def own_memory(size: int) -> int:
    return int(np.ones(size // 8).sum())


def refuse(sentence: str) -> None:
    raise BadInput(sentence)


def end_at_once() -> None:
    os._exit(9)


def start_another(path: str) -> None:
    """A process of the process, which writes its number and stays."""
    if os.fork() == 0:
        Path(path).write_text(str(os.getpid()))
        time.sleep(60)
    time.sleep(60)


class Apart(TestCase):
    def test_returns_what_the_function_returns(self) -> None:
        data = random_bvh(frames=6)
        here, apart = formats.read(data, "x.bvh"), isolation.call(formats.read, data, "x.bvh")
        self.assertEqual(apart.skeleton.names, here.skeleton.names)
        np.testing.assert_array_equal(apart.clips[0].rotations, here.clips[0].rotations)
        self.assertIs(apart.clips[0].skeleton, apart.skeleton)

    def test_a_refusal_keeps_its_sentence(self) -> None:
        with self.assertRaisesRegex(BadInput, "^x.bvh: say so.$"):
            isolation.call(refuse, "x.bvh: say so.")

    def test_memory_is_bounded(self) -> None:
        limits = isolation.Limits(memory=400 * 1024**2)
        self.assertEqual(isolation.call(own_memory, 8_000_000, limits=limits), 1_000_000)
        with self.assertRaises(isolation.OutOfMemory):
            isolation.call(own_memory, 800_000_000, limits=limits)

    def test_time_is_bounded_and_nothing_goes_on(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "pid"
            for seconds in (1.5, 6.0, 24.0):  # on a busy machine the process takes a while to begin
                with self.assertRaises(isolation.OutOfTime):
                    isolation.call(start_another, str(path), limits=isolation.Limits(seconds=seconds))
                if path.exists():
                    break
            pid = int(path.read_text())
            for _ in range(50):
                if not Path(f"/proc/{pid}").exists() or "Z" in Path(f"/proc/{pid}/stat").read_text().split()[2]:
                    break
                time.sleep(0.1)
            else:
                self.fail("what the process started is still there")

    def test_a_process_that_ends_by_itself(self) -> None:
        with self.assertRaises(isolation.Crashed):
            isolation.call(end_at_once)

    def test_a_fault_of_our_own_goes_to_the_log(self) -> None:
        with self.assertLogs("armuto.isolation", "ERROR") as log, self.assertRaises(isolation.Crashed):
            isolation.call(own_memory, "no number")
        self.assertIn("TypeError", log.output[0])

    def test_nothing_is_left_in_the_temporary_folder(self) -> None:
        with tempfile.TemporaryDirectory() as folder, mock.patch.object(tempfile, "tempdir", folder):
            isolation.call(own_memory, 80)
            with self.assertRaises(isolation.Crashed):
                isolation.call(end_at_once)
            self.assertEqual(list(Path(folder).iterdir()), [])


class OtherFilesOfTheMachine(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.secret = Path(folder.name) / "secret.usda"
        self.secret.write_text(SECRET)

    def files(self) -> dict[str, tuple[bytes, str]]:
        """Every way to bring in the secret, as text, binary, package and from within a package."""
        ways = {name: way.format(asset=f"@{self.secret}@") for name, way in WAYS.items()}
        ways["expression"] = EXPRESSION.format(path=self.secret)
        out = {}
        for name, text in ways.items():
            out[f"{name}, text"] = (text.encode(), "x.usda")
            out[f"{name}, binary"] = (binary(text), "x.usdc")
            out[f"{name}, package"] = (package(root=text), "x.usdz")
            beside = "#usda 1.0\n( subLayers = [@./b.usda@] )\n"
            out[f"{name}, deep in a package"] = (package(root=beside, b=text), "x.usdz")
        return out

    def test_are_refused_in_a_sentence(self) -> None:
        for name, (data, file) in self.files().items():
            with (
                self.subTest(name),
                tempfile.TemporaryDirectory() as folder,
                self.assertRaisesRegex(usd_layers.Unusable, "export it flattened"),
            ):
                path = Path(folder) / file
                path.write_bytes(data)
                usd_layers.self_contained_layer(str(path))

    def test_the_sentence_names_the_file(self) -> None:
        data = WAYS["reference"].format(asset=f"@{self.secret}@").encode()
        with self.assertRaisesRegex(BadInput, r"^x\.usda: it needs other files"):
            usd.to_glb(data, "x.usda")

    def test_a_package_may_refer_to_what_is_in_it(self) -> None:
        data, _ = usd.to_glb(package(root="#usda 1.0\n( subLayers = [@./b.usda@] )\n", b=SECRET), "x.usdz")
        self.assertIn(b"Secret", data)

    def test_cannot_be_opened_even_by_the_library_itself(self) -> None:
        """The second line of defence, without the first."""
        with tempfile.TemporaryDirectory() as folder:
            inside = Path(folder) / "in.usda"
            inside.write_text(WAYS["sublayer"].format(asset=f"@{self.secret}@"))
            self.assertTrue(has_secret(str(inside)))
            code = f"from armuto.tests import test_isolation as t; print(*t.secret_when_confined({str(inside)!r}))"
            done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
            confined, seen = (word == "True" for word in done.stdout.split())
        if not confined:
            self.skipTest("this system has no Landlock")
        self.assertFalse(seen)

    def test_the_reader_is_at_work_without_the_compiled_loops(self) -> None:
        """They take as long to load as everything else, and lie where it can open nothing."""
        figure = formats.read((DEMO / "striker.glb").read_bytes(), "x.glb")
        bow = formats.read(BOW.read_bytes(), "bow.bvh")
        moved = pipeline.transfer(bow.clips[0], fitting.fit(bow.skeleton, figure.skeleton))
        data = formats.write([moved], figure, "usd")
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "in.usdc").write_bytes(data)
            code = (
                "import sys; from armuto.formats import usd_reader as r; "
                f"parts, _ = r.read({folder!r} + '/in.usdc'); print(len(parts.animations), 'numba' in sys.modules)"
            )
            done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.split(), ["1", "False"])

    def test_a_layer_without_value_clips_is_read_whole(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.usda"
            path.write_text(SECRET)
            self.assertEqual(usd_layers.self_contained_layer(str(path)).defaultPrim, "S")


def secret_when_confined(path: str) -> tuple[bool, bool]:
    """Whether anything was taken from this process, and whether it could still open the file beside its own."""
    Usd.Stage.CreateInMemory()  # loads what the library loads late
    confined = isolation.confine([Path(Usd.__file__).parents[2], Path("/usr"), Path("/lib")], [Path(path).parent])
    return confined, has_secret(path)


def has_secret(path: str) -> bool:
    stage = Usd.Stage.Open(path)
    return bool(stage.GetPrimAtPath("/S/Secret"))
