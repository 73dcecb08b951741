"""The surfaces of a GLB that is written: their numbers, materials and pictures."""

from __future__ import annotations

import copy
from typing import Any, cast

import numpy as np
import numpy.typing as npt
import pygltflib as gltf

from gremio.core.files.gltf_looks import textures_in
from gremio.core.files.model_in import FROM_Y_UP
from gremio.core.frames import matrix
from gremio.core.rig.model import Rig, Shape
from gremio.core.shape.geometry import Geometry, moved
from gremio.core.surfaces.colours import linear_of_srgb
from gremio.core.surfaces.looks import Look, Material, Picture, Texture
from gremio.core.surfaces.shelf import Shelf

TO_Y_UP = np.linalg.inv(FROM_Y_UP)
_SAMPLER = ("magFilter", "minFilter", "wrapS", "wrapT", "name")
_KINDS = {1: gltf.SCALAR, 2: gltf.VEC2, 3: gltf.VEC3, 4: gltf.VEC4}


class Surfaces:
    """Gathers what a GLB draws, and the bytes that it refers to; each mesh, material and picture
    once."""

    def __init__(self, out: gltf.GLTF2, shelf: Shelf) -> None:
        self.out, self.shelf = out, shelf
        self._blob = bytearray()
        self._meshes: dict[tuple[Shape, ...], int] = {}
        self._paints: dict[str, int] = {}
        self._materials: dict[Material, int] = {}
        self._textures: dict[Texture, int] = {}
        self._pictures: dict[Picture, int] = {}

    def written(self) -> bytes:
        """The whole file."""
        self.out.buffers = [gltf.Buffer(byteLength=len(self._blob))]
        self.out.set_binary_blob(bytes(self._blob))
        return b"".join(self.out.save_to_bytes())

    def mesh(self, rig: Rig, shapes: tuple[Shape, ...]) -> int | None:
        """The number of a mesh of some shapes."""
        if not shapes:
            return None
        if shapes not in self._meshes:
            self._meshes[shapes] = self._add([self._primitive(rig, shape) for shape in shapes])
        return self._meshes[shapes]

    def painted(self, geometry: Geometry, paint: str) -> int:
        """The number of a mesh of one surface in one paint."""
        return self._add([self._plain(geometry, self._paint(paint))])

    def _add(self, primitives: list[gltf.Primitive]) -> int:
        self.out.meshes.append(gltf.Mesh(primitives=primitives))
        return len(self.out.meshes) - 1

    def _primitive(self, rig: Rig, shape: Shape) -> gltf.Primitive:
        place = matrix(shape.place)
        geometry = moved(self.shelf.geometry(rig, shape.solid), place)
        look = self.shelf.look(rig, shape)
        if look is None:
            return self._plain(geometry, self._paint(shape.paint))
        material = self._paint(shape.paint) if look.material is None else self._worn(look.material)
        if look.material is None and "COLOR_0" in look.numbers:
            # Colours at the points are had times the material's (glTF 2.0, 3.9.2).
            material = self._paint("#ffffff")
        return self._dressed(geometry, look.turned((TO_Y_UP @ place)[:3, :3]), material)

    def _plain(self, geometry: Geometry, material: int) -> gltf.Primitive:
        turn = TO_Y_UP[:3, :3]
        position = geometry.vertices[geometry.triangles].reshape(-1, 3) @ turn.T
        normal = geometry.corner_normals.reshape(-1, 3) @ turn.T
        every = np.concatenate([position, normal], axis=1).astype(np.float32)
        corners, indices = np.unique(every, axis=0, return_inverse=True)
        numbers = {"POSITION": corners[:, :3], "NORMAL": corners[:, 3:]}
        return self._of(numbers, indices, material)

    def _dressed(self, geometry: Geometry, look: Look, material: int) -> gltf.Primitive:
        """A surface with the numbers it had in its file. look: turned as the geometry is, and into
        the axes of glTF."""
        turn = TO_Y_UP[:3, :3]
        points, corners = geometry.triangles.ravel(), look.corners.ravel()
        if "NORMAL" in look.numbers:
            _, first, indices = np.unique(corners, return_index=True, return_inverse=True)
            normal = look.numbers["NORMAL"][corners[first]]
        else:
            every = (geometry.corner_normals.reshape(-1, 3) @ turn.T).astype(np.float32)
            rows = np.concatenate([corners[:, None].astype(float), every], axis=1)
            _, first, indices = np.unique(rows, axis=0, return_index=True, return_inverse=True)
            normal = every[first]
        position = geometry.vertices[points[first]] @ turn.T
        numbers: dict[str, npt.NDArray[Any]] = {"POSITION": position, "NORMAL": normal}
        for name, values in look.numbers.items():
            if name != "NORMAL":
                numbers[name] = values[corners[first]]
        return self._of(numbers, indices, material)

    def _of(
        self, numbers: dict[str, npt.NDArray[Any]], indices: npt.NDArray[Any], material: int
    ) -> gltf.Primitive:
        placed = {
            name: self.accessor(values, _KINDS[values.shape[1]], gltf.ARRAY_BUFFER)
            for name, values in numbers.items()
        }
        order = self.accessor(
            indices.reshape(-1).astype(np.uint32), gltf.SCALAR, gltf.ELEMENT_ARRAY_BUFFER
        )
        attributes = gltf.Attributes()
        for name, accessor in placed.items():
            setattr(attributes, name, accessor)
        return gltf.Primitive(attributes=attributes, indices=order, material=material)

    def _paint(self, paint: str) -> int:
        """The number of Gremio's own matt material in one paint."""
        if paint not in self._paints:
            shown = [int(paint[i : i + 2], 16) / 255 for i in (1, 3, 5)]
            look = gltf.PbrMetallicRoughness(
                baseColorFactor=[*linear_of_srgb(shown).tolist(), 1.0],
                metallicFactor=0.0,
                roughnessFactor=0.9,
            )
            self.out.materials.append(gltf.Material(name=paint, pbrMetallicRoughness=look))
            self._paints[paint] = len(self.out.materials) - 1
        return self._paints[paint]

    def _worn(self, material: Material) -> int:
        """The number of a material that a surface came with."""
        if material not in self._materials:
            tree = copy.deepcopy(material.tree)
            used = set(tree.get("extensions", {}))
            for holder, key in list(textures_in(tree)):
                texture = material.textures[holder[key]["index"]]
                holder[key]["index"] = self._texture(texture)
                used |= {*holder[key].get("extensions", {}), *texture.pictures} - {""}
            self.out.extensionsUsed = sorted({*self.out.extensionsUsed, *used})
            required = {*self.out.extensionsRequired, *material.required}
            self.out.extensionsRequired = sorted(required)
            # As a tree: so what the writer has no field for goes out as it came in.
            self.out.materials.append(cast(gltf.Material, tree))
            self._materials[material] = len(self.out.materials) - 1
        return self._materials[material]

    def _texture(self, texture: Texture) -> int:
        if texture not in self._textures:
            made = gltf.Texture(name=texture.name or None)
            if texture.sampler:
                made.sampler = self._sampler(texture.sampler)
            for extension, picture in texture.pictures.items():
                if extension:
                    made.extensions[extension] = {"source": self._picture(picture)}
                else:
                    made.source = self._picture(picture)
            self.out.textures.append(made)
            self._textures[texture] = len(self.out.textures) - 1
        return self._textures[texture]

    def _sampler(self, told: dict[str, Any]) -> int:
        sampler = gltf.Sampler(**{name: told[name] for name in _SAMPLER if name in told})
        if sampler not in self.out.samplers:
            self.out.samplers.append(sampler)
        return int(self.out.samplers.index(sampler))

    def _picture(self, picture: Picture) -> int:
        if picture not in self._pictures:
            view = self._view(picture.data)
            self.out.images.append(
                gltf.Image(name=picture.name or None, mimeType=picture.kind, bufferView=view)
            )
            self._pictures[picture] = len(self.out.images) - 1
        return self._pictures[picture]

    def _view(self, data: bytes, target: int | None = None) -> int:
        self._blob += b"\0" * (-len(self._blob) % 4)
        view = gltf.BufferView(
            buffer=0, byteOffset=len(self._blob), byteLength=len(data), target=target
        )
        self._blob += data
        self.out.bufferViews.append(view)
        return len(self.out.bufferViews) - 1

    def accessor(self, values: npt.NDArray[Any], kind: str, target: int | None = None) -> int:
        """The number of an accessor for values of one kind, as float32 or uint32."""
        whole = values.dtype.kind == "u"
        data = values.astype("<u4" if whole else "<f4")
        flat = data.reshape(len(data), -1)
        accessor = gltf.Accessor(
            bufferView=self._view(data.tobytes(), target),
            componentType=gltf.UNSIGNED_INT if whole else gltf.FLOAT,
            count=len(data),
            type=kind,
            min=flat.min(axis=0).tolist(),
            max=flat.max(axis=0).tolist(),
        )
        self.out.accessors.append(accessor)
        return len(self.out.accessors) - 1
