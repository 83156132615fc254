#!/bin/bash
# Runs a command in a root that stands in no line of the table of mounts, as in a chroot and some containers.
# Needs root. Without a command it runs the harnesses of the folding room: scripts/unlisted.sh [COMMAND]
set -euo pipefail
here=$(cd "$(dirname "$0")/.." && pwd)
root=$(mktemp -d /var/tmp/unlisted.XXXXXX)
command=${1:-"cd '$here' && .venv/bin/python -m pytest -n auto tests/fold/test_other_hand.py tests/fold/test_power.py \
tests/fold/test_killed.py tests/fold/test_faults.py -m 'not long' --basetemp /tmp/tests"}
trap 'rm -rf --one-file-system "$root"' EXIT
# The mounts go with the name space; only the empty folders are left.
unshare -m bash -c '
set -e
mount --make-rprivate /
for path in /*; do
    case $path in /tmp | /var | /mnt | /media | /lost+found) continue ;; esac
    if [ -L "$path" ]; then ln -s "$(readlink "$path")" "$0$path"
    elif [ -d "$path" ]; then mkdir "$0$path" && mount --rbind "$path" "$0$path"; fi
done
mkdir -p "$0/tmp" "$0/var/tmp"
chmod 1777 "$0/tmp" "$0/var/tmp"
exec chroot "$0" bash -c "$1"' "$root" "$command"
