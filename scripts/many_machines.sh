#!/usr/bin/env bash
# Shares and gathering on a real scheduler and with GNU parallel, on this machine alone: Slurm is
# started by hand, listens on 127.0.0.1, keeps everything in a temporary folder and ends with this
# script. Needs root and the Debian packages slurm-wlm, munge and parallel.
# Usage: scripts/many_machines.sh BUILD_FOLDER
set -euo pipefail
cd "$(dirname "$0")/.."
mellow=$(realpath "$1")/mellow
slurm_pack=$PWD/share/mellow/slurm-pack.sh
work=$(mktemp -d)
pids=()
end() {
  local code=$?
  [ $code -eq 0 ] || tail -n 20 "$work"/*.log "$work"/orchard/*/logs/* 2>/dev/null || true
  for pid in "${pids[@]}"; do kill "$pid" 2>/dev/null || true; done
  for pid in "${pids[@]}"; do wait "$pid" 2>/dev/null || true; done
  rm -rf "$work"
}
trap end EXIT
say() { echo "many_machines: $* (${SECONDS} s)"; }
same() { diff -r "$1" "$2" >"$work/diff.log" || { cat "$work/diff.log"; say "$1 is not what one machine makes"; exit 1; }; }

"$mellow" demo "$work/orchard" --data-only --quiet
cd "$work/orchard"
"$mellow" pack shift.recipe.toml --quiet
mv crates/shift one_machine

# ---- GNU parallel: local jobs; one is killed and begun again, one share runs twice at once
cat >"$work/once_killed" <<JOB
#!/bin/bash
# The first run of share 2 is killed while it works.
if [ "\$1" = 2 ] && mkdir "$work/killed" 2>/dev/null; then
  "$mellow" pack shift.recipe.toml --share 2/4 -o parts/2 --quiet & pid=\$!
  sleep 0.05; kill -9 \$pid; wait \$pid
fi
exec "$mellow" pack shift.recipe.toml --share "\$1/4" -o "parts/\$1" --quiet
JOB
sed -i 's/wait \$pid$/wait $pid; exit 137/' "$work/once_killed"
chmod +x "$work/once_killed"
PARALLEL_HOME=$work/parallel parallel --will-cite --jobs 4 --retries 3 --joblog "$work/jobs.log" "$work/once_killed" {} ::: 1 2 3 3 4
"$mellow" gather parts --quiet
same crates/shift one_machine
[ -d "$work/killed" ]
say "GNU parallel: four shares, one killed and begun again, one twice at once: the crate of one machine"
rm -r parts crates/shift

# ---- Slurm
run=$work/slurm
mkdir -p "$run/state" "$run/spool"
chmod 700 "$run"
dd if=/dev/urandom of="$run/munge.key" bs=128 count=1 status=none
chmod 400 "$run/munge.key"
munged --foreground --force --key-file="$run/munge.key" --socket="$run/munge.socket" --pid-file="$run/munge.pid" \
  --log-file="$run/munge.log" --seed-file="$run/munge.seed" >"$work/munged.log" 2>&1 & pids+=($!)
cat >"$run/slurm.conf" <<CONF
ClusterName=orchard
SlurmctldHost=$(hostname -s)(127.0.0.1)
SlurmUser=root
AuthType=auth/munge
AuthInfo=socket=$run/munge.socket
CommunicationParameters=NoInAddrAny,NoCtldInAddrAny
SlurmctldPort=16817
SlurmdPort=16818
StateSaveLocation=$run/state
SlurmdSpoolDir=$run/spool
SlurmctldPidFile=$run/slurmctld.pid
SlurmdPidFile=$run/slurmd.pid
SlurmctldLogFile=$work/slurmctld.log
SlurmdLogFile=$work/slurmd.log
ProctrackType=proctrack/pgid
TaskPlugin=task/none
SelectType=select/cons_tres
SelectTypeParameters=CR_Core
MpiDefault=none
ReturnToService=2
KillWait=1
SchedulerParameters=sched_interval=1,batch_sched_delay=1
NodeName=$(hostname -s) NodeAddr=127.0.0.1 CPUs=$(nproc) State=UNKNOWN
PartitionName=press Nodes=ALL Default=YES MaxTime=INFINITE State=UP
CONF
export SLURM_CONF=$run/slurm.conf
for i in $(seq 50); do [ -S "$run/munge.socket" ] && break; sleep 0.1; done
slurmctld -D -c >"$work/slurmctld.out.log" 2>&1 & pids+=($!)
slurmd -D >"$work/slurmd.out.log" 2>&1 & pids+=($!)
for i in $(seq 100); do [ "$(sinfo -h -o %t 2>/dev/null)" = idle ] && break; sleep 0.2; done
[ "$(sinfo -h -o %t)" = idle ] || { say "Slurm does not come up"; exit 1; }
if ss -ltn 2>/dev/null | grep -E ':168(17|18) ' | grep -v '127.0.0.1:'; then say "Slurm listens elsewhere"; exit 1; fi

# A tool that kills itself once in share 2, and is lost once in share 3: the task goes back to the queue.
cat >"$work/mellow" <<JOB
#!/bin/bash
case "\$*" in
  pack*" 2/4 "*) mkdir "$work/killed2" 2>/dev/null && kill -9 \$\$ ;;
  pack*" 3/4 "*) mkdir "$work/killed3" 2>/dev/null && { scontrol requeue "\$SLURM_JOB_ID"; sleep 20; } ;;
esac
exec "$mellow" "\$@"
JOB
chmod +x "$work/mellow"
"$slurm_pack" --shares 4 --partition press --time 5 --retries 2 --wait --mellow "$work/mellow" shift.recipe.toml >"$work/slurm_pack.log" 2>&1 & waiting=$!
# Slurm lets a task that was requeued wait for two minutes; here it begins at once.
while kill -0 "$waiting" 2>/dev/null; do
  for job in $(squeue -h -t PD -n mellow-pack -o %A 2>/dev/null); do scontrol update "JobId=$job" StartTime=now 2>/dev/null || true; done
  sleep 0.5
done
wait "$waiting" || { cat "$work/slurm_pack.log"; exit 1; }
same crates/shift one_machine
[ -d "$work/killed2" ] && [ -d "$work/killed3" ]
[ "$(cat parts/logs/{1,2,3,4,gather}.exit | tr -d '\n')" = 00000 ]
say "Slurm: four shares, one killed, one requeued: the crate of one machine"

# A share that cannot be packed: gathering says which, and nothing is put in place.
rm -r parts crates/shift
code=0
printf '#!/bin/bash\ncase "$*" in pack*" 2/3 "*) exit 3 ;; esac\nexec %q "$@"\n' "$mellow" >"$work/mellow"
"$slurm_pack" --shares 3 --wait --mellow "$work/mellow" shift.recipe.toml >"$work/slurm_pack.log" 2>&1 || code=$?
[ "$code" -eq 3 ] && grep -q 'share 2/3\|--share 2/3' "$work/slurm_pack.log" && [ ! -e crates/shift ] ||
  { cat "$work/slurm_pack.log"; say "a missing share went unsaid (exit $code)"; exit 1; }
[ "$(cat parts/logs/2.exit)" = 3 ]
say "Slurm: a share that fails is named, and nothing is put in place"
