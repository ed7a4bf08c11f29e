"""Writes mesh files in every format that is read, and what trimesh finds in them.

Run by `make reference`; the library and its version stand in the golden file. The shapes are made up here.
"""
import json
import pathlib

import numpy as np
import trimesh

OUT = pathlib.Path(__file__).resolve().parents[2] / "crates/selvik-formats/tests/golden/formats"


def part():
    """A ring beside a slanted block, in millimetres."""
    ring = trimesh.creation.torus(60, 17.5, major_sections=20, minor_sections=12)
    block = trimesh.creation.box((80.25, 41.5, 33.125))
    block.apply_transform(trimesh.transformations.euler_matrix(0.3, -0.4, 0.5))
    block.apply_translation((150, -20, 45))
    return trimesh.util.concatenate([ring, block])


def station():
    """The part twice in a scene of moved and turned nodes, in metres, Y up as glTF asks."""
    shape = part()
    shape.apply_scale(1e-3)
    scene = trimesh.Scene()
    turned = trimesh.transformations.euler_matrix(0.7, 0.2, -1.1)
    turned[:3, 3] = (0.5, 1.25, -0.75)
    scene.add_geometry(shape, node_name="a", transform=turned)
    scene.add_geometry(shape, node_name="b", transform=trimesh.transformations.translation_matrix((-0.4, 0, 0.1)))
    return scene


def found(mesh):
    return {"triangles": len(mesh.faces), "area": mesh.area, "volume": mesh.volume, "bounds": mesh.bounds.tolist()}


def main():
    OUT.mkdir(parents=True, exist_ok=True)
    shape = part()
    files = {}
    for name, kind, options in [
        ("binary.stl", "stl", {}), ("text.stl", "stl_ascii", {}), ("part.obj", "obj", {}), ("part.dae", "dae", {}),
        ("binary.ply", "ply", {"encoding": "binary"}), ("text.ply", "ply", {"encoding": "ascii"}),
    ]:
        data = shape.export(file_type=kind, **options)
        (OUT / name).write_bytes(data.encode() if isinstance(data, str) else data)
    (OUT / "station.glb").write_bytes(station().export(file_type="glb"))
    for path in sorted(OUT.iterdir()):
        read = trimesh.load(path, force="mesh", process=True)
        files[path.name] = found(read)
    golden = {"source": f"trimesh {trimesh.__version__}", "files": files}
    (OUT.parent / "formats.json").write_text(json.dumps(golden, indent=1) + "\n")


main()
