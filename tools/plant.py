"""Plants small faults in a copy of the tree, one at a time, and says which tests find them.

Usage: plant.py [options]                 builds and runs
       plant.py --check [SOURCE_FOLDER]   only looks whether the planted texts fit the code

  --stage S     only the faults of tests/planted/S.toml (may be given several times)
  --fault S:N   only this one, counted from 1 (may be given several times)
  --sample N    only N of them, chosen by --seed K (1)
  --jobs J      one builds and J - 1 run tests (2)
  --quick       no slow suites; what the others do not find is to be tried again without
  --all         run all tests on every fault, do not stop at the first that fails
  --idle        the same, and name the tests that found no fault
  --keep        leave the copy in build/planted, for the next run
  --limit S     seconds for the tests of one fault (180); one that hangs is found
  --out FILE    write the results as JSON as well, one after the other: what FILE holds already,
                of a run that was cut short, is not tried again
  --mark        write the name of the test that found a fault into its table, for the next run

A fault is a table [[fault]] in tests/planted/STAGE.toml: `file`, the text to `find`, which stands
there once, the text to `put` in its place, the `harm` to a user; and, where that is known, the
`test` that finds it, or why `nobody` can see it. That test is tried first, then all that take nearly no
time, then the suites of the filter `tests` that stands above the faults, then the others.
"""
import argparse
import concurrent.futures
import json
import os
import pathlib
import random
import re
import shutil
import signal
import subprocess
import sys
import threading
import time
import tomllib

from plant_tree import copy_tree

CONFIGURE = [
    "-G", "Ninja", "-DCMAKE_BUILD_TYPE=RelWithDebInfo",
    "-DCMAKE_CXX_FLAGS_RELWITHDEBINFO=-O1 -DNDEBUG", "-DMELLOW_UNITY=OFF",
    "-DMELLOW_EXAMPLES=OFF", "-DMELLOW_MANUALS=OFF",
    "-DCMAKE_EXE_LINKER_FLAGS=-fuse-ld=lld",
]


def suites(names):
    return ":".join(name if "*" in name else name + ".*" for name in names.split())


# Suites that take most of the time: tried last.
SLOW = suites("""
PageTest SharesTest ToolTest ColladaToolTest ProofTest TamsinBakeTest LiftTest PackVariantsTest
OrchardTest PressTest FrameLoopTest LiftToolTest ChoiceTest *EveryFlippedBit* *EveryTruncation*
StockTest.Tamsin*""")
# And those that take more than most: tried after the many that take nearly nothing.
SLOWER = suites("""
ManyTest RoundTest TargetTest GltfTest PictureTest ToldTest DraftTest CheckTest PlayTest PackTest
ConvertTest UsageTest SeamsTest ColladaTest AxesRecipeTest CameraTest UnseenRulesTest""")
TARGETS = ["mellow", "mellow_tests", "full_disk"]


class Fault:
    def __init__(self, stage, number, table, first):
        self.stage, self.number = stage, number
        self.test, self.first = table.get("test", ""), first
        self.file, self.find, self.put = table["file"], table["find"], table["put"]
        self.harm, self.nobody = table["harm"], table.get("nobody", "")
        self.outcome, self.tests, self.seconds = "", [], 0.0

    def filters(self, quick):
        """What is run one after the other until a test fails; none of it twice."""
        cheap = f"*-{SLOWER}:{SLOW}"
        filters, before = [self.test] if self.test else [], ""
        filters.append(cheap + (":" + self.test if self.test else ""))
        for patterns in (self.first, SLOWER, SLOW):
            # What is not among the slower ones was tried with the cheap ones.
            filters.append(f"{patterns}-{before}{self.test}".rstrip("-"))
            before += patterns + ":"
        return filters[:-1] if quick else filters

    def name(self):
        return f"{self.stage}:{self.number}"

    def trouble(self, top):
        """Why the fault does not fit the tree; empty when it does."""
        path = top / self.file
        if not path.is_file():
            return "no such file"
        count = path.read_text().count(self.find)
        if count != 1:
            return "text no longer there" if count == 0 else f"text stands there {count} times"
        if self.find == self.put:
            return "puts what it finds"
        return "" if self.harm else "no harm is told"


def load(top):
    faults = []
    for path in sorted((top / "tests/planted").glob("*.toml")):
        data = tomllib.loads(path.read_text())
        for i, table in enumerate(data.get("fault", []), 1):
            faults.append(Fault(path.stem, i, table, data.get("tests", "")))
    return faults


