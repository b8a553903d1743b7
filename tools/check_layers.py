#!/usr/bin/env python3
"""A stage may include base, math, model and itself; only pack, the tool, the demo and the examples join stages.
Public headers open with what they are for and say of each type what it is; no stage tells nodes by how names end, or
fills a report of another.

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
FORBIDDEN_TEXT = [(r'name\.ends_with\("\.', "tells a node by how its name ends"),
                  (r"PackReport&", "takes a report to fill: stages return findings")]
CORE = GROUND + ["rig", "bake", "shape", "travel", "fit", "prove"]


def allowed(stage):
    if stage in GROUND:
        return set(GROUND[: GROUND.index(stage) + 1])
    if stage == "play":  # what an engine has: crates
        return set(GROUND + ["pack", "play"])
    return set(GROUND + STAGES) if stage == "pack" else set(GROUND + [stage])


def prose(path, text):
    """What a public header does not say."""
    lines, opening = text.split("\n"), []
    while lines[len(opening)].startswith("//"):
        opening.append(lines[len(opening)][2:])
    if len(re.findall(r"[.:](?:\s|$)", "\n".join(opening))) < 3:
        yield f"{path}: opens with less than three sentences"
    for above, line in zip(lines, lines[1:]):
        if re.match(r"(struct|class|enum class) \w+[^;]*\{$", line) and not above.startswith(("///", "template")):
            yield f"{path}: nothing is said of {line[:-2]}"


def check(root):
    bad, seen = [], 0
    files = [(p, OWNER.get(p.stem, "?")) for p in sorted((root / "include/mellow").glob("*.h"))]
    files += [(p, p.parent.name) for p in sorted((root / "src").glob("*/*")) if p.suffix in (".h", ".cpp")]
    for path, stage in files:
        seen += 1
        if stage not in GROUND + STAGES:
            bad.append(f"{path}: belongs to no stage")
            continue
        text = path.read_text()
        if path.parent.name == "mellow":
            bad.extend(prose(path, text))
        elif stage != "pack":
            bad.extend(f"{path}: {why}" for pattern, why in FORBIDDEN_TEXT if re.search(pattern, text))
        for include in re.findall(r'#include\s+(["<][^">]+[">])', text):
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
