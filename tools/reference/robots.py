"""Holds link poses of an open set of robots against `pin`: every URDF of PyPI's `example-robot-data`.

Run by `make robots`, outside the tests. Each is brought in alone, without meshes, as a package of one item; where its links are with
made-up joint values is compared. What is refused is told with its reason.
"""
import json
import math
import pathlib
import random
import subprocess
import sys
import tempfile
import warnings
from xml.etree import ElementTree

import numpy as np
import pinocchio as pin

ROOT = pathlib.Path(__file__).resolve().parents[2]
SELVIK = ROOT / "target/release/selvik"
POSTURES = 3


def package(folder, urdf):
    """A cell of this robot alone."""
    (folder / "robot.urdf").write_bytes(urdf.read_bytes())
    item = {"id": "r", "name": "Robot", "role": "robot", "mechanism": {"from": {"urdf": "robot.urdf"}}}
    cell = {"format": "selvik-cell/1", "name": "One robot", "items": [item]}
    (folder / "cell.json").write_text(json.dumps(cell))


def asked(folder, *words):
    ran = subprocess.run([SELVIK, "query", folder, "poses", *words], capture_output=True, text=True)
    if ran.returncode:
        return None, ran.stderr.strip()
    return json.loads(ran.stdout), ""


def mimics(urdf):
    """Joints that follow another: its name, how much of it, and what is added."""
    found = {}
    for joint in ElementTree.parse(urdf).iter("joint"):
        mimic = joint.find("mimic")
        if mimic is not None:
            by = float(mimic.get("multiplier", 1)), float(mimic.get("offset", 0))
            found[joint.get("name")] = (mimic.get("joint"), *by)
    return found


def values(model, answer, follows, chance):
    """Made-up values of the joints that are free here, by name: degrees or mm, and as a configuration of the model."""
    made, words = {}, []
    free = {key.split("/", 1)[1] for key in answer["joints_deg_or_mm"]}
    for name in sorted(free & set(model.names)):
        joint = model.joints[model.getJointId(name)]
        low, high = -3.0, 3.0
        if joint.nq == 1:
            low = max(low, float(model.lowerPositionLimit[joint.idx_q]))
            high = min(high, float(model.upperPositionLimit[joint.idx_q]))
        if not low < high:
            low, high = 0.0, 0.0
        made[name] = chance.uniform(low + 0.01 * (high - low), high - 0.01 * (high - low))
        turns = "R" in joint.shortname().replace("JointModel", "")[:2]
        told = math.degrees(made[name]) if turns else made[name] * 1e3
        words += ["--joint", f"r/{name}={told!r}"]
    for name, (of, share, more) in follows.items():
        if of in made:
            made[name] = share * made[of] + more
    q = pin.neutral(model)
    for name in set(made) & set(model.names):
        joint = model.joints[model.getJointId(name)]
        value = made[name]
        q[joint.idx_q : joint.idx_q + joint.nq] = value if joint.nq == 1 else (math.cos(value), math.sin(value))
    return q, words


def farthest_off(urdf, folder):
    """By how much the links are off at most, mm; or why the robot is refused."""
    package(folder, urdf)
    answer, reason = asked(folder)
    if answer is None:
        return None, 0, reason
    model = pin.buildModelFromUrdf(str(urdf))
    data, chance = model.createData(), random.Random(7)
    worst, links = 0.0, 0
    for _ in range(POSTURES):
        q, words = values(model, answer, mimics(urdf), chance)
        answer, reason = asked(folder, *words)
        if answer is None:
            return None, 0, reason
        pin.framesForwardKinematics(model, data, q)
        found, links = answer["items"]["r"]["links"], 0
        root = None
        for frame, pose in zip(model.frames, data.oMf):
            if frame.type != pin.FrameType.BODY or frame.name not in found:
                continue
            links += 1
            mine = found[frame.name]
            own = pin.SE3(pin.Quaternion(*(mine["quaternion_xyzw"][i] for i in (3, 0, 1, 2))).matrix(), np.array(mine["xyz_mm"]) * 1e-3)
            root = root if root is not None else own * pose.inverse()
            away = (root * pose).inverse() * own
            # A turn counts at a metre.
            worst = max(worst, 1e3 * max(abs(away.translation)), 1e3 * math.dist((0, 0, 0), pin.log3(away.rotation)))
    return worst, links, ""


def main():
    warnings.simplefilter("ignore")
    share = pathlib.Path(sys.argv[1]) if len(sys.argv) > 1 else pathlib.Path(sys.prefix)
    found = sorted(p for p in share.rglob("*.urdf") if "robots" in p.parts)
    agree, refused, off = 0, [], []
    for urdf in found:
        with tempfile.TemporaryDirectory() as folder:
            worst, links, reason = farthest_off(urdf, pathlib.Path(folder))
        if worst is None:
            refused.append(reason)
        elif worst <= 1e-6:
            agree += 1
        else:
            off.append((urdf.name, worst))
        print(f"{urdf.name}: {reason or f'{links} links, {worst:.2g} mm'}", file=sys.stderr)
    print(f"{len(found)} robots: {agree} agree within 1e-6 mm, {len(refused)} refused, {len(off)} differ")
    for reason in refused:
        print(f"  refused: {reason}")
    for name, worst in off:
        print(f"  differs: {name} by {worst:.3g} mm")
    sys.exit(bool(off))


main()
