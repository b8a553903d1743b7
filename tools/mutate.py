"""Faults by the thousand: changes the code by rule in many places at once, each behind a switch, and says which the
tests find. One build for all of them: the environment variable MELLOW_FAULT chooses which one is there.

Usage: mutate.py [--sample N] [--seed K] [--jobs J] [--limit S] [--cases LIBRARY] [--out FILE] [--keep] [FOLDER ...]

  --sample N   how many (200), drawn from all places in FOLDERs (src cli); --seed K: which (the day, as a number)
  --jobs J     faults that are tried side by side (2)
  --limit S    seconds of tests for one fault (120); one that hangs is found
  --cases L    tests that are compiled already: build/dev/tests/libmellow_test_cases.a
  --out FILE   what became of each, as JSON; what it holds already is not tried again
  --keep       leave the copy in build/mutated, for the next run with the same sample

Rules: a condition turned over; a comparison at its boundary or the other way round; plus for minus, times for divided
by; a number that is another; a statement left out; a function that returns at once; two arguments exchanged. What does
not compile is left out. First every test runs once and notes which places it reaches; a fault is then tried by the tests
that reach it, the quickest first, until one fails. tests/planted/equal.toml argues for those that change nothing.
"""
import argparse
import collections
import concurrent.futures
import datetime
import json
import os
import pathlib
import random
import re
import shutil
import subprocess
import sys
import tempfile
import time
import tomllib

import plant_tree

HEADER = """#pragma once
extern int mellow_fault;
extern unsigned char mellow_reached[];
inline bool mellow_is(int id) {
    if (mellow_fault < 0) mellow_reached[id] = 1;
    return mellow_fault == id;
}
"""
SWITCH = """#include <cstdio>
#include <cstdlib>
#include <string>
#include <unistd.h>
#include "mellow_fault.h"
unsigned char mellow_reached[%d];
namespace {
int chosen() {
    const char* word = std::getenv("MELLOW_FAULT");
    return word == nullptr ? 0 : std::atoi(word);
}
struct Note {
    ~Note() {
        const char* folder = std::getenv("MELLOW_REACHED");
        if (folder == nullptr) return;
        std::FILE* out = std::fopen((std::string(folder) + "/" + std::to_string(getpid())).c_str(), "wb");
        if (out == nullptr) return;
        std::fwrite(mellow_reached, 1, sizeof mellow_reached, out);
        std::fclose(out);
    }
} note;
}  // namespace
int mellow_fault = chosen();
"""

PRIMARY = r"[A-Za-z_][\w.]*(?:->[\w.]+)*(?:\[[\w.+\- ]*\]|\([\w.,+\- ]*\))?(?:\.\w+(?:\([\w., ]*\))?)*"
NUMBER = r"\d+(?:\.\d+)?(?:e-?\d+)?"
BEFORE = r"(?<=\()|(?<=, )|(?<=return )|(?<=&& )|(?<=\|\| )|(?<=\? )|(?<== )"
AFTER = r"(?=\)|;| &&| \|\|| \?|, )"
PAIR = re.compile(rf"(?:{BEFORE})({PRIMARY}|{NUMBER}) (<=|>=|<|>|==|!=|\+|-|\*|/) ({PRIMARY}|{NUMBER}){AFTER}")
OTHER = {"<": "<=", "<=": "<", ">": ">=", ">=": ">", "==": "!=", "!=": "==", "+": "-", "-": "+", "*": "/", "/": "*"}
CONDITION = re.compile(r"^ +(?:\} else )?(?:if|while) \((.*)\)(?: \{| [a-z].*;|)$")
CALL = re.compile(rf"(?<=[\w>]\()({PRIMARY}|{NUMBER}), ({PRIMARY}|{NUMBER})(?=\))")
LITERAL = re.compile(rf"(?<=[-+*/<>=(,?:] )({NUMBER})(?=[;,) ])|(?<=[(\[])({NUMBER})(?=[,)\]])")
STATEMENT = re.compile(r"^ +(?![\w:<>,]+[&*]? \w+(?: =|\(|\{|;|,))(?!return\b|break\b|continue\b|case\b|const\b|auto\b|using\b|static\b|else\b|for\b|if\b|while\b|"
                       r"struct\b|class\b|enum\b|template\b|friend\b|public\b|private\b|explicit\b|virtual\b|namespace\b)"
                       r"[a-z_][\w.\->\[\]()*&, :]*(?: [-+*/|&]?= |\().*;$")
