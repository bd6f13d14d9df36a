#!/bin/sh
# Tall Check kit for macOS. It reads what the system tells about memory, processor and storage,
# and writes one tar to standard output. It reads no serial numbers, user names, network addresses
# or keys, changes nothing, and leaves no trace. What it cannot read is named in `manifest`.
#
#   sh kit.sh > potting-02.tar        or        ssh machine sh < kit.sh > potting-02.tar

set -u
umask 077
LC_ALL=C
export LC_ALL
if [ -t 1 ]; then
    echo "this writes a tar: send it to a file, as in: sh kit.sh > mac.tar" >&2
    exit 2
fi
work=$(mktemp -d 2> /dev/null || mktemp -d "$PWD/kit.XXXXXX") || exit 1
trap 'rm -rf "$work"' EXIT
trap 'exit 130' HUP INT TERM
root=$work/tree
mkdir "$root"

ask() {
    name=$1
    shift
    if ! command -v "$1" > /dev/null 2>&1; then
        printf 'absent %s\n' "$name" >> "$root/manifest"
    elif "$@" > "$root/$name" 2> /dev/null; then
        printf 'there %s\n' "$name" >> "$root/manifest"
    else
        printf 'denied %s\n' "$name" >> "$root/manifest"
    fi
}

date -u +%Y-%m-%dT%H:%M:%SZ > "$root/gathered"
hardware() { sysctl hw machdep.cpu vm.swapusage kern.osproductversion kern.hv_support | grep -v -i serial; }
if hardware > "$root/sysctl.txt" 2> /dev/null || [ -s "$root/sysctl.txt" ]; then
    echo 'there sysctl.txt' >> "$root/manifest"
else
    echo 'denied sysctl.txt' >> "$root/manifest"
fi
ask vm_stat.txt vm_stat
ask sw_vers.txt sw_vers
ask df.txt df -P -k
for app in /Applications/*.app; do
    plist=$app/Contents/Info
    [ -e "$plist.plist" ] || continue
    version=$(defaults read "$plist" CFBundleShortVersionString 2> /dev/null) || version=
    title=${app##*/}
    printf '%s\t%s\n' "${title%.app}" "$version"
done > "$root/programs"

# volumes of other people's names are left out
if [ -e "$root/df.txt" ]; then
    sed -E -e 's,/(Users|Volumes)/.*$,/\1/-,' "$root/df.txt" > "$root/df.new" && mv "$root/df.new" "$root/df.txt"
fi
cd "$root" && tar cf - .
