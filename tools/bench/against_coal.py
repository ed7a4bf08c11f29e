"""Times Selvik's mesh distance beside the reference library coal, in one run.

Both see the same torus (12,288 triangles), ellipsoid (20,480) and poses. Prints a Markdown table.
"""
import json
import pathlib
import subprocess
import time

import coal
import numpy as np
import trimesh
from scipy.spatial.transform import Rotation

ROOT = pathlib.Path(__file__).resolve().parents[2]


def model(vertices, triangles):
    bvh = coal.BVHModelOBBRSS()
    bvh.beginModel(len(triangles), len(vertices))
    bvh.addVertices(vertices)
    bvh.addTriangles(triangles)
    bvh.endModel()
    return bvh


def torus():
    n, m = 96, 64
    i = np.arange(n * m)
    u, v = 2 * np.pi * (i // m) / n, 2 * np.pi * (i % m) / m
    r = 0.3 + 0.1 * np.cos(v)
    vertices = np.stack([r * np.cos(u), r * np.sin(u), 0.1 * np.sin(v)], axis=1)
    a, b = i // m, i % m
    at = lambda x, y: (x % n) * m + y % m
    faces = np.concatenate([
        np.stack([at(a, b), at(a + 1, b), at(a + 1, b + 1)], axis=1),
        np.stack([at(a, b), at(a + 1, b + 1), at(a, b + 1)], axis=1),
    ])
    return vertices, faces


def path(count):
    s = np.arange(count) / count
    xyz = np.stack([0.62 - 0.25 * s, 0.25 * np.sin(2 * np.pi * s),
                    0.2 + 0.15 * np.cos(4 * np.pi * s)], axis=1)
    return xyz, Rotation.from_euler("xyz", np.stack([1.5 * s, -0.7 * s, 2.0 * s], axis=1)).as_matrix()


def run(a, b, xyz, rotations, warm):
    fixed = coal.Transform3s.Identity()
    moving = coal.Transform3s.Identity()
    request, result = coal.DistanceRequest(), coal.DistanceResult()
    found = []
    start = time.perf_counter()
    for t, r in zip(xyz, rotations):
        moving.setTranslation(t)
        moving.setRotation(r)
        result.clear()
        found.append(coal.distance(a, fixed, b, moving, request, result))
    return (time.perf_counter() - start) / len(xyz), found


def main():
    ours = json.loads(subprocess.run(
        ["cargo", "run", "--release", "-q", "-p", "selvik-core", "--example", "distance_times"],
        cwd=ROOT, check=True, capture_output=True, text=True).stdout)
    a = model(*torus())
    ball = trimesh.creation.icosphere(subdivisions=5)
    b = model(ball.vertices * [0.25, 0.15, 0.1], ball.faces)
    run(a, b, *path(200), False)
    cold, found = run(a, b, *path(200), False)
    along, _ = run(a, b, *path(2000), False)
    worst = max(abs(x - max(y, 0.0)) for x, y in zip(ours["distances_m"], found))
    print(f"| query | Selvik | coal {coal.__version__} | ratio |\n|---|---|---|---|")
    print(f"| cold, 200 poses | {ours['cold_us']:.1f} µs | {cold * 1e6:.0f} µs | {cold * 1e6 / ours['cold_us']:.1f} × |")
    print(f"| along a path, 20,000 poses warm | {ours['warm_us']:.1f} µs | {along * 1e6:.0f} µs | {along * 1e6 / ours['warm_us']:.1f} × |")
    print(f"\nLargest difference of the 200 distances: {worst * 1e6:.3f} µm.")


if __name__ == "__main__":
    main()