BODY = re.compile(r"^[ \w:<>&*,~\[\]]+\([^;]*\)(?: const)?(?: override)? \{$")


def balanced(text):
    depth = 0
    for c in text:
        depth += (c in "([{") - (c in ")]}")
        if depth < 0:
            return False
    return depth == 0


def candidates(path, text):
    """(line, first column, end, rule, what stands there instead); columns of the line."""
    out, in_comment = [], False
    for n, line in enumerate(text.split("\n")):
        code = line.split("//")[0].rstrip() if '"' not in line else line
        if line.lstrip().startswith(("//", "#", "*", "/*")) or "constexpr" in line or "MELLOW_" in line or "static_assert" in line:
            continue
        quoted = [m.span() for m in re.finditer(r'"(?:\\.|[^"\\])*"' + r"|'(?:\\.|[^'\\])'", code)]

        def free(a, b):
            return all(b <= x or a >= y for x, y in quoted)

        for m in PAIR.finditer(code):
            if free(*m.span()):
                other = OTHER[m.group(2)]
                out.append((n, m.start(), m.end(), "compare" if m.group(2)[0] in "<>=!" else "reckon",
                            f"(mellow_is(@) ? ({m.group(1)} {other} {m.group(3)}) : ({m.group(0)}))"))
        m = CONDITION.match(code)
        if m and balanced(m.group(1)) and ";" not in m.group(1) and not re.search(r"[\w>&*] \w+ = ", m.group(1)):
            out.append((n, m.start(1), m.end(1), "turn", f"mellow_is(@) != static_cast<bool>({m.group(1)})"))
        for m in CALL.finditer(code):
            if free(*m.span()) and m.group(1) != m.group(2):
                a, b = m.group(1), m.group(2)
                out.append((n, m.start(), m.end(), "exchange", f"mellow_is(@) ? {b} : {a}, mellow_is(@) ? {a} : {b}"))
        for m in LITERAL.finditer(code):
            g = 1 if m.group(1) else 2
            value = m.group(g)
            other = f"{value} * 1.25 + 0.125" if "." in value or "e" in value else f"{value} + 1"
            if free(m.start(g), m.end(g)):
                out.append((n, m.start(g), m.end(g), "number", f"(mellow_is(@) ? {other} : {value})"))
        if STATEMENT.match(code) and balanced(code):
            start = len(code) - len(code.lstrip())
            out.append((n, start, len(code), "leave out", f"{{ if (!mellow_is(@)) {code.strip()} }}"))
        if BODY.match(code) and not re.match(r" +(?:if|for|while|switch|else|\}|do)\b", code) and "[&]" not in code:
            out.append((n, len(code), len(code), "return", " if (mellow_is(@)) return {};"))
    return [(path, *c) for c in out]


def put(path, text):
    """Writes a file that has another text, so that no other is compiled again."""
    if not path.is_file() or path.read_text() != text:
        path.write_text(text)


def insert(top, tree, faults):
    """Writes the files with all faults in them; where two overlap the later one is left out."""
    by_file = collections.defaultdict(list)
    for f in faults:
        by_file[f["file"]].append(f)
    left = []
    for file, some in by_file.items():
        lines = (top / file).read_text().split("\n")
        taken = collections.defaultdict(list)
        for f in sorted(some, key=lambda f: (f["line"], -f["from"])):
            if any(f["from"] < b and f["to"] > a or f["from"] == a for a, b in taken[f["line"]]):
                continue
            taken[f["line"]].append((f["from"], f["to"]))
            line = lines[f["line"]]
            lines[f["line"]] = line[:f["from"]] + f["put"].replace("@", str(f["id"])) + line[f["to"]:]
            left.append(f)
        put(tree / file, "\n".join(lines))
    return left


def build(work):
    run = subprocess.run(["cmake", "--build", work / "build", "--target", "mellow", "mellow_tests", "full_disk", "--", "-k", "0"],
                         capture_output=True, text=True)
    return run.returncode, run.stdout + run.stderr


