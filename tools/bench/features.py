"""Times the finding of faces and edges in meshes of about a million triangles.

Two of machine parts (a plate with 2,500 bores made by manifold3d, a torus), two of shapes without a name (a wavering ball,
smooth and with noise). Prints a Markdown table. The release build of the example `feature_times` is run on each.
"""
import json
import pathlib
import subprocess
import tempfile

import manifold3d as m
import numpy as np
import trimesh

ROOT = pathlib.Path(__file__).resolve().parents[2]


def drilled():
    plate = m.Manifold.cube((1000, 1000, 10))
    bore = lambda i, j: m.Manifold.cylinder(20, 4 + 0.01 * i, 4 + 0.01 * i, 96).translate((10 + 20 * i, 10 + 20 * j, -5))
    plate -= m.Manifold.compose([bore(i, j) for i in range(50) for j in range(50)])
    mesh = plate.to_mesh()
    return trimesh.Trimesh(mesh.vert_properties[:, :3], mesh.tri_verts, process=False)


def balls(noise):
    ball = trimesh.creation.icosphere(subdivisions=7, radius=50)
    x, y, z = ball.vertices.T / 50
    ball.vertices *= (1 + 0.05 * np.sin(9 * x) * np.sin(7 * y) * np.cos(8 * z))[:, None]
    three = trimesh.util.concatenate([ball.copy().apply_translation((200 * i, 0, 0)) for i in range(3)])
    three.vertices += np.random.default_rng(1).normal(0, noise, three.vertices.shape)
    return three


MESHES = {
    "plate with 2,500 bores": drilled,
    "torus": lambda: trimesh.creation.torus(60, 17.5, major_sections=1000, minor_sections=500),
    "wavering balls, faces without a name": lambda: balls(0.0),
    "the same with noise": lambda: balls(0.02),
}

print("| mesh | triangles | found | time | bar |")
print("|---|---|---|---|---|")
with tempfile.TemporaryDirectory() as folder:
    for name, make in MESHES.items():
        file = pathlib.Path(folder) / "mesh.stl"
        make().export(file)
        command = ["cargo", "run", "-q", "--release", "-p", "selvik-core", "--example", "feature_times", str(file)]
        told = subprocess.run(command, cwd=ROOT, check=True, capture_output=True, text=True).stdout
        found = json.loads(told.splitlines()[-1])
        faces = ", ".join(f"{n:,} {kind}" for kind, n in found["faces"].items())
        print(f"| {name} | {found['triangles']:,} | {faces} | {found['s']:.2f} s | 2 s |")
