#!/bin/sh
# Run the demo and the tests on a machine that is fresh: a minimal Debian with Python, venv, make and git alone, as root
# and as an ordinary user, in a chroot whose root no mount line names, without /sys, /dev/shm, ps, fuse or a mail program.
#
#   scripts/fresh.sh [FOLDER [WHAT…]]    FOLDER keeps the minimal system between runs (default:
#                                        /var/tmp/fold-keep-fresh); WHAT is demo, test, letters (default: all)
#
# "letters" types the first lines of the README as they stand there: it installs without pipx, and goes the way to `fold`.
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

letters() { # what the README has a newcomer type, at a terminal; to questions the answer is yes
    cat <<'END'
line=$(sed -n 's/^Without `pipx`: `\(.*\)`\. Less.*/\1/p' README.md)
[ -n "$line" ] || { echo "the README has no line without pipx"; exit 1; }
eval "$line" || exit 1
mkdir -p ~/Pictures/again && cp docs/screenshots/*.png ~/Pictures && cp docs/screenshots/s*.png ~/Pictures/again || exit 1
sed -n '/^## The first five minutes/,/^\$ foldkeep fold$/s/^\$ //p' README.md >lines
[ "$(wc -l <lines)" -ge 4 ] || { echo "the README goes another way"; exit 1; }
while read -r line; do
    echo "\$ $line"
    answers=$(mktemp)
    case $line in *review) printf 'stop\n' ;; *) printf 'y\n' ;; esac >"$answers"
    script -qec "$line" /dev/null <"$answers" || exit 1
done <lines
foldkeep ledger 1 | head -n 3
[ -z "$(ls ~/Pictures/again 2>/dev/null)" ] || { echo "the spares were not folded"; exit 1; }
END
}

[ $# -eq 0 ] || shift
failed=""
for who in root keeper; do
    home=$(chroot "$root" sh -c "echo ~$who")
    rm -rf "$root$home/fold-keep" "$root$home/.cache"
    git -C "$here" clone -q --no-hardlinks "$here" "$root$home/fold-keep"
    chroot "$root" chown -R "$who:$who" "$home"
    # A shell starts what runs behind it with Ctrl-C ignored: so do schedulers.
    ignoring=$([ "$who" = keeper ] && echo "trap '' INT;" || true)
    for target in ${*:-demo test letters}; do
        echo "--- as $who: $target"
        begun=$(date +%s)
        command="make $target"
        [ "$target" != letters ] || { letters >"$root$home/fold-keep/letters.sh" && command="sh letters.sh"; }
        within "$who" "$home" "cd fold-keep && $ignoring $command" >"$where/$who-$target.log" 2>&1 ||
            failed="$failed $who:$target"
        tail -n 6 "$where/$who-$target.log"
        echo "--- $(($(date +%s) - begun)) s; all of it in $where/$who-$target.log"
    done
done
[ -z "$failed" ] || { echo "failed:$failed"; exit 1; }
echo "nothing failed"