def prepare(top, work, faults, cases):
    """Builds with all faults that compile; those are returned."""
    files = {f["file"] for f in faults}
    own = {"src/base/mellow_fault.h": HEADER, "src/base/mellow_fault.cpp": SWITCH % (max(f["id"] for f in faults) + 1)}
    tree = plant_tree.copy_tree(top, work, {*files, *own})
    for file in files:
        (tree / file).parent.mkdir(parents=True, exist_ok=True)
    for file, text in own.items():
        put(tree / file, text)
    while True:
        kept = insert(top, tree, faults)
        for file in files - {f["file"] for f in kept}:
            put(tree / file, (top / file).read_text())
        subprocess.run(["cmake", "-S", tree, "-B", work / "build", "-G", "Ninja", "-DCMAKE_BUILD_TYPE=RelWithDebInfo",
                        "-DCMAKE_CXX_COMPILER=clang++", "-DMELLOW_EXAMPLES=OFF", "-DMELLOW_MANUALS=OFF",
                        "-DCMAKE_CXX_FLAGS_RELWITHDEBINFO=-O1 -DNDEBUG", f"-DMELLOW_TEST_CASES={cases}",
                        f"-DCMAKE_CXX_FLAGS=-w -Wno-error -include {tree}/src/base/mellow_fault.h"],
                       check=True, stdout=subprocess.DEVNULL)
        code, said = build(work)
        if code == 0:
            return kept
        wrong = {(m.group(1), int(m.group(2)) - 1) for m in re.finditer(r"tree/(\S+?):(\d+):\d+: (?:fatal )?error", said)}
        bad = [f for f in kept if (f["file"], f["line"]) in wrong]
        for near in (4, 60):  # what is wrong may begin before it is seen
            bad = bad or [f for f in kept if any(f["file"] == a and 0 <= b - f["line"] < near for a, b in wrong)]
        if not bad:
            sys.exit(said[-3000:])
        print(f"{len(bad)} of {len(kept)} do not compile, and are left out", flush=True)
        gone = {f["id"] for f in bad}
        faults = [f for f in kept if f["id"] not in gone]


def run(work, patterns, env, limit, stop=True):
    """The first test that fails, "(hangs)", "(crashes)", or nothing."""
    command = [str(work / "build/tests/mellow_tests"), "--gtest_brief=1", "--gtest_filter=" + ":".join(patterns)]
    try:
        env = dict(os.environ, MELLOW_GOLDEN=str(work / "tree/tests/golden"), **env)
        done = subprocess.run(command + (["--gtest_fail_fast"] if stop else []), env=env, cwd=work / "tree",
                              capture_output=True, text=True, errors="replace", timeout=limit)
    except subprocess.TimeoutExpired:
        return "(hangs)"
    failed = re.findall(r"^\[  FAILED  \] ([\w/.]+)", done.stdout, re.M)
    return failed[0] if failed else "(crashes)" if done.returncode not in (0, 1) else ""


def reaching(work, count):
    """For each fault the tests that reach it, the quickest first; notes are kept for the next run."""
    note = work / "reached.json"
    if note.is_file():
        return {int(k): v for k, v in json.loads(note.read_text()).items()}
    names, suite = [], ""
    for line in subprocess.run([work / "build/tests/mellow_tests", "--gtest_list_tests"], capture_output=True, text=True,
                               check=True).stdout.splitlines()[1:]:
        if not line.startswith(" "):
            suite = line.split()[0]
        else:
            names.append(suite + line.split()[0])
    seconds, reached = {}, collections.defaultdict(list)

    def one(name):
        with tempfile.TemporaryDirectory(dir="/dev/shm") as folder:
            start = time.monotonic()
            failed = run(work, [name], {"MELLOW_FAULT": "-1", "MELLOW_REACHED": folder}, 120)
            spent = time.monotonic() - start
            seen = set()
            for path in pathlib.Path(folder).iterdir():
                seen.update(i for i, b in enumerate(path.read_bytes()) if b)
            return name, spent, seen, failed

    with concurrent.futures.ThreadPoolExecutor(2) as pool:
        for name, spent, seen, failed in pool.map(one, names):
            if failed:
                print(f"{name} fails without a fault, and is left out", flush=True)
                continue
            seconds[name] = spent
            for i in seen:
                reached[i].append(name)
    out = {i: sorted(tests, key=seconds.get) for i, tests in reached.items()}
    note.write_text(json.dumps(out))
    (work / "seconds.json").write_text(json.dumps(seconds))
    return out


