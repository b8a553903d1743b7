#!/usr/bin/env python3
"""A stage may include base, math, model and itself. Above the stages stand floors that join them, each on those that
FLOORS names; the tool, the demo and the examples stand on all.
Public headers open with what they are for and say of each type what it is; no stage tells nodes by how names end, or
fills a report of another.

Usage: check_layers.py ROOT. Public headers belong to the stage that implements them, found by name below.
"""
import pathlib
import re
import sys

GROUND = ["base", "math", "model"]
STAGES = ["read", "rig", "bake", "shape", "travel", "fit", "write", "prove", "draw", "disk", "retarget"]
# What joins stages, and on which others of these it stands.
FLOORS = {
    "recipe": [],
    "crate": ["recipe"],
    "figure": ["recipe", "crate"],
    "check": ["recipe", "crate"],
    "plan": ["recipe", "crate", "figure"],
    "judge": ["recipe", "crate", "figure", "plan"],
    "pack": ["recipe", "crate", "figure", "check", "plan", "judge"],
    "one": ["recipe", "crate", "figure", "check", "plan", "judge", "pack"],
}
HEADERS = {
    "base": ["bytes", "call", "file_format", "finding", "place", "progress", "result", "parallel"],
    "math": ["vec3", "quat", "transform", "euler"],
    "model": ["rate", "curve", "convention", "scene", "skeleton", "clip", "pose", "pose_tile", "playback", "sample_plan",
              "joint_map", "motion_table", "motion_text", "joint_source", "joint_tile", "take", "node_mask", "true_convention", "transform_stack", "value_curve"],
    "read": ["read"], "rig": ["lift", "performance", "rig", "rig_rules", "rig_sheet"], "bake": ["bake"], "shape": ["motion_check", "shape", "shaping"], "travel": ["travel"],
    "fit": ["fit", "joint_fit"], "write": ["write"], "disk": ["safe_write"], "prove": ["prove", "stock", "compare"], "draw": ["sheet", "pictures"],
    "retarget": ["figure_map", "joint_roles", "retarget"], "recipe": ["file_record", "recipe", "target"], "crate": ["crate", "manifest"], "check": ["check"],
    "pack": ["pack", "share", "write_crate"],
    "one": ["bake_file", "convert_file", "draft", "mellow", "page", "rig_stock"],
    "play": ["play", "states"],
}
OWNER = {name: stage for stage, names in HEADERS.items() for name in names}
FORBIDDEN_IN_CORE = ["<fstream>", "<iostream>", "<cstdio>", "<filesystem>", "<chrono>", "<ctime>", "<thread>", "<fmt/core.h>"]
FORBIDDEN_TEXT = [(r'name\.ends_with\("\.', "tells a node by how its name ends"),
                  (r"PackReport&", "takes a report to fill: stages return findings")]
# Everywhere but in base: what a finding says is for people, what code asks of it are codes and edits.
PROSE = (r"\b(found|remedy|where|expected)\.(find|starts_with|ends_with|substr|replace|erase|rfind|contains)\(|regex_",
         "looks into the prose of a finding: ask its code or its edits")
# The library has options of functions; how a command line spells them is for the tool alone.
WORDED = (r'"[^"\n]*(--[a-z]|\bmellow (check|compare|convert|describe|draft|gather|lift|pack|play|view)\b)', "words a command line: a finding has calls")
CORE = GROUND + ["rig", "bake", "shape", "travel", "fit", "prove", "retarget"]


def allowed(stage):
    if stage in GROUND:
        return set(GROUND[: GROUND.index(stage) + 1])
    if stage == "play":  # what an engine has: crates
        return set(GROUND + ["crate", "play"])
    if stage == "one":
        return set(GROUND + STAGES + FLOORS[stage] + ["one", "play"])
    return set(GROUND + STAGES + FLOORS[stage] + [stage]) if stage in FLOORS else set(GROUND + [stage])


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
        if stage not in GROUND + STAGES + list(FLOORS) + ["play"]:
            bad.append(f"{path}: belongs to no stage")
            continue
        text = path.read_text()
        if path.parent.name == "mellow":
            bad.extend(prose(path, text))
        elif stage not in ("pack", "base"):
            bad.extend(f"{path}: {why}" for pattern, why in FORBIDDEN_TEXT if re.search(pattern, text))
        if stage != "base" and re.search(PROSE[0], text):
            bad.append(f"{path}: {PROSE[1]}")
        if path.parent.name != "mellow" and re.search(WORDED[0], re.sub(r"//.*", "", text)):
            bad.append(f"{path}: {WORDED[1]}")
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
