"""Writes the golden files that the tests hold Selvik against, from general-purpose libraries.

    make reference

The libraries and their versions stand in the files. Meshes and chains are made up here.
"""
import json
import pathlib

import coal
import numpy as np
import pinocchio as pin
import trimesh
from scipy.spatial.transform import Rotation

OUT = pathlib.Path(__file__).resolve().parents[2] / "crates/selvik-formats/tests/golden"
RNG = np.random.default_rng(7)


def urdf(name, joints):
    """A chain of links l0, l1, … from (type, xyz, rpy, axis)."""
    text = [f'<robot name="{name}">', '<link name="l0"/>']
    for i, (kind, xyz, rpy, axis) in enumerate(joints):
        three = lambda v: " ".join(repr(float(x)) for x in v)
        text.append(
            f'<link name="l{i + 1}"/><joint name="j{i + 1}" type="{kind}"><parent link="l{i}"/><child link="l{i + 1}"/>'
            f'<origin xyz="{three(xyz)}" rpy="{three(rpy)}"/><axis xyz="{three(axis)}"/>'
            '<limit lower="-3" upper="3" velocity="2" effort="1"/></joint>')
    return "\n".join(text + ["</robot>"])


def kinematics():
    chains = {
        "anthropomorphic arm with spherical wrist": [
            ("revolute", (0, 0, 0.4), (0, 0, 0), (0, 0, 1)), ("revolute", (0.1, 0, 0.1), (0, 0, 0), (0, 1, 0)),
            ("revolute", (0, 0, 0.5), (0, 0, 0), (0, 1, 0)), ("revolute", (0.2, 0, 0.05), (0, 0, 0), (1, 0, 0)),
            ("revolute", (0.3, 0, 0), (0, 0, 0), (0, 1, 0)), ("revolute", (0.1, 0, 0), (0, 0, 0), (1, 0, 0))],
        "two turns, a slide and a turn": [
            ("revolute", (0, 0, 0.3), (0, 0, 0), (0, 0, 1)), ("revolute", (0.35, 0, 0.02), (0, 0, 0), (0, 0, 1)),
            ("prismatic", (0.25, 0, 0), (np.pi, 0, 0), (0, 0, 1)), ("revolute", (0, 0, 0.05), (0, 0, 0), (0, 0, 1))],
        "seven skew joints with a fixed one between": [
            ("revolute", RNG.uniform(-.3, .3, 3), RNG.uniform(-1, 1, 3), (1, 0, 0)),
            ("revolute", RNG.uniform(-.3, .3, 3), RNG.uniform(-1, 1, 3), (0, 0.6, 0.8)),
            ("fixed", RNG.uniform(-.3, .3, 3), RNG.uniform(-1, 1, 3), (1, 0, 0)),
            ("revolute", RNG.uniform(-.3, .3, 3), RNG.uniform(-1, 1, 3), (0, 1, 0)),
            ("prismatic", RNG.uniform(-.3, .3, 3), RNG.uniform(-1, 1, 3), (0.8, 0, 0.6)),
            ("revolute", RNG.uniform(-.3, .3, 3), RNG.uniform(-1, 1, 3), (0, 0, 1)),
            ("revolute", RNG.uniform(-.3, .3, 3), RNG.uniform(-1, 1, 3), (1, 0, 0))],
    }
    cases = []
    for name, joints in chains.items():
        text = urdf(name, joints)
        model = pin.buildModelFromXML(text)
        data = model.createData()
        tip = model.getFrameId(f"l{len(joints)}")
        for _ in range(8):
            q = RNG.uniform(-2.5, 2.5, model.nq)
            pin.framesForwardKinematics(model, data, q)
            jacobian = pin.computeFrameJacobian(model, data, q, tip, pin.ReferenceFrame.LOCAL_WORLD_ALIGNED)
            pose = data.oMf[tip]
            cases.append({
                "chain": name, "urdf": text, "tip": f"l{len(joints)}", "q": q.tolist(),
                "xyz_m": pose.translation.tolist(), "quaternion_xyzw": Rotation.from_matrix(pose.rotation).as_quat().tolist(),
                "jacobian": jacobian.tolist()})
    return {"source": f"pin {pin.__version__}", "cases": cases}


