"""Golden files for what lies inside (winding numbers by libigl) and for joints that mimic others (pin).

    make reference

Meshes and mechanisms are made up here.
"""
import json
import pathlib
from importlib.metadata import version

import igl
import numpy as np
import pinocchio as pin

OUT = pathlib.Path(__file__).resolve().parents[2] / "crates/selvik-formats/tests/golden"
RNG = np.random.default_rng(11)


def ball(facets):
    """A unit ball of `facets` meridians, as triangles that look outwards."""
    rings = facets // 2
    v = [(0.0, 0.0, 1.0)]
    for r in range(1, rings):
        for i in range(facets):
            p, a = np.pi * r / rings, 2 * np.pi * i / facets
            v.append((np.sin(p) * np.cos(a), np.sin(p) * np.sin(a), np.cos(p)))
    v.append((0.0, 0.0, -1.0))
    at = lambda r, i: 1 + (r - 1) * facets + i % facets
    f = []
    for i in range(facets):
        f.append((0, at(1, i), at(1, i + 1)))
        for r in range(1, rings - 1):
            f += [(at(r, i), at(r + 1, i), at(r + 1, i + 1)), (at(r, i), at(r + 1, i + 1), at(r, i + 1))]
        f.append((len(v) - 1, at(rings - 1, i + 1), at(rings - 1, i)))
    return np.array(v), np.array(f)


def moved(mesh, scale, shift):
    return mesh[0] * scale + np.array(shift), mesh[1]


def together(*meshes):
    base, vs, fs = 0, [], []
    for v, f in meshes:
        vs.append(v)
        fs.append(f + base)
        base += len(v)
    return np.vstack(vs), np.vstack(fs)


def inside():
    whole = ball(14)
    meshes = {
        "a ball": whole,
        "two balls that overlap": together(whole, moved(whole, (0.7, 0.8, 0.6), (0.9, 0.1, 0.0))),
        "a hollow ball": together(whole, (whole[0] * 0.6, whole[1][:, ::-1])),
        "a ball with holes": (whole[0], np.delete(whole[1], [3, 40, 77, 120], axis=0)),
        "half a ball": (whole[0], whole[1][: len(whole[1]) // 2]),
        "a ball and an open one": together(whole, moved((whole[0], whole[1][8:]), (0.5, 0.5, 0.5), (2.0, 0.0, 0.0))),
    }
    cases = []
    for name, (v, f) in meshes.items():
        points = RNG.uniform(v.min(0) - 0.2, v.max(0) + 0.2, (60, 3))
        w = igl.winding_number(np.ascontiguousarray(v), np.ascontiguousarray(f, dtype=np.int64), points)
        cases.append({"name": name, "vertices": v.tolist(), "triangles": f.tolist(),
                      "points": points.tolist(), "winding": np.asarray(w).ravel().tolist()})
    return {"source": f"libigl {version('libigl')}, winding_number", "cases": cases}


def mimic():
    text = """<robot name="gripper"><link name="palm"/><link name="driver"/><link name="left"/><link name="right"/><link name="tip"/>
<joint name="a_drive" type="revolute"><parent link="palm"/><child link="driver"/><origin xyz="0.01 0.02 0.1" rpy="0.1 0.2 0.3"/><axis xyz="0 1 0"/><limit lower="-1" upper="1" velocity="1" effort="1"/></joint>
<joint name="close_left" type="prismatic"><parent link="palm"/><child link="left"/><origin xyz="0 0.05 0.1"/><axis xyz="0 1 0"/><mimic joint="a_drive" multiplier="-0.03" offset="0.01"/><limit lower="-1" upper="1" velocity="1" effort="1"/></joint>
<joint name="close_right" type="prismatic"><parent link="palm"/><child link="right"/><origin xyz="0 -0.05 0.1"/><axis xyz="0 -1 0"/><mimic joint="a_drive" multiplier="-0.03" offset="0.01"/><limit lower="-1" upper="1" velocity="1" effort="1"/></joint>
<joint name="knuckle" type="revolute"><parent link="driver"/><child link="tip"/><origin xyz="0 0 0.06" rpy="0 0.4 0"/><axis xyz="0.6 0.8 0"/><mimic joint="a_drive" multiplier="1.5" offset="-0.2"/><limit lower="-3" upper="3" velocity="1" effort="1"/></joint>
</robot>"""
    model = pin.buildModelFromXML(text, mimic=True)
    data = model.createData()
    cases = []
    for value in (-0.6, 0.0, 0.35, 0.8):
        pin.framesForwardKinematics(model, data, np.array([value]))
        poses = {}
        for link in ("driver", "left", "right", "tip"):
            pose = data.oMf[model.getFrameId(link)]
            poses[link] = {"xyz_m": pose.translation.tolist(), "quaternion_xyzw": pin.Quaternion(pose.rotation).coeffs().tolist()}
        cases.append({"drive": value, "poses": poses})
    return {"source": f"pin {version('pin')}", "urdf": text, "cases": cases}


if __name__ == "__main__":
    for name, golden in (("inside", inside()), ("mimic", mimic())):
        (OUT / f"{name}.json").write_text(json.dumps(golden) + "\n")
