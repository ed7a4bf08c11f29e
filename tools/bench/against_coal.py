"""Times Selvik's mesh distance beside the reference library coal, in one run.

Both see the same triangles and poses, which `demo/examples/distance_cases.rs` leaves in a folder. Prints a Markdown table.
"""
import json
import pathlib
import subprocess
import tempfile
import time

import coal
import numpy as np

ROOT = pathlib.Path(__file__).resolve().parents[2]
# So many poses of a path are enough to know how long one takes.
MOST = 4000
# All pairs are timed in turn so often: the least disturbed of it counts, as with Selvik.
ROUNDS = 3


def model(corners):
    vertices, triangles = np.unique(corners.reshape(-1, 3), axis=0, return_inverse=True)
    bvh = coal.BVHModelOBBRSS()
    bvh.beginModel(len(corners), len(vertices))
    bvh.addVertices(vertices)
    bvh.addTriangles(triangles.reshape(-1, 3))
    bvh.endModel()
    return bvh


def run(a, b, poses):
    fixed, moving = coal.Transform3s.Identity(), coal.Transform3s.Identity()
    request, result = coal.DistanceRequest(), coal.DistanceResult()
    found = []
    start = time.perf_counter()
    for pose in poses:
        moving.setTranslation(pose[:, 3])
        moving.setRotation(pose[:, :3])
        result.clear()
        found.append(coal.distance(a, fixed, b, moving, request, result))
    return (time.perf_counter() - start) / len(poses) * 1e6, found


def main():
    with tempfile.TemporaryDirectory() as folder:
        told = json.loads(subprocess.run(
            ["cargo", "run", "--release", "-q", "-p", "selvik-demo", "--example", "distance_cases", folder],
            cwd=ROOT, check=True, capture_output=True, text=True).stdout)
        print(f"| pair | triangles | cold | coal {coal.__version__} | ratio | along a path | coal | ratio |")
        print("|---|---|---|---|---|---|---|---|")
        worst = 0.0
        for case in told:
            read = lambda what, shape: np.fromfile(pathlib.Path(folder) / f"{case['name']}.{what}").reshape(shape)
            case["corners"] = [read(which, (-1, 9)) for which in "ab"]
            case["models"] = [*map(model, case["corners"])]
            case["every"] = max(1, len(case["along_m"]) // MOST)
            apart, close = (read(which, (-1, 3, 4)) for which in ("apart", "close"))
            case["poses"] = apart, close[:: case["every"]]
            case["took"] = [float("inf")] * 2
        for _ in range(ROUNDS):
            for case in told:
                timed = [run(*case["models"], poses) for poses in case["poses"]]
                case["took"] = [min(before, now) for before, (now, _) in zip(case["took"], timed)]
                case["found"] = [found for _, found in timed]
        for case in told:
            found, along = case["found"]
            pairs = [*zip(case["distances_m"], found), *zip(case["along_m"][:: case["every"]], along)]
            worst = max(worst, *(abs(x - max(y, 0.0)) for x, y in pairs))
            ours, (cold, warm) = (case["cold_us"], case["warm_us"]), case["took"]
            corners = case["corners"]
            print(f"| {case['name']} | {len(corners[0]):,}, {len(corners[1]):,} "
                  f"| {ours[0]:.1f} µs | {cold:.0f} µs | {cold / ours[0]:.1f} × "
                  f"| {ours[1]:.1f} µs | {warm:.0f} µs | {warm / ours[1]:.1f} × |")
        print(f"\nLargest difference of the distances: {worst * 1e6:.3f} µm.")


if __name__ == "__main__":
    main()
