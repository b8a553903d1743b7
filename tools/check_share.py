"""Tests and fuzzers are a quarter to a third of all code lines; blank lines and comments do not count.

Usage: check_share.py SOURCE_FOLDER
"""
import pathlib
import re
import sys

SUFFIXES = {".h", ".cpp", ".c", ".js", ".sh", ".py"}
NOT_CODE = re.compile(r"^\s*(//.*|\*.*|/\*.*|#(?![id]).*)?$")


def lines(top, folders):
    total = 0
    for folder in folders:
        for path in (top / folder).rglob("*"):
            if path.suffix in SUFFIXES and "node_modules" not in path.parts:
                total += sum(not NOT_CODE.match(line) for line in path.read_text().splitlines())
    return total


def main():
    top = pathlib.Path(sys.argv[1])
    tests = lines(top, ["tests", "fuzz"])
    product = lines(top, ["include", "src", "cli", "examples", "bench", "demo", "page"])
    share = 100 * tests / (tests + product)
    print(f"{product} lines of product, {tests} of tests: tests are {share:.1f} % (25 to 33.4 wanted)")
    return 0 if 25 <= share <= 33.4 else 1


sys.exit(main())
