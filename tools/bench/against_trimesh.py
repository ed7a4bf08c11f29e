"""Times Selvik's sections beside the reference library trimesh, in one run.

Both cut the same mesh of about a million triangles (a ball whose radius wavers) by the same planes. Prints a Markdown
table, and by how much areas and lengths differ.
"""
import json
import pathlib
import subprocess
import tempfile
import time

import numpy as np
import trimesh

ROOT = pathlib.Path(__file__).resolve().parents[2]
PLANES = [([0.01, 0.02, z], [0.3 * z, -0.2, 1.0]) for z in np.linspace(-0.8, 0.8, 9)]


def wavering_ball():
    mesh = trimesh.creation.uv_sphere(radius=1.0, count=[700, 720])
    x, y, z = mesh.vertices.T
    wave = 1 + 0.05 * np.sin(9 * np.arctan2(y, x)) * np.sin(7 * np.arccos(np.clip(z, -1, 1)))
    return trimesh.Trimesh(mesh.vertices * wave[:, None], mesh.faces)


def main():
    with tempfile.TemporaryDirectory() as folder:
        file = pathlib.Path(folder) / "ball.stl"
        wavering_ball().export(file)
        planes = json.dumps([[list(at), list(n)] for at, n in PLANES])
        command = ["cargo", "run", "--release", "-q", "-p", "selvik-core", "--example", "section_times", "--", str(file), planes]
        ours = json.loads(subprocess.run(command, cwd=ROOT, check=True, capture_output=True, text=True).stdout)
        mesh = trimesh.load_mesh(file)
    times, areas, lengths = [], [], []
    for at, normal in PLANES:
        start = time.perf_counter()
        section = mesh.section(plane_origin=at, plane_normal=normal)
        times.append((time.perf_counter() - start) * 1e3)
        flat, _ = section.to_2D()
        areas.append(flat.area)
        # A section merges what lies near together before it measures; its pieces are measured as they are.
        pieces = trimesh.intersections.mesh_plane(mesh, normal, at)
        lengths.append(np.linalg.norm(pieces[:, 1] - pieces[:, 0], axis=1).sum())
    cuts = ours["cuts"]
    median = lambda values: float(np.median(values))
    prepared, unprepared = median([c["ms"] for c in cuts]), median([c["unprepared_ms"] for c in cuts])
    theirs = median(times)
    print(f"{ours['triangles']:,} triangles, {len(cuts)} planes, medians; the tree took {ours['prepared_ms']:.0f} ms, once.\n")
    print(f"| section | Selvik | trimesh {trimesh.__version__} | ratio |\n|---|---|---|---|")
    print(f"| with the tree | {prepared:.2f} ms | {theirs:.0f} ms | {theirs / prepared:.0f} × |")
    print(f"| without | {unprepared:.1f} ms | {theirs:.0f} ms | {theirs / unprepared:.0f} × |")
    off = lambda key, wanted: max(abs(c[key] / w - 1) for c, w in zip(cuts, wanted))
    print(f"\nLargest relative difference: areas {off('area', areas):.1e}, lengths {off('perimeter', lengths):.1e}.")


if __name__ == "__main__":
    main()
