"""Parts as a GLB file, which the viewer of the page shows; also one that other programs open."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...kernel.mesh import Mesh

#: The colour of the material, as the pictures have it.
_KRAFT = [201, 163, 106, 255]


def glb(parts: Sequence[tuple[str, Mesh]]) -> bytes:
    """Named parts as one GLB file, in metres and with y upwards, as the format wants it. Corners
    stand once for each triangle, with the normals of the surface."""
    import trimesh  # here, since only publishing pays for loading it

    scene = trimesh.Scene()
    for number, (name, mesh) in enumerate(parts):
        corners = mesh.points[mesh.triangles].reshape(-1, 3)
        made = trimesh.Trimesh(
            _turned(corners) / 1000.0,
            np.arange(len(corners)).reshape(-1, 3),
            vertex_normals=_turned(mesh.normals.reshape(-1, 3)),
            process=False,
            visual=trimesh.visual.TextureVisuals(
                material=trimesh.visual.material.PBRMaterial(
                    baseColorFactor=_KRAFT, metallicFactor=0.0, roughnessFactor=0.8
                )
            ),
        )
        scene.add_geometry(made, node_name=f"{number + 1} {name}", geom_name=f"{number + 1} {name}")
    data = trimesh.exchange.gltf.export_glb(scene, include_normals=True)
    return bytes(data)


def _turned(points: np.ndarray) -> np.ndarray:
    """From z upwards to y upwards."""
    return np.stack([points[:, 0], points[:, 2], -points[:, 1]], axis=1)