def chosen(faults, args):
    if args.stage:
        faults = [f for f in faults if f.stage in args.stage]
    if args.fault:
        faults = [f for f in faults if f.name() in args.fault]
    if args.sample:
        faults = random.Random(args.seed).sample(faults, min(args.sample, len(faults)))
    # Faults of one file together: each build then compiles it once.
    return sorted(faults, key=lambda f: (f.file, f.number))


def build(work):
    return subprocess.run(["cmake", "--build", work / "build", "--target", *TARGETS],
                          capture_output=True, text=True)


def run_tests(folder, tree, patterns, limit, stop_early):
    """Names of the tests that fail; "(hangs)" or "(crashes in TEST)" where they do."""
    env = dict(os.environ, MELLOW_TEST_TOOL=str(folder / "mellow"))
    command = [str(folder / "mellow_tests"), f"--gtest_filter={patterns}"]
    if stop_early:
        command.append("--gtest_fail_fast")
    process = subprocess.Popen(command, cwd=tree, env=env, text=True, errors="replace",
                               stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
                               start_new_session=True)
    try:
        out, _ = process.communicate(timeout=limit)
    except subprocess.TimeoutExpired:
        os.killpg(process.pid, signal.SIGKILL)
        process.communicate()
        return ["(hangs)"]
    failed = sorted(set(re.findall(r"^\[  FAILED  \] ([\w/.]+)(?: \(|,)", out, re.M)))
    if process.returncode not in (0, 1) and not failed:
        running = re.findall(r"^\[ RUN      \] (\S+)", out, re.M)
        return [f"(crashes in {running[-1]})" if running else "(crashes)"]
    return failed


def try_tests(fault, folder, tree, args):
    start = time.monotonic()
    early = not (args.all or args.idle)
    for patterns in fault.filters(args.quick) if early else ["*"]:
        fault.tests = run_tests(folder, tree, patterns, args.limit, early)
        if fault.tests:
            break
    fault.outcome = "found by " + fault.tests[0] if fault.tests else "not found"
    fault.seconds = time.monotonic() - start
    shutil.rmtree(folder)


def say(fault):
    text = f"{fault.name():<14} {fault.file:<34} {fault.outcome}"
    if fault.outcome == "not found":
        text += f"   ({fault.nobody or fault.harm})"
    print(text, flush=True)


def plant_all(faults, work, tree, args, tell):
    pending = []
    runners = max(1, args.jobs - 1)
    room = threading.Semaphore(runners)
    with concurrent.futures.ThreadPoolExecutor(runners) as pool:
        def test(fault, folder):
            try:
                try_tests(fault, folder, tree, args)
                tell(fault)
            finally:
                room.release()

        for fault in faults:
            path = tree / fault.file
            good = path.read_text()
            if trouble := fault.trouble(tree):
                fault.outcome = trouble
                tell(fault)
                continue
            path.write_text(good.replace(fault.find, fault.put))
            built = build(work)
            path.write_text(good)
            if built.returncode != 0:
                fault.outcome = "does not build"
                tell(fault)
                if args.jobs == 1 or "-v" in sys.argv:
                    print(built.stdout[-2000:])
                continue
            room.acquire()
            folder = work / f"run-{fault.stage}-{fault.number}"
            folder.mkdir()
            for program in ("mellow", "tests/mellow_tests"):
                shutil.copy2(work / "build" / program, folder)
            pending.append(pool.submit(test, fault, folder))
        for result in pending:
            result.result()


class Results:
    """The outcomes as JSON, written whenever there is one more."""

    def __init__(self, path):
        self.path, self.lock, self.rows = pathlib.Path(path or os.devnull), threading.Lock(), []
        if self.path.is_file():
            self.rows = self.read(self.path)

    @staticmethod
    def read(path):
        try:
            rows = json.loads(path.read_text())
            if all({"stage", "number", "outcome", "tests"} <= row.keys() for row in rows):
                return rows
        except (ValueError, TypeError, AttributeError):
            pass
        sys.exit(f"{path}: not what --out writes; name another file")

    def knows(self, fault):
        for row in self.rows:
            if (row["stage"], row["number"]) == (fault.stage, fault.number):
                fault.outcome, fault.tests = row["outcome"], row["tests"]
                return True
        return False

    def add(self, fault):
        keys = ("stage", "number", "file", "outcome", "tests", "seconds")
        with self.lock:
            self.rows.append({k: getattr(fault, k) for k in keys})
            self.path.write_text(json.dumps(self.rows, indent=1))


