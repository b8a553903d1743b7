#!/usr/bin/env bash
# Packs recipes on a Slurm cluster: an array job with one task for each share, and a job that gathers
# the parts when all tasks have ended. Recipes, parts and crates must lie where every node sees them.
#
# slurm-pack.sh [OPTIONS] RECIPE...
#   --shares N        tasks of the array (default 4)
#   --parts FOLDER    where parts and logs go (default parts)
#   --output CRATE    where the crate goes (default as the recipe says; of one recipe alone)
#   --partition NAME  as the cluster has it
#   --cpus N          processors of each task (default 1)
#   --time LIMIT      of each task, as sbatch takes it
#   --retries N       times that a task is begun again when it is killed or cannot write (default 2)
#   --from CRATE      clips of it whose inputs are the same are taken over
#   --replace         parts and crates that stand there give way
#   --wait            stays until the crate is there; the exit code is that of mellow gather
#   --mellow PROGRAM  the tool (default mellow)
#
# In PARTS/logs are the output of each task, N.log, its exit code, N.exit, and those of gathering,
# gather.log and gather.exit. Exit codes: 0 the jobs were handed in (with --wait: the crate is there),
# 1 checks failed, 2 usage, 3 bad input, 4 could not write, 5 Slurm did not take the jobs.
set -euo pipefail

usage() { sed -n '2,/^set /{s/^# \{0,1\}//;/^set /d;p}' "$0"; }
wrong() { echo "slurm-pack.sh: $1" >&2; exit 2; }

shares=4 parts=parts output='' partition='' cpus=1 time='' retries=2 from='' replace='' wait='' mellow=mellow
recipes=()
while [ $# -gt 0 ]; do
  case "$1" in
    --shares|--parts|--output|--partition|--cpus|--time|--retries|--from|--mellow)
      [ $# -ge 2 ] || wrong "$1 needs a value"
      declare "${1#--}=$2"; shift 2 ;;
    --replace) replace=--replace; shift ;;
    --wait) wait=--wait; shift ;;
    -h|--help) usage; exit 0 ;;
    -*) wrong "no option $1; slurm-pack.sh --help lists them" ;;
    *) recipes+=("$1"); shift ;;
  esac
done
[ ${#recipes[@]} -gt 0 ] || wrong "no recipe"
for number in shares cpus retries; do
  [[ ${!number} =~ ^[0-9]+$ ]] || wrong "--$number: ${!number} is no number"
done
[ "$shares" -ge 1 ] && [ "$cpus" -ge 1 ] || wrong "--shares and --cpus begin at 1"
for recipe in "${recipes[@]}"; do [ -f "$recipe" ] || { echo "slurm-pack.sh: no recipe $recipe" >&2; exit 3; }; done
command -v "$mellow" >/dev/null || wrong "no program $mellow; --mellow says where it is"
[ -z "$output" ] || [ ${#recipes[@]} -eq 1 ] || wrong "--output takes the crate of one recipe"

mkdir -p "$parts/logs"
rm -f "$parts"/logs/*.exit
quoted() { local words; printf -v words '%q ' "$@"; printf '%s' "${words% }"; }
options=(--export=ALL --cpus-per-task="$cpus" --chdir="$PWD")
[ -z "$partition" ] || options+=(--partition="$partition")
[ -z "$time" ] || options+=(--time="$time")

# A task that the cluster loses is begun again by Slurm (--requeue), one whose program was killed or
# could not write by itself. What a recipe or a file is at fault for (1, 2, 3) stays so.
pack=$(cat <<JOB
#!/bin/bash
n=\$SLURM_ARRAY_TASK_ID code=0
for try in \$(seq 0 $retries); do
  code=0
  $(quoted "$mellow" pack "${recipes[@]}" ${replace:+"$replace"} ${from:+--from "$from"}) --share \$n/$shares -o $(quoted "$parts")/\$n || code=\$?
  [ \$code -eq 4 ] || [ \$code -gt 127 ] || break
  echo "share \$n ended with \$code, try \$try"
done
echo \$code > $(quoted "$parts/logs")/\$n.exit
exit \$code
JOB
)
array=$(sbatch --parsable "${options[@]}" --job-name=mellow-pack --array="1-$shares" --requeue --open-mode=append \
  --output="$parts/logs/%a.log" <<<"$pack") || exit 5
array=${array%%;*}

gather=$(cat <<JOB
#!/bin/bash
code=0
$(quoted "$mellow" gather "$parts" ${output:+-o "$output"} ${replace:+"$replace"}) || code=\$?
echo \$code > $(quoted "$parts/logs/gather.exit")
exit \$code
JOB
)
code=0
job=$(sbatch --parsable "${options[@]}" ${wait:+"$wait"} --job-name=mellow-gather --dependency="afterany:$array" \
  --output="$parts/logs/gather.log" <<<"$gather") || code=$?
[ -n "$job" ] || exit 5
echo "shares: job $array, tasks 1 to $shares; gathering: job ${job%%;*}; logs in $parts/logs"
[ -z "$wait" ] || cat "$parts/logs/gather.log"
exit $code
