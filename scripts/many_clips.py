#!/usr/bin/env python3
"""Packs the demo's figure with 50 and with 1000 clips and prints the peak memory of each.

Usage: scripts/many_clips.py TOOL
"""
import pathlib

import subprocess
import sys
import tempfile

def peak(tool, folder, clips):
    recipe = (folder / "tamsin.recipe.toml").read_text()
    head = recipe[: recipe.index("[[clip]]")]
    tail = f'[output]\nfolder = "crates/{clips}"\nname = "tamsin"\npicture = false\n'
    body = "".join(f'[[clip]]\nname = "c{i}"\nrange = [{i % 210}, {i % 210 + 30}]\n' for i in range(clips))
    path = folder / f"{clips}.recipe.toml"
    path.write_text(head + tail + body)
    run = subprocess.run(["/usr/bin/env", "python3", "-c", (
        "import resource, subprocess, sys\n"
        "code = subprocess.run(sys.argv[1:], stderr=subprocess.DEVNULL).returncode\n"
        "print(code, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)\n"),
        tool, "pack", "--quiet", str(path)], capture_output=True, text=True, check=True)
    code, kilobytes = run.stdout.split()[-2:]
    if code != "0":
        sys.exit(f"packing {clips} clips ended with {code}")
    return int(kilobytes) / 1024

def main():
    tool = str(pathlib.Path(sys.argv[1]).resolve())
    with tempfile.TemporaryDirectory() as name:
        folder = pathlib.Path(name)
        subprocess.run([tool, "demo", "--data-only", "--quiet", str(folder)], check=True)
        few, many = peak(tool, folder, 50), peak(tool, folder, 1000)
    print(f"50 clips {few:.1f} MB, 1000 clips {many:.1f} MB: {many / few:.2f} times")

if __name__ == "__main__":
    main()
