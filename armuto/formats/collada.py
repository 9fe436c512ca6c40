"""COLLADA 1.4 (.dae): read into a .glb of the same nodes, skins, meshes, materials and motion.

pycollada reads geometry and materials. The node tree with its stacks of transforms, the skin controllers and the
animation channels, of which it keeps only the XML, are read here. Unit and up axis of the asset block become a node
above the scene, so that what follows honours them as it does for any glTF. Standard: COLLADA 1.4.1, Khronos 2008.
"""

from __future__ import annotations

import base64
import io
from collections.abc import Callable, Mapping
from typing import Any
from xml.etree.ElementTree import Element, ParseError

import defusedxml.ElementTree
import numpy as np
from defusedxml.common import DefusedXmlException

from armuto.errors import BadInput
from armuto.formats.collada_animation import read_animations
from armuto.formats.collada_nodes import (
    SPACE,
    WIDTH,
    Transform,
    linear,
    number_of,
    taken_apart,
    transform_matrix,
    unit_length,
)
from armuto.formats.gltf.building import Body, Material, Node, Parts, Skin, Surface, build
from armuto.intake import detection
from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily
from armuto.text import shown

collada = lazily("collada")

FARTHEST = 1e12  # of any number
MOST_INPUTS = 100  # of a vertex
UP = {"X_UP": "+X", "Y_UP": "+Y", "Z_UP": "+Z"}
MOST_NODES, MOST_DEPTH = 50_000, 400


def to_glb(data: bytes, file: str, files: Mapping[str, bytes] | None = None) -> tuple[bytes, list[str]]:
    """A .dae as .glb, and notes. files: what lies beside it, for textures. Raises :class:`BadInput`."""

    def refuse(what: str) -> BadInput:
        return BadInput(f"{file}: {what}; export it again as COLLADA 1.4.")

    try:
        root = defusedxml.ElementTree.fromstring(data, forbid_dtd=True)
    except DefusedXmlException:
        raise refuse("it defines entities of its own, which are not read") from None
    except (ParseError, ValueError, LookupError) as problem:  # an encoding nobody knows is a LookupError
        raise refuse(f"its XML is damaged ({problem})") from None
    if root.tag != f"{SPACE}COLLADA":
        raise refuse("not a COLLADA 1.4 document")
    _depth(root, refuse)
    held = Scene(root, refuse, files or {})
    held.read(data)
    return build(held.parts), list(dict.fromkeys(held.notes))


def _depth(root: Element, refuse: Callable[[str], BadInput]) -> None:
    """That the tree is not nested deeper than recursion bears."""
    level, count = [root], 0
    while level:
        count += 1
        if count > MOST_DEPTH:
            raise refuse("its elements are nested too deeply")
        level = [child for element in level for child in element]


def _inside(address: str) -> bytes | None:
    """The content of a data address. Raises ValueError for one that is damaged."""
    if not address.startswith("data:"):
        return None
    return base64.b64decode(address.partition(",")[2], validate=True)


