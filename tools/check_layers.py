#!/usr/bin/env python3
"""A stage may include base, math, model and itself; only pack, the tool, the demo and the examples join stages.

Usage: check_layers.py ROOT. Public headers belong to the stage that implements them, found by name below.
"""
import pathlib
import re
import sys

GROUND = ["base", "math", "model"]
STAGES = ["read", "rig", "bake", "shape", "travel", "fit", "write", "crate", "prove", "draw", "pack", "play"]
HEADERS = {
    "base": ["bytes", "finding", "result", "parallel"],
    "math": ["vec3", "quat", "transform", "euler"],
    "model": ["rate", "curve", "convention", "scene", "skeleton", "clip", "pose", "pose_tile", "playback", "sample_plan",
              "joint_map", "motion_table", "motion_text", "joint_source", "joint_tile", "take", "node_mask", "true_convention", "transform_stack", "value_curve"],
    "read": ["read"], "rig": ["lift", "performance", "rig", "rig_rules", "rig_sheet"], "bake": ["bake"], "shape": ["motion_check", "shape", "shaping"], "travel": ["travel"],
    "fit": ["fit", "joint_fit"], "write": ["write"], "crate": ["safe_write"], "prove": ["prove", "stock", "compare"], "draw": ["sheet", "pictures"],
    "pack": ["mellow", "bake_file", "check", "draft", "pack", "page", "recipe", "share", "target", "crate", "convert_file", "rig_stock", "write_crate"],
    "play": ["play", "states"],
}
OWNER = {name: stage for stage, names in HEADERS.items() for name in names}
FORBIDDEN_IN_CORE = ["<fstream>", "<iostream>", "<cstdio>", "<filesystem>", "<chrono>", "<ctime>", "<thread>", "<fmt/core.h>"]
CORE = GROUND + ["rig", "bake", "shape", "travel", "fit", "prove"]


def allowed(stage):
    if stage in GROUND:
        return set(GROUND[: GROUND.index(stage) + 1])
    if stage == "play":  # what an engine has: crates
        return set(GROUND + ["pack", "play"])
    return set(GROUND + STAGES) if stage == "pack" else set(GROUND + [stage])


def check(root):
    bad, seen = [], 0
    files = [(p, OWNER.get(p.stem, "?")) for p in sorted((root / "include/mellow").glob("*.h"))]
    files += [(p, p.parent.name) for p in sorted((root / "src").glob("*/*")) if p.suffix in (".h", ".cpp")]
    for path, stage in files:
        seen += 1
        if stage not in GROUND + STAGES:
            bad.append(f"{path}: belongs to no stage")
            continue
        for include in re.findall(r'#include\s+(["<][^">]+[">])', path.read_text()):
            name = include[1:-1]
            if include.startswith('"'):
                owner = OWNER.get(pathlib.Path(name).stem, "?") if name.startswith("mellow/") else name.split("/")[0]
                if owner not in allowed(stage):
                    bad.append(f"{path}: stage {stage} includes {name} of stage {owner}")
            elif stage in CORE and include in FORBIDDEN_IN_CORE:
                bad.append(f"{path}: the core includes {include}")
    if seen < 40:
        bad.append(f"only {seen} files seen under {root}: is this the source tree?")
    return bad


if __name__ == "__main__":
    problems = check(pathlib.Path(sys.argv[1]))
    print("\n".join(problems) or "layers hold")
    sys.exit(1 if problems else 0)
