"""Golden file of the smallest distances along random paths, sampled by coal every 0.1 ms.

    make reference

One body on a chain of joints, another that stands: boxes and balls as they come, bodies that pass each other by 0.03 mm, plates
0.2 mm thin and needles 0.1 mm thin that pass by 0.03 to 20 mm, and such bodies 2 km from the origin. Joints go straight from knot
to knot.
"""
import json
import pathlib
from importlib.metadata import version

import coal
import numpy as np
import trimesh
from scipy.spatial.transform import Rotation

OUT = pathlib.Path(__file__).resolve().parents[2] / "crates/selvik-core/tests/golden/sampled.json"
RNG = np.random.default_rng(31)
STEP_S = 1e-4
KNOT_S = 0.2


def box(*size):
    made = trimesh.creation.box(size)
    return np.asarray(made.vertices).round(6), np.asarray(made.faces)


def ball(radius):
    made = trimesh.creation.icosphere(subdivisions=1, radius=radius)
    return np.asarray(made.vertices).round(6), np.asarray(made.faces)


def needle(length):
    tip, foot = [length, 0, 0], np.array([[0, 1, 0], [0, -0.5, 0.8], [0, -0.5, -0.8]]) * 1e-4
    return np.vstack([foot, tip]), np.array([[0, 1, 2], [0, 3, 1], [1, 3, 2], [2, 3, 0]])


def body(kind):
    if kind == "plates":
        return box(*RNG.uniform(0.2, 0.6, 2), 2e-4)
    if kind == "needles":
        return needle(RNG.uniform(0.3, 0.8))
    return box(*RNG.uniform(0.05, 0.5, 3)) if RNG.random() < 0.5 else ball(RNG.uniform(0.05, 0.3))


def pose(xyz, rotation):
    out = np.eye(4)
    out[:3, :3], out[:3, 3] = rotation.as_matrix(), xyz
    return out


def told(pose):
    """Of a pose what the file says: x, y, z (m), quaternion x, y, z, w."""
    return [*pose[:3, 3].tolist(), *Rotation.from_matrix(pose[:3, :3]).as_quat().tolist()]


def moved(joints, values):
    """Where the last link is in its base for each row of `values`."""
    out = np.broadcast_to(np.eye(4), (len(values), 4, 4))
    for k, joint in enumerate(joints):
        own = np.broadcast_to(np.eye(4), (len(values), 4, 4)).copy()
        if joint["slides"]:
            own[:, :3, 3] = values[:, k, None] * joint["axis"]
        else:
            own[:, :3, :3] = Rotation.from_rotvec(values[:, k, None] * joint["axis"]).as_matrix()
        out = out @ joint["at"] @ own
    return out


def model(vertices, faces):
    bvh = coal.BVHModelOBBRSS()
    bvh.beginModel(len(faces), len(vertices))
    for face in faces:
        bvh.addTriangle(*vertices[face])
    bvh.endModel()
    return bvh


def sampled(one, other, relative):
    """The distance at each pose of the second in the frame of the first."""
    request, here, there = coal.DistanceRequest(), coal.Transform3s.Identity(), coal.Transform3s.Identity()
    out = np.empty(len(relative))
    for k, at in enumerate(relative):
        there.setRotation(np.ascontiguousarray(at[:3, :3]))
        there.setTranslation(at[:3, 3].copy())
        out[k] = max(coal.distance(one, here, other, there, request, coal.DistanceResult()), 0.0)
    return out


def case(kind):
    unit = lambda: (lambda v: v / np.linalg.norm(v))(RNG.normal(size=3))
    count = RNG.integers(1, 4)
    joints = [{
        "slides": bool(RNG.random() < 0.4), "axis": unit(),
        "at": pose(RNG.uniform(-0.3, 0.3, 3), Rotation.random(random_state=RNG)),
    } for _ in range(count)]
    knots = RNG.uniform(-1.2, 1.2, (RNG.integers(2, 5), count))
    times = np.arange(len(knots)) * KNOT_S
    mover, post = body(kind), body(kind if RNG.random() < 0.5 else "bodies")
    stands = pose(RNG.uniform(-0.8, 0.8, 3), Rotation.random(random_state=RNG))
    samples = np.arange(round(times[-1] / STEP_S) + 1) * STEP_S
    values = np.column_stack([np.interp(samples, times, knots[:, k]) for k in range(count)])
    ways, trees = moved(joints, values), [model(*mover), model(*post)]
    apart = sampled(*trees, np.linalg.inv(ways) @ stands)
    passes = {"bodies": None, "grazing": 3e-5}.get(kind, RNG.choice([3e-5, 1e-3, 2e-2]))
    if passes:
        # The post is shifted along the line between the closest points until they pass by so much.
        at = ways[apart.argmin()]
        found = coal.DistanceResult()
        there, here = coal.Transform3s.Identity(), coal.Transform3s.Identity()
        here.setRotation(at[:3, :3].copy()), here.setTranslation(at[:3, 3].copy())
        there.setRotation(stands[:3, :3].copy()), there.setTranslation(stands[:3, 3].copy())
        gap = coal.distance(trees[0], here, trees[1], there, coal.DistanceRequest(), found)
        if gap <= passes:
            return None
        line = (found.getNearestPoint1() - found.getNearestPoint2()) / gap
        stands[:3, 3] += line * (gap - passes)
        apart = sampled(*trees, np.linalg.inv(ways) @ stands)
    base = pose([1200.0, -1600.0, 3.0], Rotation.from_euler("z", 0.4)) if kind == "far away" else np.eye(4)
    at = int(apart.argmin())
    return {
        "kind": kind,
        "base": told(base), "post_at": told(base @ stands),
        "joints": [{**joint, "axis": joint["axis"].tolist(), "at": told(joint["at"])} for joint in joints],
        "times_s": times.tolist(), "knots": knots.tolist(),
        "mover": [part.tolist() for part in mover], "post": [part.tolist() for part in post],
        "least_m": float(apart[at]), "at_s": float(samples[at]),
        # How much nearer they may come between two samples.
        "between_m": float(np.abs(np.diff(apart)).max()),
    }


cases = []
for kind, count in [("bodies", 16), ("plates", 12), ("needles", 12), ("grazing", 12), ("far away", 12)]:
    own = []
    while len(own) < count:
        made = case(kind)
        # Most that touch say little; some do.
        if made and (made["least_m"] > 0 or sum(c["least_m"] == 0 for c in own) < count // 4):
            own.append(made)
    cases += own
OUT.write_text(json.dumps({"by": f"coal {version('coal')}, every {STEP_S * 1e3} ms", "cases": cases}) + "\n")
