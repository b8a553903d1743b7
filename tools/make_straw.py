"""Writes tests/golden/data/straw.gltf: a scarecrow in which nothing is alike and nothing is alone. Run again only to change it.

Inches, +Z up, facing -Y. Two skins that share joints, meshes of two nodes, primitives with other attributes, one to eight
influences as bytes, shorts and floats, morph targets with weights of a mesh and of a node, a mirrored and uneven parent,
two cameras, two timelines of other lengths, names with a prefix, =, & and letters beyond ASCII, joints in another order
than nodes, pictures with and without alpha, a wheel, a scarf, a lantern.
"""
import base64
import json
import math
import pathlib
import random
import struct
import zlib

DICE = random.Random(1866)
P = "yard:"
blob, views, accessors, nodes, places = bytearray(), [], [], [], {}


def add(values, kind, component=5126, normalized=False, bounds=False):
    """An accessor of rows of numbers."""
    pack = {5126: "f", 5123: "H", 5121: "B", 5125: "I"}[component]
    while len(blob) % 4:
        blob.append(0)
    start, width = len(blob), {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}[kind]
    rows = [v if isinstance(v, (list, tuple)) else [v] for v in values]
    size = struct.calcsize(pack) * width
    stride = -(-size // 4) * 4 if kind != "SCALAR" else size
    for row in rows:
        blob.extend(struct.pack(f"<{width}{pack}", *row).ljust(stride, b"\0"))
    view = {"buffer": 0, "byteOffset": start, "byteLength": len(blob) - start}
    if stride != size:
        view["byteStride"] = stride
    views.append(view)
    a = {"bufferView": len(views) - 1, "componentType": component, "count": len(rows), "type": kind}
    if normalized:
        a["normalized"] = True
    if bounds:
        a["min"] = [struct.unpack("<f", struct.pack("<f", min(c)))[0] for c in zip(*rows)]
        a["max"] = [struct.unpack("<f", struct.pack("<f", max(c)))[0] for c in zip(*rows)]
    accessors.append(a)
    return len(accessors) - 1


def turn(axis, degrees):
    n = math.sqrt(sum(c * c for c in axis))
    s = math.sin(math.radians(degrees) / 2)
    return [c / n * s for c in axis] + [math.cos(math.radians(degrees) / 2)]


def times(a, b):
    (x, y, z, w), (p, q, r, s) = a, b
    return [w * p + x * s + y * r - z * q, w * q - x * r + y * s + z * p, w * r + x * q - y * p + z * s,
            w * s - x * p - y * q - z * r]


def rotated(q, v):
    return times(times(q, list(v) + [0]), [-q[0], -q[1], -q[2], q[3]])[:3]


WORLD = {}


def node(name, parent, place, rotation=None, **more):
    """A node at a place of the world, turned in the world; its parents are turned and not scaled."""
    rotation = rotation or [0, 0, 0, 1]
    up_place, up_turn = WORLD[parent] if parent else ([0, 0, 0], [0, 0, 0, 1])
    back = [-c for c in up_turn[:3]] + [up_turn[3]]
    one = {"name": P + name, "translation": rotated(back, [a - b for a, b in zip(place, up_place)]),
           "rotation": times(back, rotation), **more}
    nodes.append(one)
    places[name] = len(nodes) - 1
    WORLD[name] = (place, rotation)
    if parent:
        nodes[places[parent]].setdefault("children", []).append(places[name])


# Joints point along their own +Y, each turned a little otherwise; left is +X.
node("figure", None, [0, 0, 0], turn([0, 0, 1], 0))
node("watch", "figure", [61, -130, 55], times(turn([0, 0, 1], 25), turn([1, 0, 0], 83)), camera=0)
node("head", "figure", [0.3, 0.4, 61.9], turn([1, 0, 0], 87))
nodes[0]["children"].remove(places["head"])  # it hangs on the neck, which comes later
node("hips", "figure", [0.2, 0.7, 36.7], turn([1, 0.1, 0], 92))
node("lean", "hips", [0.2, 0.9, 44.1], turn([1, 0.05, 0.1], 84))
node("chest", "lean", [0.3, 1.1, 51.3], turn([1, -0.1, 0.05], 95))
for side, s in (("L", 1), ("R", -1)):
    node(f"arm.{side}", "chest", [s * 6.9, 1.3, 54.7], times(turn([0, 0, 1], s * -97), turn([1, 0, 0], 7)))
    node(f"forearm.{side}", f"arm.{side}", [s * 17.8, 2.1, 53.9], times(turn([0, 0, 1], s * -84), turn([1, 0, 0], -5)))
    node(f"hand.{side}", f"forearm.{side}", [s * 27.2, 1.2, 54.4], times(turn([0, 0, 1], s * -91), turn([1, 0, 0], 3)))
    node(f"thigh.{side}", "hips", [s * 4.1, 0.6, 35.3], times(turn([0, 0, 1], s * 4), turn([1, 0, 0], -88)))
    node(f"shin.{side}", f"thigh.{side}", [s * 4.6, -0.7, 19.6], times(turn([0, 0, 1], s * 3), turn([1, 0, 0], -93)))
    node(f"foot.{side}", f"shin.{side}", [s * 4.9, 0.8, 3.9], times(turn([0, 0, 1], s * 6), turn([1, 0, 0], -171)))
last = "chest"
for k, (x, y, z) in enumerate([(-2.1, 3.9, 53.6), (-2.7, 5.8, 49.9), (-2.4, 6.6, 45.7), (-3.1, 7.3, 41.2)]):
    node(f"scarf.{k + 1}", last, [x, y, z], turn([1, 0.1 * k, 0], -80 - 4 * k))
    last = f"scarf.{k + 1}"
node("neck", "chest", [0.2, 0.9, 57.2], turn([1, 0, 0.02], 91))
hd = nodes[places["head"]]
up_place, up_turn = WORLD["neck"]
back = [-c for c in up_turn[:3]] + [up_turn[3]]
hd["translation"] = rotated(back, [a - b for a, b in zip(WORLD["head"][0], up_place)])
hd["rotation"] = times(back, WORLD["head"][1])
nodes[places["neck"]]["children"] = [places["head"]]
node("eye", "head", [1.4, -3.1, 63.2], turn([0, 0, 1], 14), camera=1)
node("lantern", "figure", [-31.3, -4.2, 40.9], turn([0, 0, 1], -12))
node("barrow", "figure", [44.1, -6.3, 11.7], turn([0, 0, 1], 9))
node("barrow_wheel", "barrow", [44.7, -19.2, 6.1], turn([0, 0, 1], 9))
# Controls.
node("hips_ctl", "figure", [0.2, 0.7, 36.7], turn([0, 0, 1], 3))
node("look", "figure", [3.3, -48, 60.2])
node("scarf_goal", "figure", [-4.4, 10.2, 42.3])
for side, s in (("L", 1), ("R", -1)):
    node(f"foot_goal.{side}", "figure", [s * 4.9, 0.8, 3.9], turn([0, 0, 1], s * 6))
    node(f"knee.{side}", "figure", [s * 5.7, -24, 21])
    node(f"hand_goal.{side}", "figure", [s * 26.6, 0.4, 53.1], turn([0, 0, 1], s * -88))
    node(f"elbow.{side}", "figure", [s * 16, 27, 50])

JOINTS = ["chest", "hips", "head", "thigh.L", "thigh.R", "shin.R", "shin.L", "foot.L", "foot.R", "arm.R", "arm.L", "forearm.L",
          "forearm.R", "hand.R", "hand.L", "neck", "scarf.1", "scarf.2", "scarf.3", "scarf.4"]


def inverse_bind(name):
    place, q = WORLD[name]
    rows = [rotated([-q[0], -q[1], -q[2], q[3]], e) for e in ([1, 0, 0], [0, 1, 0], [0, 0, 1])]
    # Columns of the inverse: its rotation, and what brings the place home.
    home = [-c for c in rotated([-q[0], -q[1], -q[2], q[3]], place)]
    return [c for row in rows for c in row + [0]] + home + [1]


def cloud(joints, many, reach):
    """Vertices about joints, with the joints that are nearest and their weights."""
    out = []
    for i in range(many):
        place = [c + DICE.uniform(-reach, reach) for c in WORLD[joints[i % len(joints)]][0]]
        near = sorted(joints, key=lambda j: math.dist(WORLD[j][0], place))
        out.append((place, near))
    return out


def skinned(joints, all_joints, many, reach, influences, component, weight_component, uv, targets):
    vertices = cloud(joints, many, reach)
    rows = [[] for _ in range(-(-influences // 4))], [[] for _ in range(-(-influences // 4))]
    for place, near in vertices:
        use = near[:1 + DICE.randrange(influences)]
        raw = [1 / (1 + math.dist(WORLD[j][0], place)) for j in use]
        share = [r / sum(raw) for r in raw]
        if weight_component != 5126:
            top = 255 if weight_component == 5121 else 65535
            share = [round(s * top) for s in share]
            share[0] += top - sum(share)
        ids = [all_joints.index(j) for j in use] + [0] * (4 * len(rows[0]) - len(use))
        share += [0] * (4 * len(rows[0]) - len(share))
        for k in range(len(rows[0])):
            rows[0][k].append(ids[4 * k:4 * k + 4]), rows[1][k].append(share[4 * k:4 * k + 4])
    attributes = {"POSITION": add([v[0] for v in vertices], "VEC3", bounds=True)}
    normals = [[DICE.gauss(0, 1) for _ in range(3)] for _ in vertices]
    attributes["NORMAL"] = add([[c / math.hypot(*n) for c in n] for n in normals], "VEC3")
    if uv:
        attributes["TEXCOORD_0"] = add([[DICE.random(), DICE.random()] for _ in vertices], "VEC2")
    for k in range(len(rows[0])):
        attributes[f"JOINTS_{k}"] = add(rows[0][k], "VEC4", component)
        attributes[f"WEIGHTS_{k}"] = add(rows[1][k], "VEC4", weight_component, weight_component != 5126)
    order = list(range(many)) + [DICE.randrange(many) for _ in range(2 * many)]
    order = [i for a, b, c in zip(*[iter(order)] * 3) if len({a, b, c}) == 3 for i in (a, b, c)]
    one = {"attributes": attributes, "indices": add(order, "SCALAR", 5123), "material": 1 if uv else 0}
    if targets:
        one["targets"] = [{"POSITION": add([[DICE.uniform(-t, t) for _ in range(3)] for _ in vertices], "VEC3", bounds=True)}
                          for t in targets]
    return one


def box(a, b, c):
    corners = [[x, y, z] for x in (-a, a) for y in (-b * 0.9, b) for z in (0, c)]
    faces = [0, 1, 3, 0, 3, 2, 4, 6, 7, 4, 7, 5, 0, 4, 5, 0, 5, 1, 2, 3, 7, 2, 7, 6, 0, 2, 6, 0, 6, 4, 1, 5, 7, 1, 7, 3]
    return {"attributes": {"POSITION": add(corners, "VEC3", bounds=True)}, "indices": add(faces, "SCALAR", 5123)}


BODY = [j for j in JOINTS if not j.startswith("scarf")]
CLOTH = ["scarf.3", "scarf.1", "chest", "scarf.4", "scarf.2", "neck"]
meshes = [
    {"name": P + "coat", "weights": [0.13, 0.0, 0.07], "extras": {"targetNames": ["puff", "brow up", "blinzel=ä"]},
     "primitives": [skinned(BODY, JOINTS, 96, 3.1, 6, 5121, 5126, True, [0.9, 1.7, 0.4]),
                    skinned(BODY[:7], JOINTS, 42, 2.3, 3, 5123, 5121, False, [0.6, 0.8, 1.1])]},
    {"name": P + "straw=&hay", "primitives": [skinned(CLOTH, CLOTH, 45, 1.9, 4, 5121, 5123, True, [])]},
    {"name": P + "hat", "primitives": [box(4.3, 5.1, 6.7)]},
    {"name": P + "wheel", "primitives": [box(1.2, 5.6, 5.9)]},
    {"name": P + "glass", "weights": [0.31], "extras": {"targetNames": ["swell"]},
     "primitives": [dict(box(1.7, 2.2, 4.9), targets=[{"POSITION": add([[0.3 * k - 1, 0.2 * k, 0.1 * k] for k in range(8)],
                                                                       "VEC3", bounds=True)}])]}]
node("coat", None, [0, 0, 0], mesh=0, skin=0, weights=[0.21, 0.05, 0.0])
node("straw=&hay", None, [0, 0, 0], mesh=1, skin=1)
node("hat", "head", [0.5, 0.2, 66.8], turn([0.2, 0.1, 1], 17), mesh=2)
nodes[places["hat"]]["scale"] = [-1.1, 0.9, 1.3]  # mirrored, uneven
nodes[places["barrow_wheel"]]["mesh"] = 3
nodes[places["lantern"]].update(mesh=4, weights=[0.44])

animations = []


def timeline(name, end, rate, keys):
    """keys: node, path, interpolation and a function of u from 0 to 1; `holds` leave the last value."""
    channels, samplers = [], []
    for target, path, form, count, value in keys:
        u = [k / (count - 1) for k in range(count)]
        seconds = [round(end * x * rate) / rate for x in u]
        rows = [value(x) for x in u]
        if path == "weights":
            rows = [c for r in rows for c in r]
        elif form == "CUBICSPLINE":
            slope = [[(b - a) * 0.7 / end * (count - 1) for a, b in zip(rows[max(k - 1, 0)], rows[min(k + 1, count - 1)])]
                     for k in range(count)]
            rows = [x for k in range(count) for x in (slope[k], rows[k], slope[k])]
        kind = {"rotation": "VEC4", "weights": "SCALAR"}.get(path, "VEC3")
        samplers.append({"input": add(seconds, "SCALAR", bounds=True), "output": add(rows, kind), "interpolation": form})
        channels.append({"sampler": len(samplers) - 1, "target": {"node": places[target], "path": path}})
    animations.append({"name": P + name, "channels": channels, "samplers": samplers})


def wave(a, f, p=0.0):
    return lambda u: a * math.sin(2 * math.pi * (f * u + p))


def moved(name, far, *waves):
    at = nodes[places[name]]["translation"]
    return lambda u: [c + d * u + w(u) for c, d, w in zip(at, far, waves)]


def turned(name, axis, by):
    at = nodes[places[name]]["rotation"]
    return lambda u: times(at, turn(axis, by(u)))


z = wave(0, 1)
day = [("hips_ctl", "translation", "CUBICSPLINE", 9, moved("hips_ctl", [1.9, -41, 0.7], wave(1.3, 1), wave(0.6, 2, 0.1), wave(0.9, 2, 0.2))),
       ("hips_ctl", "rotation", "LINEAR", 13, turned("hips_ctl", [0.1, 0.2, 1], wave(9, 1, 0.05))),
       ("lean", "rotation", "LINEAR", 7, turned("lean", [1, 0.3, 0.2], wave(11, 1, 0.15))),
       ("lean", "scale", "LINEAR", 5, lambda u: [1 + 0.04 * u, 1 + 0.06 * math.sin(3 * u), 1 - 0.03 * u]),
       ("look", "translation", "LINEAR", 6, moved("look", [-7, -40, -3], wave(14, 1), z, wave(6, 2))),
       ("scarf_goal", "translation", "LINEAR", 8, moved("scarf_goal", [2, -40, 1], wave(3, 2), wave(1, 1), wave(2, 1, 0.3))),
       ("neck", "rotation", "STEP", 4, turned("neck", [0.2, 1, 0.1], wave(7, 1, 0.1))),
       ("lantern", "translation", "LINEAR", 7, moved("lantern", [4, -39, 1.1], wave(1.7, 2), wave(1.1, 1), wave(2.3, 3))),
       ("lantern", "rotation", "CUBICSPLINE", 6, turned("lantern", [0.3, 0.1, 1], wave(23, 1, 0.02))),
       ("lantern", "weights", "LINEAR", 5, lambda u: [0.44 + 0.3 * math.sin(5 * u)]),
       ("barrow", "translation", "LINEAR", 10, moved("barrow", [3, -47, 0], wave(0.8, 1), z, z)),
       ("barrow", "rotation", "LINEAR", 5, turned("barrow", [0, 0, 1], lambda u: 12 * u)),
       ("watch", "translation", "LINEAR", 4, moved("watch", [-9, -21, 3], z, z, wave(2, 1))),
       ("coat", "weights", "LINEAR", 11, lambda u: [0.21 + 0.4 * u, 0.05 + 0.6 * math.sin(2 * u) ** 2, 0.7 * u * (1 - u)])]
for side, s, p in (("L", 1, 0.0), ("R", -1, 0.5)):
    day += [(f"foot_goal.{side}", "translation", "LINEAR", 25, moved(f"foot_goal.{side}", [1.9, -41, 0.7], z, wave(5.5, 2, p),
                                                                      lambda u, p=p: max(0, 2.6 * math.sin(2 * math.pi * (2 * u + p))))),
            (f"hand_goal.{side}", "translation", "LINEAR", 9, moved(f"hand_goal.{side}", [-s * 7.3, -43, -9 * (1 + 0.2 * s)], wave(2.2, 1, p),
                                                                    wave(4.1, 2, p), wave(1.7, 1, p))),
            (f"hand_goal.{side}", "rotation", "LINEAR", 5, turned(f"hand_goal.{side}", [0.4, s, 0.3], wave(31, 1, p)))]
timeline("day", 2.0, 24, day)
timeline("dusk & dew", 1.5, 30, [
    ("hips_ctl", "rotation", "LINEAR", 7, turned("hips_ctl", [0, 0, 1], lambda u: 37 * u * u)),
    ("look", "translation", "LINEAR", 5, moved("look", [11, 4, -8], z, wave(3, 1), wave(2, 1))),
    ("hand_goal.L", "translation", "CUBICSPLINE", 6, moved("hand_goal.L", [-9, -6, 7], wave(3, 1), z, wave(2, 2))),
    ("coat", "weights", "STEP", 4, lambda u: [0.6 - 0.5 * u, 0.2 * u, 0.33])])


def png(wide, high, alpha):
    rows = b"".join(b"\0" + bytes(DICE.randrange(40, 220) for _ in range(wide * (4 if alpha else 3))) for _ in range(high))

    def chunk(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
    head = struct.pack(">IIBBBBB", wide, high, 8, 6 if alpha else 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")


def uri(kind, data):
    return f"data:{kind};base64," + base64.b64encode(bytes(data)).decode()


skins = [{"name": P + "body", "joints": [places[j] for j in JOINTS], "skeleton": 0,
          "inverseBindMatrices": add([inverse_bind(j) for j in JOINTS], "MAT4")},
         {"name": P + "cloth", "joints": [places[j] for j in CLOTH],
          "inverseBindMatrices": add([inverse_bind(j) for j in CLOTH], "MAT4")}]
scene = {
    "asset": {"version": "2.0", "generator": "by hand"}, "scene": 0,
    "scenes": [{"name": "yard", "nodes": [0, places["coat"], places["straw=&hay"]], "extras": {"day": 3}}],
    "nodes": nodes, "meshes": meshes, "skins": skins, "animations": animations,
    "cameras": [{"name": "watch", "type": "perspective", "perspective": {"yfov": 0.61, "aspectRatio": 1.5, "znear": 0.4}},
                {"name": "eye", "type": "perspective", "perspective": {"yfov": 0.83, "znear": 0.1, "zfar": 90}}],
    "materials": [{"name": P + "felt", "pbrMetallicRoughness": {"baseColorFactor": [0.71, 0.42, 0.23, 1], "metallicFactor": 0.2}},
                  {"name": P + "straw", "alphaMode": "BLEND", "doubleSided": True,
                   "pbrMetallicRoughness": {"baseColorTexture": {"index": 1}, "roughnessFactor": 0.9}}],
    "textures": [{"source": 0}, {"source": 1}],
    "images": [{"name": "felt", "uri": uri("image/png", png(5, 3, False))}, {"name": "straw", "uri": uri("image/png", png(4, 7, True))}],
    "bufferViews": views, "accessors": accessors,
    "buffers": [{"byteLength": len(blob), "uri": uri("application/octet-stream", blob)}]}
(pathlib.Path(__file__).parent.parent / "tests/golden/data/straw.gltf").write_text(json.dumps(scene, ensure_ascii=False) + "\n")
