"""Samples the stress cell with the reference library coal, beside Selvik's certified sweep of it.

`demo/examples/sweep_cost.rs` leaves triangles, pairs and the poses of every tenth of a second in a folder. What takes part in the
comparison is what somebody would write with such a library: pairs whose bounding balls are farther apart than what is still
of interest are left out (all at once, in numpy), of the others the distance is asked. The time of all milliseconds is that of those
sampled, times a hundred.
"""
import pathlib
import subprocess
import tempfile
import time

import numpy as np

from against_coal import ROOT, coal, model

# Beyond what counts as tight by as much as the sweep looks, m.
OF_INTEREST = 0.015 + 0.05
EVERY_MS = 100


def read(folder, name, kind, shape):
    return np.fromfile(folder / name, dtype=kind).reshape(shape)


def main():
    with tempfile.TemporaryDirectory() as folder:
        compared(pathlib.Path(folder))


def compared(folder):
    told = subprocess.run(["cargo", "run", "--release", "-q", "-p", "selvik-demo", "--example", "sweep_cost", folder],
                          cwd=ROOT, check=True, capture_output=True, text=True).stdout
    print(told)
    counts = read(folder, "counts", np.uint64, -1).astype(int)
    corners = read(folder, "corners", float, (-1, 9))
    pairs = read(folder, "pairs", np.uint64, (-1, 2)).astype(int)
    poses = read(folder, "poses", float, (-1, len(counts), 3, 4))
    own = np.split(corners, np.cumsum(counts)[:-1])
    middles, radii = np.zeros((len(own), 3)), np.zeros(len(own))
    for k, body in enumerate(own):
        points = body.reshape(-1, 3)
        if len(points):
            middles[k] = (points.min(0) + points.max(0)) / 2
            radii[k] = np.linalg.norm(points - middles[k], axis=1).max()
    # Bodies of the same shape share a tree.
    shapes, trees = {}, []
    for body in own:
        key = body.tobytes()
        if key not in shapes:
            shapes[key] = model(body)
        trees.append(shapes[key])
    reach = radii[pairs].sum(1) + OF_INTEREST
    request, result = coal.DistanceRequest(), coal.DistanceResult()
    at = [coal.Transform3s.Identity(), coal.Transform3s.Identity()]
    asked, least, begun = 0, np.inf, time.perf_counter()
    for now in poses:
        where = np.einsum("kij,kj->ki", now[:, :, :3], middles) + now[:, :, 3]
        apart = np.linalg.norm(where[pairs[:, 0]] - where[pairs[:, 1]], axis=1)
        for a, b in pairs[apart < reach]:
            for placed, body in zip(at, (a, b)):
                placed.setRotation(now[body, :, :3])
                placed.setTranslation(now[body, :, 3])
            result.clear()
            least = min(least, coal.distance(trees[a], at[0], trees[b], at[1], request, result))
            asked += 1
    took = time.perf_counter() - begun
    print(f"coal, {len(poses)} instants: {took:.2f} s, {asked} distances of {len(pairs) * len(poses)}; least {least * 1e3:.3f} mm")
    print(f"each millisecond: {took * EVERY_MS:.0f} s on one core")


if __name__ == "__main__":
    main()
