"""Prints the lines of code that no test runs, file by file, those with most first.

Usage: uncovered.py [TEXT ...]     only files whose path contains one of the texts

Builds the library, the tool and the tests with clang's coverage in build/coverage, runs all tests
and reads what they counted. Needs clang and llvm (`scripts/setup.sh check` installs them). What a
test runs is not yet looked at by it: tools/plant.py says that.
"""
import collections
import os
import pathlib
import shutil
import subprocess
import sys

TOP = pathlib.Path(__file__).resolve().parent.parent
WORK = TOP / "build/coverage"
PRODUCT = {"include", "src", "cli"}
FLAGS = "-O1 -fprofile-instr-generate -fcoverage-mapping"


def run(*command, **options):
    return subprocess.run([str(part) for part in command], check=True, **options)


def counted():
    """The runs of each line: {path: {line: count}}."""
    shutil.rmtree(WORK / "counts", ignore_errors=True)
    run("cmake", "-S", TOP, "-B", WORK, "-G", "Ninja", "-DCMAKE_BUILD_TYPE=Debug",
        "-DCMAKE_CXX_COMPILER=clang++", f"-DCMAKE_CXX_FLAGS={FLAGS}", "-DCMAKE_CXX_FLAGS_DEBUG=-g0",
        "-DMELLOW_EXAMPLES=OFF", "-DMELLOW_MANUALS=OFF", stdout=subprocess.DEVNULL)
    run("cmake", "--build", WORK, "--target", "mellow", "mellow_tests", "full_disk")
    # Not `check`: what a failing test ran is counted all the same.
    subprocess.run(["ctest", "--test-dir", WORK, "-R", "tests", "-j", str(os.cpu_count())],
                   env=dict(os.environ, LLVM_PROFILE_FILE=str(WORK / "counts/%4m.profraw")))
    run("llvm-profdata", "merge", "-sparse", *(WORK / "counts").iterdir(), "-o", WORK / "counts.prof")
    lcov = run("llvm-cov", "export", WORK / "tests/mellow_tests", "-object", WORK / "mellow",
               f"-instr-profile={WORK / 'counts.prof'}", "-format=lcov",
               capture_output=True, text=True)
    lines, path = collections.defaultdict(dict), ""
    for row in lcov.stdout.splitlines():
        if row.startswith("SF:"):
            file = pathlib.Path(row[3:])
            own = file.is_relative_to(TOP) and file.relative_to(TOP).parts[0] in PRODUCT
            path = str(file.relative_to(TOP)) if own else ""
        elif row.startswith("DA:") and path:
            line, count = map(int, row[3:].split(",")[:2])
            lines[path][line] = max(count, lines[path].get(line, 0))
    return lines


def main():
    lines = counted()
    left = {path: [n for n, count in sorted(of.items()) if count == 0] for path, of in lines.items()}
    for path in sorted(left, key=lambda path: -len(left[path])):
        if not left[path] or (sys.argv[1:] and not any(text in path for text in sys.argv[1:])):
            continue
        text = (TOP / path).read_text().split("\n")
        print(f"\n{path}: {len(left[path])} of {len(lines[path])} lines")
        for before, n in zip([None, *left[path]], left[path]):
            if before is not None and n != before + 1:
                print("   ..")
            print(f"{n:5} {text[n - 1]}")
    missed, all_lines = sum(map(len, left.values())), sum(map(len, lines.values()))
    print(f"\n{missed} of {all_lines} lines are run by no test ({100 * missed / all_lines:.1f} %)")


if __name__ == "__main__":
    main()
