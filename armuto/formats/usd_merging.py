"""Several USD layers in one: the figure of each under a prim of its own, in one space and one time."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from pathlib import Path

from pxr import Sdf, Usd, UsdGeom

from armuto.formats.gltf import scene

STAGE_METADATA = ("metersPerUnit", "upAxis", "timeCodesPerSecond", "framesPerSecond", "startTimeCode", "endTimeCode")


def merged(files: Mapping[str, bytes]) -> bytes:
    """Files by name, as :func:`armuto.formats.usd_writer.write` makes them, as one .usd (crate).

    Each has a prim of its own, called as nearly like it as USD allows, with its name as the display name. Unit, up axis
    and time are those of the first: the caller writes all of them alike.
    """
    with tempfile.TemporaryDirectory(prefix="armuto-usd-") as folder:
        path = str(Path(folder) / "out.usdc")
        out = Sdf.Layer.CreateNew(path)
        top = Sdf.CreatePrimInLayer(out, "/Ensemble")
        top.specifier, top.typeName = Sdf.SpecifierDef, "Xform"
        out.defaultPrim = top.name
        names = scene.unique_ids(list(files), "_")
        for number, (own, (name, data)) in enumerate(zip(names, files.items(), strict=True)):
            source = Path(folder) / f"{number}.usdc"
            source.write_bytes(data)
            layer = Sdf.Layer.FindOrOpen(str(source))
            # Paths within what is copied follow it.
            Sdf.CopySpec(layer, Sdf.Path(f"/{layer.defaultPrim}"), out, top.path.AppendChild(own))
            out.GetPrimAtPath(top.path.AppendChild(own)).SetInfo("displayName", name)
            if number == 0:
                for key in STAGE_METADATA:
                    if layer.pseudoRoot.HasInfo(key):
                        out.pseudoRoot.SetInfo(key, layer.pseudoRoot.GetInfo(key))
        out.Save()
        stage = Usd.Stage.Open(out)
        assert stage and UsdGeom.GetStageMetersPerUnit(stage)
        del stage, out
        return Path(path).read_bytes()