def batches(tests, seconds):
    """Tests that are quick together; then what holds everything, then slow ones, alone."""
    quick = [t for t in tests if seconds[t] < 0.15]
    slow = sorted((t for t in tests if seconds[t] >= 0.15), key=lambda t: "GoldenTest" not in t)
    return ([quick[i:i + 60] for i in range(0, len(quick), 60)]) + [[t] for t in slow]


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--sample", type=int, default=200)
    parser.add_argument("--seed", type=int, default=int(datetime.date.today().strftime("%Y%m%d")))
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--limit", type=float, default=120)
    parser.add_argument("--cases", default="build/dev/tests/libmellow_test_cases.a")
    parser.add_argument("--out", default="build/mutated.json")
    parser.add_argument("--keep", action="store_true")
    parser.add_argument("folders", nargs="*", default=["src", "cli"])
    args = parser.parse_args()
    top = pathlib.Path(__file__).resolve().parent.parent
    work = top / "build/mutated"
    work.mkdir(parents=True, exist_ok=True)
    all_places = []
    for folder in args.folders:
        for path in sorted((top / folder).rglob("*.cpp")):
            all_places += candidates(str(path.relative_to(top)), path.read_text())
    print(f"{len(all_places)} places", flush=True)
    drawn = random.Random(args.seed).sample(all_places, min(len(all_places), int(args.sample * 1.25)))
    faults = [dict(zip(("file", "line", "from", "to", "rule", "put"), c), id=i + 1) for i, c in enumerate(drawn)]
    kept = prepare(top, work, faults, (top / args.cases).resolve())[:args.sample]
    print(f"{len(kept)} faults are built in", flush=True)
    reached = reaching(work, len(faults))
    seconds = json.loads((work / "seconds.json").read_text())
    equal = top / "tests/planted/equal.toml"
    argued = tomllib.loads(equal.read_text()).get("equal", []) if equal.is_file() else []
    out = pathlib.Path(args.out)
    results = json.loads(out.read_text()) if out.is_file() else []
    known = {(r["file"], r["line"], r["from"], r["rule"]) for r in results}

    def try_one(f):
        start, tests = time.monotonic(), reached.get(f["id"], [])
        f["found"] = ""
        for some in batches(tests, seconds):
            rest = args.limit - (time.monotonic() - start)
            if rest <= 0:
                break
            f["found"] = run(work, some, {"MELLOW_FAULT": str(f["id"])}, max(rest, 10 * sum(seconds[t] for t in some)))
            if f["found"]:
                break
        f["tests"], f["seconds"] = len(tests), round(time.monotonic() - start, 2)
        return f

    todo = [f for f in kept if (f["file"], f["line"], f["from"], f["rule"]) not in known]
    with concurrent.futures.ThreadPoolExecutor(args.jobs) as pool:
        for f in pool.map(try_one, todo):
            results.append(f)
            out.write_text(json.dumps(results, indent=1))
            if not f["found"]:
                line = (top / f["file"]).read_text().split("\n")[f["line"]].strip()
                print(f"not found ({f['tests']} tests): {f['file']}:{f['line'] + 1}: {f['rule']}: "
                      f"{f['put'].replace('mellow_is(@)', '#')}    [{line}]", flush=True)
    stages = collections.defaultdict(lambda: [0, 0, 0])
    for r in results:
        row = stages["/".join(r["file"].split("/")[:2]) if r["file"].startswith("src") else "cli"]
        same = any(a["file"] == r["file"] and a["put"] == r["put"] for a in argued)
        row[0] += 1
        row[1] += bool(r["found"])
        row[2] += same and not r["found"]
    print("\n| stage | faults | found | change nothing |\n|---|---|---|---|")
    for stage, row in sorted(stages.items()):
        print(f"| {stage} | {row[0]} | {row[1]} | {row[2]} |")
    total = [sum(r[i] for r in stages.values()) for i in range(3)]
    print(f"| all | {total[0]} | {total[1]} | {total[2]} |\n{100 * total[1] / max(1, total[0] - total[2]):.1f} % are found")
    if not args.keep:
        shutil.rmtree(work)


if __name__ == "__main__":
    main()
