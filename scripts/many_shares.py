#!/usr/bin/env python3
"""Packs the demo's figure with many clips on one machine and in shares, and prints processor seconds,
seconds by the clock and peak memory of each, and whether the crates are the same.

Usage: scripts/many_shares.py TOOL CLIPS SHARES... (as 300 1 2 4)
"""
import argparse
import filecmp
import os
import pathlib
import subprocess
import tempfile
import time


def run(tool, *words):
    begun = time.monotonic()
    child = subprocess.Popen([tool, *map(str, words), "--quiet"], stderr=subprocess.DEVNULL)
    _, status, used = os.wait4(child.pid, 0)
    if status:
        raise SystemExit(f"{words}: status {status}")
    return used.ru_utime + used.ru_stime, time.monotonic() - begun, used.ru_maxrss / 1024


def same(a, b):
    one, two = ({p.relative_to(f) for p in f.rglob("*")} for f in (a, b))
    return one == two and all(filecmp.cmp(a / p, b / p, shallow=False) for p in one if (a / p).is_file())


def main():
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("tool", type=lambda p: str(pathlib.Path(p).resolve()))
    parser.add_argument("clips", type=int)
    parser.add_argument("shares", type=int, nargs="+")
    args = parser.parse_args()
    with tempfile.TemporaryDirectory(dir=os.environ.get("MELLOW_TMP")) as name:
        folder = pathlib.Path(name)
        subprocess.run([args.tool, "demo", "--data-only", "--quiet", folder], check=True)
        recipe = folder / "many.recipe.toml"
        text = (folder / "tamsin.recipe.toml").read_text()
        # Every clip is another range of the 241 frames, up to ten thousand of them.
        ranges = [(i % 150, i % 150 + 14 + i // 150 % 72) for i in range(args.clips)]
        recipe.write_text(
            text[: text.index("[[clip]]")] + '[output]\nfolder = "crates/many"\nname = "tamsin"\npicture = false\n'
            + "".join(f'[[clip]]\nname = "c{i}"\nrange = [{a}, {b}]\n' for i, (a, b) in enumerate(ranges)))
        whole = run(args.tool, "pack", recipe)
        print(f"one machine: {whole[0]:.2f} s of processor, {whole[1]:.2f} s, {whole[2]:.0f} MB")
        (folder / "crates/many").rename(folder / "one")
        for of in args.shares:
            parts = [run(args.tool, "pack", recipe, "--share", f"{k}/{of}", "-o", folder / f"parts/{of}/{k}") for k in range(1, of + 1)]
            gathered = run(args.tool, "gather", folder / f"parts/{of}")
            fits = same(folder / "crates/many", folder / "one")
            (folder / "crates/many").rename(folder / f"done{of}")
            both = sum(p[0] for p in parts) + gathered[0]
            print(f"{of} shares: {sum(p[0] for p in parts):.2f} s of processor, the longest {max(p[1] for p in parts):.2f} s, "
                  f"at most {max(p[2] for p in parts):.0f} MB; gathered in {gathered[0]:.2f} s of processor, {gathered[1]:.2f} s, "
                  f"{gathered[2]:.0f} MB; all {both / whole[0]:.2f} of one machine; {'the same crate' if fits else 'ANOTHER CRATE'}")


if __name__ == "__main__":
    main()
