"""Writes turned and drilled parts made by manifold3d, what they were made of, and what two of them share.

Run by `make reference`; the library and its version stand in the golden file. The parts are made up here, in millimetres; they
are turned in space so that nothing lies along an axis of the file.
"""
import json
import pathlib
from importlib.metadata import version

import manifold3d as m
import numpy as np
import trimesh

OUT = pathlib.Path(__file__).resolve().parents[2] / "crates/selvik-formats/tests/golden/features"
TURN = (20.0, -35.0, 50.0)


def hole(radius, height, at, top=None, facets=48):
    """A drill along Z from below the origin; with `top` a taper."""
    body = m.Manifold.cylinder(height, radius, radius if top is None else top, facets)
    return body.translate(at)


def plate():
    """A plate with bores, a counterbore, a countersink and a slot."""
    body = m.Manifold.cube((120, 80, 20), True)
    tools = [
        hole(12.49, 40, (0, 0, -20), facets=64),
        hole(4.25, 40, (-45, 25, -20)),
        hole(4.25, 40, (-45, -25, -20), facets=24),
        hole(7.0, 12, (-45, 25, 2), facets=36),
        hole(3.3, 40, (45, 25, -20), facets=16),
        hole(3.3, 3.7, (45, 25, 6.3), top=7.0, facets=32),
    ]
    slot = m.Manifold.cube((20, 9, 40), True) + hole(4.5, 40, (-10, 0, -20)) + hole(4.5, 40, (10, 0, -20))
    tools.append(slot.translate((30, -25, 0)))
    for tool in tools:
        body -= tool
    return body, {
        "holes": [24.98, 8.5, 8.5, 14.0, 6.6], "pins": [],
        "cones": [np.degrees(np.arctan((7.0 - 3.3) / 3.7))], "slots": [[9.0, 20.0]], "spheres": [], "tori": [],
    }


def shaft():
    """A stepped shaft with a fillet, a round end, and a hole across it."""
    fillet = [(15 + 4 - 4 * np.cos(a), 44 - 4 * np.sin(a)) for a in np.linspace(0, np.pi / 2, 7)]
    ball = [(15 * np.cos(a), 90 + 15 * np.sin(a)) for a in np.linspace(0, np.pi / 2, 13)]
    profile = [(0, 0), (25, 0), (25, 40)] + fillet[::-1] + ball
    body = m.CrossSection([np.array(profile)]).revolve(72)
    across = m.Manifold.cylinder(80, 5.5, 5.5, 40, True).rotate((90, 0, 0)).translate((0, 0, 65))
    body -= across
    return body, {
        "holes": [11.0], "pins": [50.0, 30.0], "cones": [], "slots": [], "spheres": [30.0], "tori": [[38.0, 8.0]],
    }


def block():
    """A block with rounded upright edges, crossing bores and a tapered pin."""
    square = m.CrossSection.square((60, 40), True).offset(-8, m.JoinType.Miter)
    body = square.offset(8, m.JoinType.Round, 2, 32).extrude(30)
    body -= hole(6.0, 60, (0, 0, -10), facets=50)
    body -= m.Manifold.cylinder(100, 6.0, 6.0, 50, True).rotate((0, 90, 0)).translate((0, 0, 15))
    body += hole(5.0, 20, (20, 8, 29), top=4.0, facets=30)
    return body, {
        "holes": [12.0, 12.0, 12.0], "pins": [16.0] * 4, "cones": [np.degrees(np.arctan(1 / 20))], "slots": [], "spheres": [],
        "tori": [],
    }


def main():
    OUT.mkdir(parents=True, exist_ok=True)
    golden = {"source": f"manifold3d {version('manifold3d')}", "parts": {}}
    written = {}
    for make in [plate, shaft, block]:
        body, made_of = make()
        mesh = body.rotate(TURN).translate((310, -120, 45)).to_mesh()
        shape = trimesh.Trimesh(mesh.vert_properties[:, :3], mesh.tri_verts, process=False)
        (OUT / f"{make.__name__}.stl").write_bytes(shape.export(file_type="stl"))
        golden["parts"][make.__name__] = made_of
        written[make.__name__] = m.Manifold(mesh)
    # What two of them share, the second moved.
    golden["shared"] = []
    for one, other, by in [("plate", "shaft", (4, 3, -20)), ("plate", "block", (25, -10, 6)), ("shaft", "block", (0, 0, 30))]:
        both = written[one] ^ written[other].translate(by)
        golden["shared"].append({"a": one, "b": other, "by_mm": by, "volume_mm3": both.volume()})
    (OUT.parent / "features.json").write_text(json.dumps(golden, indent=1) + "\n")


main()