class Scene:
    """One document while it is read."""

    def __init__(self, root: Element, refuse: Callable[[str], BadInput], files: Mapping[str, bytes]) -> None:
        self.root, self.refuse, self.files = root, refuse, files
        self.parts = Parts()
        self.notes: list[str] = []
        self.ids = {e.get("id"): e for e in root.iter() if e.get("id")}
        self.stacks: dict[int, list[Transform]] = {}
        self.elements: list[Element] = []
        self.by_id: dict[str, int] = {}
        self.by_sid: dict[str, int] = {}
        self.by_name: dict[str, int] = {}
        self.images: dict[str, int] = {}
        self.materials: dict[str, int] = {}

    def find(self, url: str | None, what: str) -> Element:
        element = self.ids.get((url or "").removeprefix("#"))
        if element is None:
            raise self.refuse(f"{what} “{(url or '')[:60]}” does not exist")
        return element

    def numbers(self, element: Element | None, what: str) -> FloatArray:
        words = (element.text or "").split() if element is not None else []
        try:
            values = np.array(words, float)
        except ValueError:
            raise self.refuse(f"{what} holds something that is not a number") from None
        if not np.isfinite(values).all() or np.abs(values).max(initial=0.0) > FARTHEST:
            raise self.refuse(f"{what} holds values that are not usable numbers")
        return values

    # -- reading -----------------------------------------------------------------------------------------------------

    def read(self, data: bytes) -> None:
        asset = self.root.find(f"{SPACE}asset")
        unit, up = 1.0, "Y_UP"
        if asset is not None:
            mark = asset.find(f"{SPACE}unit")
            unit = number_of(mark.get("meter", "1") if mark is not None else "1")
            up = (asset.findtext(f"{SPACE}up_axis") or "Y_UP").strip()
        if not 1e-6 < unit < 1e6 or up not in UP:
            raise self.refuse("its unit or up axis is not usable")
        turn = detection.upright(UP[up])
        self.parts.nodes.append(Node("stage", -1, np.zeros(3), turn, np.full(3, unit)))
        self.stacks[0], self.elements = [], [self.root]
        scene = self.root.find(f"{SPACE}scene/{SPACE}instance_visual_scene")
        if scene is None:
            raise self.refuse("it has no scene")
        self._nodes(self.find(scene.get("url"), "the scene"))
        self._geometry(data)
        read_animations(self)

    def _nodes(self, scene: Element) -> None:
        """All nodes of the scene, parents first."""
        stack = [(child, 0) for child in reversed(scene.findall(f"{SPACE}node"))]
        while stack:
            element, parent = stack.pop()
            number = len(self.parts.nodes)
            if number > MOST_NODES:
                raise self.refuse(f"it has more than {MOST_NODES} nodes")
            transforms = []
            for child in element:
                kind = child.tag.removeprefix(SPACE)
                if kind in WIDTH:
                    values = self.numbers(child, f"a {kind} of a node")
                    if len(values) != WIDTH[kind]:
                        raise self.refuse(f"a {kind} of a node has {len(values)} of {WIDTH[kind]} numbers")
                    transforms.append(Transform(kind, child.get("sid", ""), values))
                elif kind in ("lookat", "skew"):
                    self.notes.append(f"A {kind} transform is not read.")
            self.stacks[number] = transforms
            name = element.get("name") or element.get("id") or f"node {number}"
            t, q, s = taken_apart(self._local(transforms), self.refuse, name)
            self.parts.nodes.append(Node(name, parent, t, q, s))
            self.elements.append(element)
            for table, key in ((self.by_id, "id"), (self.by_sid, "sid"), (self.by_name, "name")):
                if element.get(key):
                    table.setdefault(element.get(key, ""), number)
            stack += [(child, number) for child in reversed(element.findall(f"{SPACE}node"))]
            if element.find(f"{SPACE}instance_node") is not None:
                self.notes.append("Nodes that are instances of library nodes are not read.")

    def _local(self, transforms: list[Transform], values: Mapping[int, FloatArray] | None = None) -> FloatArray:
        out = np.eye(4)
        for n, transform in enumerate(transforms):
            out = out @ transform_matrix(transform.kind, transform.values if values is None else values[n])
        return out

    # -- meshes ------------------------------------------------------------------------------------------------------

    def _geometry(self, data: bytes) -> None:
        """Meshes, skins and materials, through pycollada."""
        users = [
            (number, use)
            for number, element in enumerate(self.elements)
            if number
            for use in element
            if use.tag in (f"{SPACE}instance_geometry", f"{SPACE}instance_controller")
        ]
        if not users:
            return
        ignored = [
            collada.common.DaeUnsupportedError,
            collada.common.DaeBrokenRefError,
            collada.common.DaeIncompleteError,
            collada.common.DaeMalformedError,
        ]
        try:
            document = collada.Collada(io.BytesIO(data), ignore=ignored, aux_file_loader=self._beside)
        except BadInput:
            raise
        except Exception as problem:
            raise self.refuse(f"its meshes cannot be read ({type(problem).__name__})") from problem
        for number, use in users:
            skin, bind, weights = None, np.eye(4), None
            url = use.get("url")
            if use.tag.endswith("instance_controller"):
                controller = self.find(url, "the controller")
                element = controller.find(f"{SPACE}skin")
                if element is None:
                    self.notes.append("A morph controller is not read.")
                    continue
                skin, bind, weights = self._skin(element, use)
                url = element.get("source")
            key = (url or "").removeprefix("#")
            if key not in document.geometries:
                self.notes.append(f"The mesh “{key[:60]}” could not be read and was left out.")
                continue
            surfaces = self._surfaces(document.geometries[key], use, bind, weights, document)
            if surfaces:
                self.parts.bodies.append(Body(self.parts.nodes[number].name, number, surfaces, skin))

    def _beside(self, name: str) -> bytes:
        path = name.replace("\\", "/").removeprefix("file://").lstrip("./")
        for known, content in self.files.items():
            if known == path or known.rsplit("/", 1)[-1] == path.rsplit("/", 1)[-1]:
                return content
        self.notes.append(f"The texture “{path[-60:]}” is missing; pack it with the file in a .zip.")
        raise collada.common.DaeBrokenRefError("missing")

    def _source(self, element: Element, semantic: str, what: str) -> tuple[Element, Element]:
        """The input with this semantic and the array it leads to."""
        for given in element.findall(f"{SPACE}input"):
            if given.get("semantic") == semantic:
                source = self.find(given.get("source"), what)
                for kind in ("Name_array", "IDREF_array", "float_array"):
                    array = source.find(f"{SPACE}{kind}")
                    if array is not None:
                        return given, array
        raise self.refuse(f"{what} is incomplete")

    def _skin(self, element: Element, use: Element) -> tuple[int, FloatArray, FloatArray]:
        """Number of the skin, the bind shape matrix, and weights ``(vertices, joints)``."""
        joints = element.find(f"{SPACE}joints")
        table = element.find(f"{SPACE}vertex_weights")
        if joints is None or table is None:
            raise self.refuse("a skin has no joints or no weights")
        _, names = self._source(joints, "JOINT", "the joints of a skin")
        _, binds = self._source(joints, "INV_BIND_MATRIX", "the bind matrices of a skin")
        words = (names.text or "").split()
        matrices = self.numbers(binds, "the bind matrices of a skin")
        if len(matrices) != 16 * len(words):
            raise self.refuse(f"a skin has {len(words)} joints and {len(matrices) // 16} bind matrices")
        numbers = [self._joint(word, use) for word in words]
        shape = element.find(f"{SPACE}bind_shape_matrix")
        bind = self.numbers(shape, "a bind shape matrix") if shape is not None else np.eye(4)
        if bind.size != 16:
            raise self.refuse(f"a bind shape matrix has {bind.size} numbers, not 16")
        bind = bind.reshape(4, 4)
        given, array = self._source(table, "WEIGHT", "the weights of a skin")
        shares = self.numbers(array, "the weights of a skin")
        counts = self.numbers(table.find(f"{SPACE}vcount"), "the counts of a skin").astype(np.int64)
        pairs = self.numbers(table.find(f"{SPACE}v"), "the weights of a skin").astype(np.int64)
        inputs = [(each.get("semantic"), self._offset(each)) for each in table.findall(f"{SPACE}input")]
        width = 1 + max(offset for _, offset in inputs)
        if len(pairs) != counts.sum() * width:
            raise self.refuse("the weights of a skin do not match their counts")
        rows = pairs.reshape(-1, width)
        places = [offset for semantic, offset in inputs if semantic == "JOINT"]
        if not places:
            raise self.refuse("the weights of a skin do not say which joints they are of")
        which, what = rows[:, places[0]], rows[:, self._offset(given)]
        if which.max(initial=-1) >= len(words) or what.max(initial=-1) >= len(shares) or what.min(initial=0) < 0:
            raise self.refuse("the weights of a skin point past their ends")
        if len(counts) * len(words) > 50_000_000:
            raise self.refuse("a skin is too large")
        weights = np.zeros((len(counts), len(words)))
        owner = np.repeat(np.arange(len(counts)), counts)
        held = which >= 0  # -1 means the bind shape itself
        np.add.at(weights, (owner[held], which[held]), shares[what[held]])
        self.parts.skins.append(Skin(numbers, matrices.reshape(-1, 4, 4)))
        return len(self.parts.skins) - 1, bind, weights

    def _offset(self, element: Element) -> int:
        """Where the numbers of an input stand among those of each vertex."""
        text = element.get("offset", "0").strip()
        if not text.isdecimal() or int(text) > MOST_INPUTS:
            raise self.refuse(f"the offset of an input is “{shown(text)}”, which is no place among them")
        return int(text)

    def _joint(self, word: str, use: Element) -> int:
        """The node of a joint: by sid below the named skeletons, else anywhere, else by id or name."""
        for top in use.findall(f"{SPACE}skeleton"):
            start = self.by_id.get((top.text or "").strip().removeprefix("#"))
            if start is None:
                continue
            inside = {start}
            for number in range(start, len(self.parts.nodes)):
                if number == start or self.parts.nodes[number].parent in inside:
                    inside.add(number)
                    if self.elements[number].get("sid") == word:
                        return number
        for table in (self.by_sid, self.by_id, self.by_name):
            if word in table:
                return table[word]
        raise self.refuse(f"the joint “{word[:60]}” of a skin is not in the scene")

    def _surfaces(
        self, geometry: Any, use: Element, bind: FloatArray, weights: FloatArray | None, document: Any
    ) -> list[Surface]:
        bound = {
            mark.get("symbol", ""): mark.get("target", "").removeprefix("#")
            for mark in use.iter(f"{SPACE}instance_material")
        }
        out = []
        for primitive in geometry.primitives:
            triangles = primitive.triangleset() if hasattr(primitive, "triangleset") else primitive
            if (
                not isinstance(triangles, collada.triangleset.TriangleSet)
                or triangles.vertex is None
                or not len(triangles)
            ):
                continue
            corners = [np.asarray(triangles.vertex_index).reshape(-1)]
            normals = triangles.normal if triangles.normal_index is not None else None
            corners.append(np.asarray(triangles.normal_index).reshape(-1) if normals is not None else corners[0] * 0)
            uvs = triangles.texcoordset[0] if triangles.texcoordset else None
            corners.append(
                np.asarray(triangles.texcoord_indexset[0]).reshape(-1) if uvs is not None else corners[0] * 0
            )
            # One point of ours per different combination of position, normal and texture corner.
            unique, inverse = np.unique(np.stack(corners, axis=1), axis=0, return_inverse=True)
            at = unique[:, 0]
            points = np.asarray(triangles.vertex, float)[at]
            if weights is not None and at.max(initial=0) >= len(weights):
                raise self.refuse("a mesh has more points than its skin has weights")
            linear = bind[:3, :3]
            places = points @ linear.T + bind[:3, 3]
            if not (np.abs(places) < FARTHEST).all():
                raise self.refuse("some points of a mesh lie nowhere")
            out.append(
                Surface(
                    places,
                    inverse.reshape(-1, 3).astype(np.int64),
                    self._material(bound.get(str(triangles.material), str(triangles.material)), document),
                    None if normals is None else unit_length(np.asarray(normals, float)[unique[:, 1]] @ linear.T),
                    None if uvs is None else np.asarray(uvs, float)[unique[:, 2], :2] * [1, -1] + [0, 1],
                    None if weights is None else weights[at],
                )
            )
        return out

    def _material(self, key: str, document: Any) -> int | None:
        if key not in document.materials:
            return None
        if key in self.materials:
            return self.materials[key]
        held = document.materials[key]
        diffuse, colour, image = held.effect.diffuse, (0.8, 0.8, 0.8, 1.0), None
        if isinstance(diffuse, collada.material.Map):
            image = self._image(diffuse)
            colour = (1.0, 1.0, 1.0, 1.0)
        elif isinstance(diffuse, tuple) and len(diffuse) >= 3:
            r, g, b = (linear(float(v)) for v in diffuse[:3])
            colour = (r, g, b, 1.0)
        self.parts.materials.append(
            Material(held.name or key, colour, image=image, both_sides=bool(held.effect.double_sided))
        )
        self.materials[key] = len(self.parts.materials) - 1
        return self.materials[key]

    def _image(self, mapped: Any) -> int | None:
        source = mapped.sampler.surface.image
        try:
            data = _inside(source.path) or source.data
        except (collada.common.DaeError, KeyError, ValueError):
            return None
        if not data or (data[:4] != b"\x89PNG" and data[:2] != b"\xff\xd8"):
            return None
        if source.path not in self.images:
            self.parts.images.append(data)
            self.images[source.path] = len(self.parts.images) - 1
        return self.images[source.path]

    # -- motion ------------------------------------------------------------------------------------------------------
