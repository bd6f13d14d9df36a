#!/bin/sh
# Tall Check kit for FreeBSD. It reads what the system tells about memory, processor, firmware,
# storage and installed programs (names and versions), and writes one tar to standard output. A
# capture may hold serial numbers in its raw firmware table; a sheet made from it holds none. It
# reads no user names, network addresses or keys, changes nothing, and leaves no trace.
#
#   sh kit.sh > potting-02.tar        or        ssh machine sh < kit.sh > potting-02.tar
#
# As root it also reads the firmware tables: modules, positions, ceiling.

set -u
umask 077
LC_ALL=C
PATH=$PATH:/sbin:/usr/sbin:/usr/local/sbin
export LC_ALL PATH
if [ -t 1 ]; then
    echo "this writes a tar: send it to a file, as in: sh kit.sh > $(uname -n).tar" >&2
    exit 2
fi
work=$(mktemp -d 2> /dev/null || mktemp -d "$PWD/kit.XXXXXX") || exit 1
trap 'rm -rf "$work"' EXIT
trap 'exit 130' HUP INT TERM
root=$work/tree
mkdir "$root" "$root/smbios"

# what was asked: there, absent, or denied
ask() {
    name=$1
    shift
    if ! command -v "$1" > /dev/null 2>&1; then
        printf 'absent %s\n' "$name" >> "$root/manifest"
    elif "$@" > "$root/$name" 2> /dev/null || [ -s "$root/$name" ]; then
        printf 'there %s\n' "$name" >> "$root/manifest"
    else
        rm -f "$root/$name"
        printf 'denied %s\n' "$name" >> "$root/manifest"
    fi
}

# a part of the computer's memory, from an address on, so many bytes
part() { dd if=/dev/mem bs=1 skip="$1" count="$2" 2> /dev/null; }

# so many bytes of the entry point, the lowest first, as a number
number() {
    od -An -v -tu1 -j "$1" -N "$2" "$root/smbios/entry" |
        awk '{ for (i = NF; i > 0; i--) n = n * 256 + $i } END { printf "%.0f", n }'
}

# the firmware's tables lie in memory; the loader says where
tables() {
    address=$(kenv -q hint.smbios.0.mem 2> /dev/null) || return 1
    part "$(printf '%d' "$address")" 32 > "$root/smbios/entry"
    case $(head -c 5 "$root/smbios/entry" 2> /dev/null | tr -d '\000') in
    _SM3_) at=$(number 16 8) length=$(number 12 4) ;;
    _SM_*) at=$(number 24 4) length=$(number 22 2) ;;
    *) return 1 ;;
    esac
    [ "$length" -gt 0 ] && [ "$length" -le 1048576 ] || return 1
    part "$at" "$length" > "$root/smbios/DMI"
    [ -s "$root/smbios/DMI" ]
}

messages() {
    grep -E '^CPU|^FreeBSD/SMP|Features[2]?=|^ +(VT-x|SVM):|Instruction Set Attributes' \
        /var/run/dmesg.boot
}

no_serials() { kenv | grep -E '^(smbios\.(bios|chassis\.type|memory|system\.(maker|product))|hint\.smbios)'; }

drives() { sysctl -n kern.geom.confxml | grep -v -E '<(ident|lunid|lunname|label|rawuuid|efimedia)>'; }

date -u +%Y-%m-%dT%H:%M:%SZ > "$root/gathered"
ask sysctl.txt sysctl -i kern.ostype kern.osrelease kern.vm_guest kern.smp security.jail.jailed \
    hw.model hw.machine hw.machine_arch hw.ncpu hw.physmem hw.pagesize machdep.bootmethod \
    vm.stats.vm vm.swap_total kstat.zfs.misc.arcstats.size kstat.zfs.misc.arcstats.c_min \
    dev.tpm dev.tpmcrb dev.tpmtis
ask dmesg.boot messages
ask kenv.txt no_serials
ask geom.xml drives
ask df.txt df -P -k
ask swapinfo.txt swapinfo -k
ask programs pkg query '%n\t%v'
if tables; then
    echo 'there smbios/DMI' >> "$root/manifest"
else
    rm -f "$root/smbios/entry" "$root/smbios/DMI"
    echo 'denied smbios/DMI' >> "$root/manifest"
fi

# volumes of other people's names are left out
if [ -e "$root/df.txt" ]; then
    sed -E -e 's,/(usr/home|home|media)/.*$,/\1/-,' "$root/df.txt" > "$root/df.new" &&
        mv "$root/df.new" "$root/df.txt"
fi
cd "$root" && tar cf - .
