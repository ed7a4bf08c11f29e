"""Golden file of signed distances between boxes, balls, capsules and cylinders, one inside another or apart, by coal.

    make reference

Below 0 the shapes overlap, by as much as they would have to be parted.
"""
import json
import pathlib
from importlib.metadata import version

import coal
import numpy as np

OUT = pathlib.Path(__file__).resolve().parents[2] / "crates/selvik-formats/tests/golden/signed.json"
RNG = np.random.default_rng(23)
KINDS = ["box", "sphere", "capsule", "cylinder"]


def shape(size):
    kind = KINDS[RNG.integers(4)]
    a, b, c = (RNG.uniform(0.3, 1.0, 3) * size).round(4)
    if kind == "box":
        return {"box": [a, b, c]}, coal.Box(a, b, c)
    if kind == "sphere":
        return {"sphere": {"radius": a / 2}}, coal.Sphere(a / 2)
    if kind == "capsule":
        return {"capsule": {"radius": a / 2, "length": b}}, coal.Capsule(a / 2, b)
    return {"cylinder": {"radius": a / 2, "length": b}}, coal.Cylinder(a / 2, b)


def case():
    # A small one in or near a large one as often as two alike.
    sizes = [0.5, 0.5] if RNG.random() < 0.5 else [1.0, 0.15]
    (one, a), (two, b) = shape(sizes[0]), shape(sizes[1])
    xyz = RNG.normal(0.0, 0.25, 3)
    q = RNG.normal(0.0, 1.0, 4)
    q /= np.linalg.norm(q)
    there = coal.Transform3s()
    there.setTranslation(xyz)
    there.setQuatRotation(coal.Quaternion(q[3], q[0], q[1], q[2]))
    request = coal.DistanceRequest()
    request.enable_signed_distance = True
    request.gjk_tolerance = 1e-9
    request.epa_tolerance = 1e-8
    request.gjk_max_iterations = 2000
    request.epa_max_iterations = 2000
    found = coal.distance(a, coal.Transform3s(), b, there, request, coal.DistanceResult())
    return {"a": one, "b": two, "xyz_m": xyz.tolist(), "quaternion_xyzw": q.tolist(), "signed_m": found}


OUT.write_text(json.dumps({"by": f"coal {version('coal')}", "cases": [case() for _ in range(600)]}) + "\n")
