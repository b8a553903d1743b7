#!/usr/bin/env python3
"""Runs the baking benchmarks, interleaved and repeated, and prints the ratios of their medians.

Usage: scripts/bake_ratios.py BENCH [RUNS]   (build/release/bench/mellow_bench; 3 runs)
"""
import json
import statistics
import subprocess
import sys

RATIOS = [
    ("Eigen's time / ours, one thread", "kinematics_by_eigen", "bake_kinematics/threads:1"),
    ("our time / the copy's, one thread", "bake_kinematics/threads:1", "copy_of_the_same_bytes"),
    ("two threads, times one", "bake_kinematics/threads:1", "bake_kinematics/threads:2"),
    ("speed with rules / without", "bake_without_rules/threads:1", "bake_with_rules/threads:1"),
    ("the same, keys on controls alone", "bake_controls_without_rules/threads:1", "bake_controls_with_rules/threads:1"),
    ("with rules: two threads, times one", "bake_with_rules/threads:1", "bake_with_rules/threads:2"),
]


def medians(bench):
    out = subprocess.run([bench, "--benchmark_filter=^(bake|kinem|copy)", "--benchmark_repetitions=15",
                          "--benchmark_min_time=0.1", "--benchmark_enable_random_interleaving=true",
                          "--benchmark_format=json"], capture_output=True, text=True, check=True).stdout
    times = {}
    for run in json.loads(out)["benchmarks"]:
        if run["run_type"] == "iteration":
            times.setdefault(run["run_name"].replace("/real_time", ""), []).append(run["real_time"])
    return {name: statistics.median(all_times) for name, all_times in times.items()}


def main():
    runs = [medians(sys.argv[1]) for _ in range(int(sys.argv[2]) if len(sys.argv) > 2 else 3)]
    for words, over, under in RATIOS:
        print(f"{words:40s}", *(f"{run[over] / run[under]:6.2f}" for run in runs))
    joint_frames = 100 * 4096 / 1000
    print(f"{'million joint frames/s, one thread':40s}",
          *(f"{joint_frames / run['bake_kinematics/threads:1']:6.1f}" for run in runs))


if __name__ == "__main__":
    main()
