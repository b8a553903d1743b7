#!/usr/bin/env python3
"""Converts the demo's clips and its whole scene between all formats and measures source against result.

Usage: round_trips.py MELLOW   prints the table of docs/formats.md
"""
import json
import pathlib
import subprocess
import sys
import tempfile

tool = sys.argv[1]
TRUE = ["--unit", "centimetre", "--up", "+Z", "--front", "-Y"]  # what the demo's scene file lies about


def run(*arguments, fine=(0,)):
    done = subprocess.run([tool, *map(str, arguments)], capture_output=True, text=True)
    if done.returncode not in fine:
        sys.exit(f"{' '.join(map(str, arguments))}\n{done.stderr}")
    return done.stdout


def line(what, a, b, *options):
    run("convert", a, b, "--replace", *options)
    c = json.loads(run("compare", a, b, "--json", fine=(0, 1)))
    place, turn, height = c["joint_position_mm"]["worst"], c["joint_rotation_degrees"]["worst"], c["height_m"]
    cells = [what, a.suffix[1:], b.suffix[1:] + (f" ({' '.join(options)})" if options else ""), f"{place:.1e}",
             f"{place / 1000 / height:.0e}", f"{turn:.1e}"]
    for kind in ("vertex_mm", "morph_weight"):
        cells.append(f"{c[kind]['worst']:.1e}" if c[kind]["compared"] else "-")
    print("| " + " | ".join(cells) + " |")


with tempfile.TemporaryDirectory() as folder:
    made = pathlib.Path(folder)
    run("demo", made / "demo", "--quiet")
    print("| what | from | to | worst joint, mm | in heights | worst turn, degrees | worst vertex, mm | worst weight |")
    print("|---|---|---|---|---|---|---|---|")
    whole = made / "scene.glb"
    run("convert", made / "demo/tamsin.glb", whole, *TRUE)
    for name in ("scene", "walk", "pick"):
        source = whole if name == "scene" else made / f"demo/crates/tamsin/clips/{name}.glb"
        line(name, source, made / f"{name}.gltf")
        line(name, source, made / f"{name}.dae")
        line(name, source, made / f"{name}_m.dae", "--matrices")
        line(name, made / f"{name}.dae", made / f"{name}_2.glb")
        line(name, made / f"{name}.dae", made / f"{name}_3.dae", "--order", "XZY", "--target", "z-up-centimetre")
        if name == "scene":
            continue  # BVH holds no rig: its clips are below
        line(name, source, made / f"{name}.bvh")
        line(name, made / f"{name}.bvh", made / f"{name}_4.glb")
        line(name, made / f"{name}.bvh", made / f"{name}_5.dae")
        line(name, made / f"{name}.dae", made / f"{name}_6.bvh")
        line(name, made / f"{name}.bvh", made / f"{name}_7.bvh", "--order", "XYZ")