def mark(top, faults):
    """Writes the tests that found faults into their tables."""
    for stage in sorted({f.stage for f in faults}):
        path = top / "tests/planted" / (stage + ".toml")
        head, *tables = re.split(r"(?m)^(?=\[\[fault\]\])", path.read_text())
        for f in faults:
            if f.stage != stage or not f.tests or f.tests[0].startswith("("):
                continue
            text = re.sub(r"(?m)^test = .*\n", "", tables[f.number - 1])
            tables[f.number - 1] = text.rstrip("\n") + f'\ntest = "{f.tests[0]}"\n\n'
        path.write_text((head + "".join(tables)).rstrip("\n") + "\n")


def table(faults):
    stages = {}
    for f in faults:
        row = stages.setdefault(f.stage, [0, 0, 0, 0])
        row[0] += 1
        row[1] += f.outcome.startswith("found")
        row[2] += f.outcome == "not found"
        row[3] += not (f.outcome.startswith("found") or f.outcome == "not found")
    print(f"\n| {'stage':<10} | planted | found | not found | other |\n|---|---|---|---|---|")
    for stage in sorted(stages):
        print("| {:<10} | {} | {} | {} | {} |".format(stage, *stages[stage]))
    total = [sum(row[i] for row in stages.values()) for i in range(4)]
    share = 100 * total[1] / max(1, total[1] + total[2])
    print("| {:<10} | {} | {} | {} | {} |".format("all", *total))
    print(f"\n{share:.1f} % of those that were built are found")
    return total


def all_tests(work):
    listed = subprocess.run([work / "build/tests/mellow_tests", "--gtest_list_tests"],
                            capture_output=True, text=True, check=True).stdout
    names, suite = [], ""
    for line in listed.splitlines():
        if not line.startswith(" "):
            suite = line.split()[0] if line.endswith(".") or "." in line else ""
        elif suite:
            names.append(suite + line.split()[0])
    return names


def check(top):
    faults = load(top)
    wrong = [(f, f.trouble(top)) for f in faults]
    for fault, trouble in wrong:
        if trouble:
            print(f"{fault.name()}: {fault.file}: {trouble}: {fault.find.strip()[:70]!r}")
    bad = sum(bool(t) for _, t in wrong)
    print(f"{len(faults)} planted faults, {bad} of them do not fit the code")
    return 1 if bad or not faults else 0


def main():
    parser = argparse.ArgumentParser(add_help=False)
    for flag in ("--check", "--quick", "--all", "--idle", "--keep", "--mark", "-v", "-h", "--help"):
        parser.add_argument(flag, action="store_true")
    for option, kind, default in (("--sample", int, 0), ("--seed", int, 1), ("--jobs", int, 2),
                                  ("--limit", float, 180), ("--out", str, "")):
        parser.add_argument(option, type=kind, default=default)
    parser.add_argument("--stage", action="append", default=[])
    parser.add_argument("--fault", action="append", default=[])
    parser.add_argument("source", nargs="?", default=pathlib.Path(__file__).parent.parent)
    args = parser.parse_args()
    if args.h or args.help:
        print(__doc__)
        return 0
    top = pathlib.Path(args.source).resolve()
    if args.check:
        return check(top)
    faults = chosen(load(top), args)
    if not faults:
        print("no such faults", file=sys.stderr)
        return 2
    results = Results(args.out)
    work = top / "build/planted"
    work.mkdir(parents=True, exist_ok=True)
    for left in work.glob("run-*"):
        shutil.rmtree(left)
    try:
        tree = copy_tree(top, work)
        subprocess.run(["cmake", "-S", tree, "-B", work / "build", *CONFIGURE], check=True,
                       stdout=subprocess.DEVNULL)
        first = build(work)
        if first.returncode != 0:
            print(first.stdout[-3000:], file=sys.stderr)
            return 2

        def tell(fault):
            say(fault)
            results.add(fault)

        plant_all([f for f in faults if not results.knows(f)], work, tree, args, tell)
        total = table(faults)
        if args.idle:
            busy = {test for f in faults for test in f.tests}
            idle = [name for name in all_tests(work) if name not in busy]
            print(f"\n{len(idle)} tests found nothing:\n  " + "\n  ".join(idle))
        if args.mark:
            mark(top, faults)
    finally:
        if not args.keep:
            shutil.rmtree(work)
    return 0 if total[1] >= 0.95 * (total[1] + total[2]) else 1


sys.exit(main())