def mesh(shape):
    return {"vertices": np.asarray(shape.vertices).tolist(), "triangles": np.asarray(shape.faces).tolist()}


def shapes():
    torus = trimesh.creation.torus(0.3, 0.1, major_sections=24, minor_sections=14)
    return {
        "box": trimesh.creation.box((0.4, 0.3, 0.2)),
        "ball": trimesh.creation.icosphere(subdivisions=2, radius=0.15),
        "torus": torus,
        "pin": trimesh.creation.cylinder(radius=0.04, height=0.6, sections=24),
        "pipe": trimesh.creation.annulus(0.2, 0.3, 0.5, sections=32),
        "pebble": trimesh.creation.icosphere(subdivisions=2, radius=0.05),
    }


def pose(xyz, rpy):
    return np.array(xyz, float), Rotation.from_euler("xyz", rpy)


def distances(all_shapes):
    def model(shape):
        bvh = coal.BVHModelOBBRSS()
        bvh.beginModel(len(shape.faces), len(shape.vertices))
        bvh.addVertices(np.asarray(shape.vertices))
        bvh.addTriangles(np.asarray(shape.faces))
        bvh.endModel()
        return bvh

    pairs = [
        ("apart", "box", "torus", pose((0.9, 0.2, 0.3), (0.3, 0.5, -0.2))),
        ("close", "torus", "ball", pose((0.02, 0.01, 0.24), (0.1, 0.2, 0.3))),
        ("through the hole, not touching", "torus", "pin", pose((0.05, -0.03, 0.1), (0.2, 0.1, 0))),
        ("touching face to face", "box", "box", pose((0.4, 0.05, 0.02), (0, 0, 0))),
        ("crossing", "box", "ball", pose((0.22, 0.1, 0.05), (0.4, 0.1, 0.7))),
        ("contained", "box", "pebble", pose((0.03, -0.02, 0.01), (0.4, 0.1, 0.7))),
        ("in the bore of a pipe", "pipe", "pebble", pose((0.06, 0.05, 0.1), (0, 0, 0))),
    ]
    cases = []
    for name, a, b, (xyz, rotation) in pairs:
        transform = coal.Transform3s.Identity()
        transform.setTranslation(xyz)
        transform.setRotation(rotation.as_matrix())
        result = coal.DistanceResult()
        found = coal.distance(model(all_shapes[a]), coal.Transform3s.Identity(), model(all_shapes[b]), transform,
                              coal.DistanceRequest(), result)
        # coal looks at surfaces only: containment is asked of trimesh.
        inside = bool(all_shapes[a].contains([xyz])[0]) if name == "contained" else False
        cases.append({"name": name, "a": a, "b": b, "xyz_m": xyz.tolist(), "quaternion_xyzw": rotation.as_quat().tolist(),
                      "surface_distance_m": max(found, 0.0), "contained": inside})
    return {"source": f"coal {coal.__version__}", "cases": cases}


def sections(all_shapes):
    cases = []
    for name, shape in all_shapes.items():
        for _ in range(3):
            normal = RNG.normal(size=3)
            normal /= np.linalg.norm(normal)
            point = RNG.uniform(-0.03, 0.03, 3)
            section = shape.section(plane_origin=point, plane_normal=normal)
            if section is None:
                continue
            flat, _ = section.to_2D()
            cases.append({"shape": name, "point_m": point.tolist(), "normal": normal.tolist(),
                          "area_m2": flat.area, "perimeter_m": section.length,
                          "holes": sum(len(p.interiors) for p in flat.polygons_full), "regions": len(flat.polygons_full)})
    masses = {n: {"area_m2": s.area, "volume_m3": s.volume, "centroid_m": s.center_mass.tolist()} for n, s in all_shapes.items()}
    return {"source": f"trimesh {trimesh.__version__}", "cases": cases, "masses": masses}


def main():
    OUT.mkdir(parents=True, exist_ok=True)
    all_shapes = shapes()
    golden = {
        "kinematics": kinematics(), "shapes": {n: mesh(s) for n, s in all_shapes.items()},
        "distances": distances(all_shapes), "sections": sections(all_shapes),
    }
    for name, content in golden.items():
        (OUT / f"{name}.json").write_text(json.dumps(content, indent=None) + "\n")


if __name__ == "__main__":
    main()
