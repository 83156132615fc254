#!/bin/sh
# Run the demo and the tests on a machine that is fresh: a minimal Debian with Python, venv, make and git alone, as root
# and as an ordinary user, in a chroot whose root no mount line names, without /sys, /dev/shm, ps, fuse or a mail program.
#
#   scripts/fresh.sh [FOLDER]    FOLDER keeps the minimal system between runs (default: /var/tmp/fold-keep-fresh)
#
# Needs root, debootstrap and unshare. The system comes from the mirror that this machine's own sources name, and Python's
# packages from the registry that this machine's pip is set up for.
set -eu
here=$(cd "$(dirname "$0")/.." && pwd)
where=${1:-/var/tmp/fold-keep-fresh}
root=$where/root
suite=$(. /etc/os-release && echo "$VERSION_CODENAME")

if [ -z "${FOLDKEEP_IN_FRESH:-}" ]; then # the mounts below end with this process
    FOLDKEEP_IN_FRESH=1 exec unshare --mount --pid --fork --kill-child "$0" "$@"
fi

if [ ! -e "$where/made" ]; then
    mirror=$(cat /etc/apt/sources.list /etc/apt/sources.list.d/*.sources /etc/apt/sources.list.d/*.list 2>/dev/null |
        sed -n 's/^URIs: *\([^ ]*\).*/\1/p; s/^deb  *\(\[[^]]*\] *\)\{0,1\}\([^ ]*\).*/\2/p' | head -n 1)
    rm -rf "$where"
    mkdir -p "$where"
    debootstrap --variant=minbase --include=python3,python3-venv,make,git,ca-certificates "$suite" "$root" "$mirror"
    chroot "$root" useradd --create-home keeper
    touch "$where/made"
fi

# How this machine reaches its registries; nothing of it is written anywhere else.
for each in /etc/resolv.conf /etc/hosts /etc/pip.conf /etc/xdg/pip /etc/ssl/certs/ca-certificates.crt /root/.config/pip; do
    [ -e "$each" ] || continue
    mkdir -p "$root$(dirname "$each")"
    cp -aLT "$each" "$root$each"
done
# Folders of packages that this machine's pip is set up to look into as well.
for each in $(python3 -m pip config list | tr "' " '\n\n' | sed -n 's#^\(file://\)\{0,1\}\(/.*\)#\2#p' | sort -u); do
    [ -d "$each" ] || continue
    each=${each%/simple} # an index has its files beside it
    mkdir -p "$root$each"
    mount --bind "$each" "$root$each"
done
mount -t proc proc "$root/proc"
mkdir -p "$root/dev/pts"
mount -t devpts devpts "$root/dev/pts" -o newinstance,ptmxmode=0666
rm -rf "$root/dev/ptmx" "$root/dev/shm"
ln -s pts/ptmx "$root/dev/ptmx"
[ -e "$root/dev/fd" ] || ln -s /proc/self/fd "$root/dev/fd"

pip=$(env | sed -n 's/^\(PIP_[A-Z_]*\|SSL_CERT_FILE\|SSL_CERT_DIR\|REQUESTS_CA_BUNDLE\)=\([^ ]*\)$/\1=\2/p')
within() { # WHO HOME COMMAND
    # shellcheck disable=SC2086 - each setting is a word of its own
    chroot --userspec="$1" "$root" /usr/bin/env -i PATH=/usr/local/bin:/usr/bin:/bin LANG=C HOME="$2" $pip \
        sh -c "cd $2 && $3"
}

failed=""
for who in root keeper; do
    home=$(chroot "$root" sh -c "echo ~$who")
    rm -rf "$root$home/fold-keep" "$root$home/.cache"
    git -C "$here" clone -q --no-hardlinks "$here" "$root$home/fold-keep"
    chroot "$root" chown -R "$who:$who" "$home"
    # A shell starts what runs behind it with Ctrl-C ignored: so do schedulers.
    ignoring=$([ "$who" = keeper ] && echo "trap '' INT;" || true)
    for target in demo test; do
        echo "--- as $who: make $target"
        begun=$(date +%s)
        within "$who" "$home" "cd fold-keep && $ignoring make $target" >"$where/$who-$target.log" 2>&1 ||
            failed="$failed $who:$target"
        tail -n 6 "$where/$who-$target.log"
        echo "--- $(($(date +%s) - begun)) s; all of it in $where/$who-$target.log"
    done
done
[ -z "$failed" ] || { echo "failed:$failed"; exit 1; }
echo "nothing failed"
