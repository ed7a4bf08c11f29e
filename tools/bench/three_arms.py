"""Times `selvik check` on three arms of an open set of robots, PyPI's `example-robot-data`: visual meshes of about 100,000 triangles each.

Run with the reference libraries (`make reference`), outside the tests. The arms are chosen by what they are: six turning joints, no slide, their number
of triangles nearest to 100,000. They stand 1.2 m from each other among a floor and two posts; each goes through six made-up joint moves.
"""
import argparse
import json
import math
import pathlib
import random
import shutil
import subprocess
import sys
import tempfile
import time
import warnings
from xml.etree import ElementTree

import trimesh

ROOT = pathlib.Path(__file__).resolve().parents[2]
SELVIK = ROOT / "target/release/selvik"
WANTED = 100_000
MOVES = 6


def meshes(urdf, share):
    """The files of the visual meshes, by the path the URDF gives."""
    found = {}
    for mesh in ElementTree.parse(urdf).iterfind(".//visual/geometry/mesh"):
        told = mesh.get("filename")
        below = told.removeprefix("package://").split("/", 1)[1]
        found[told] = next((p for p in share.rglob(pathlib.Path(told).name) if str(p).endswith(below)), None)
    return found


def joints(urdf):
    """Limits of the joints that turn, by name, radians; none where the mechanism has other joints that move."""
    found = {}
    for joint in ElementTree.parse(urdf).iterfind("joint"):
        if joint.get("type") == "fixed":
            continue
        if joint.get("type") == "prismatic" or joint.find("mimic") is not None:
            return {}
        limit = joint.find("limit")
        low, high = (float(limit.get(end, 0)) if limit is not None else 0 for end in ("lower", "upper"))
        found[joint.get("name")] = (max(low, -math.pi), min(high, math.pi)) if low < high else (-math.pi, math.pi)
    return found


def arms(share):
    """The three URDFs: triangles, path, meshes. Of those that have the same number of triangles the first by name counts."""
    found = {}
    for urdf in sorted(p for p in share.rglob("*.urdf") if "robots" in p.parts):
        if len(joints(urdf)) != 6:
            continue
        files = meshes(urdf, share)
        if not files or None in files.values():
            continue
        triangles = sum(len(trimesh.load(file, force="mesh").faces) for file in set(files.values()))
        found.setdefault(triangles, (triangles, urdf, files))
    return sorted(found.values(), key=lambda arm: abs(arm[0] - WANTED))[:3]


def laid_out(folder, chosen):
    """Writes the cell."""
    chance = random.Random(14)
    items = [
        {"id": "floor", "name": "Floor", "role": "structure", "pose": {"xyz_mm": [0, 0, -110]},
         "bodies": [{"shape": {"box": {"size_mm": [6000, 6000, 20]}}}]},
    ]
    for k, x in enumerate((-900, 900)):
        items.append({"id": f"post{k}", "name": f"Post {k + 1}", "role": "structure", "pose": {"xyz_mm": [x, 700, 900]},
                      "bodies": [{"shape": {"cylinder": {"radius_mm": 60, "length_mm": 2000}}}]})
    programs = []
    for k, (_, urdf, files) in enumerate(chosen):
        at = folder / f"arm{k}"
        at.mkdir()
        text = urdf.read_text()
        for n, (told, file) in enumerate(sorted(files.items())):
            name = f"{n}{file.suffix}"
            shutil.copy(file, at / name)
            text = text.replace(f'"{told}"', f'"{name}"')
        (at / "arm.urdf").write_text(text)
        items.append({"id": f"arm{k}", "name": f"Arm {k + 1}", "role": "robot", "pose": {"xyz_mm": [1200 * (k - 1), 0, 0]},
                      "mechanism": {"from": {"urdf": f"arm{k}/arm.urdf"}}})
        limits = joints(urdf)
        goes = []
        for _ in range(MOVES):
            to = [math.degrees((low + high) / 2 + 0.35 * chance.uniform(-1, 1) * (high - low) / 2) for low, high in limits.values()]
            goes.append({"move": "joint", "joints_deg_or_mm": to, "speed_percent": 100})
        programs.append({"id": f"p{k}", "name": f"Program {k + 1}", "robot": f"arm{k}", "moves": goes})
    cell = {
        "format": "selvik-cell/1", "name": "Three arms", "items": items, "programs": programs,
        "rules": [{"id": "r", "name": "Robots to all", "between": ["role:robot"], "and": [], "required_mm": 10, "tight_below_mm": 20}],
        "run_plan": {"lanes": [{"programs": [p["id"]]} for p in programs]},
    }
    (folder / "cell.json").write_text(json.dumps(cell, indent=1))


def checked(folder, *words):
    begun = time.perf_counter()
    ran = subprocess.run([SELVIK, "check", folder, *words], capture_output=True, text=True)
    return time.perf_counter() - begun, ran.stdout + ran.stderr


def main():
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--keep", type=pathlib.Path, help="write the cell there and leave it")
    asked = parser.parse_args()
    warnings.simplefilter("ignore")
    with tempfile.TemporaryDirectory() as folder:
        folder = asked.keep or pathlib.Path(folder)
        folder.mkdir(exist_ok=True)
        chosen = arms(pathlib.Path(sys.prefix))
        laid_out(folder, chosen)
        print("triangles", [arm[0] for arm in chosen])
        for words in ([], [], ["--all"]):
            seconds, told = checked(folder, *words)
            print(f"{' '.join(['check', *words])}: {seconds:.2f} s, {told.splitlines()[0]}")


if __name__ == "__main__":
    main()
