#!/bin/sh
# Tall Check kit for Linux. It reads what the system tells about memory, processor, firmware,
# storage, graphics and installed programs (names and versions), and writes one tar to standard
# output. A capture may hold serial numbers in its raw firmware table; a sheet made from it holds
# none. It reads no user names, network addresses or keys, changes nothing, and leaves no trace.
#
#   sh kit.sh > potting-02.tar        or        ssh machine sh < kit.sh > potting-02.tar
#
# As root it also reads the firmware tables: modules, positions, ceiling.

set -u
umask 077
LC_ALL=C
export LC_ALL
if [ -t 1 ]; then
    echo "this writes a tar: send it to a file, as in: sh kit.sh > $(uname -n).tar" >&2
    exit 2
fi
work=$(mktemp -d 2> /dev/null || mktemp -d /dev/shm/kit.XXXXXX 2> /dev/null || mktemp -d "$PWD/kit.XXXXXX") || exit 1
trap 'rm -rf "$work"' EXIT
trap 'exit 130' HUP INT TERM
root=$work/tree
mkdir "$root"

# what was looked at: there, absent, or denied
note() { printf '%s %s\n' "$1" "$2" >> "$root/manifest"; }

look() {
    if [ -e "/$1" ]; then
        note there "$1"
        return 0
    fi
    above=/${1%/*}
    if [ -d "$above" ] && [ ! -x "$above" ]; then note denied "$1"; else note absent "$1"; fi
    return 1
}

# files under /proc and /sys claim a size of zero, so they are copied by reading them
take() {
    if [ ! -e "/$1" ]; then
        look "$1"
        return 0
    fi
    [ -d "/$1" ] && return 0
    mkdir -p "$root/${1%/*}"
    if cat "/$1" > "$root/$1" 2> /dev/null; then
        note there "$1"
    else
        rm -f "$root/$1"
        note denied "$1"
    fi
}

# the same through a filter, for files that hold more than is needed
take_part() {
    file=$1
    shift
    look "$file" || return 0
    mkdir -p "$root/${file%/*}"
    "$@" < "/$file" > "$root/$file" 2> /dev/null
    return 0
}

# mount points may carry user names
# what lies under people's folders and on removable media is named by them; mounts have their
# blanks escaped, and df has a mount point at the end of its line
hide_names() {
    sed -E -e 's,/(home|Users|media|run/media|run/user)/[^ :]*,/\1/-,g' -e 's,/root/[^ :]*,/root/-,g'
}
hide_names_of_df() { sed -E -e 's,( /(home|media|run/media|run/user|root))/.*$,\1/-,' | hide_mapped; }
# people name mapped volumes, too: each is called by its number, here and in /proc
mapped=/sys/block
hide_mapped() {
    rules=
    for one in "$mapped"/dm-*/dm/name; do
        [ -e "$one" ] || continue
        number=${one%/dm/name}
        name=$(sed -e 's,[].[*^$/\],\\&,g' < "$one")
        rules="${rules}s/^\\/dev\\/mapper\\/$name\\([[:space:]]\\)/\\/dev\\/mapper\\/${number##*/}\\1/;"
    done
    sed -e "$rules"
}
real_mounts() { grep -E '^(/dev/|[^ ]+ / )' | hide_names | hide_mapped; }
swap_lines() { hide_names | hide_mapped; }

date -u +%Y-%m-%dT%H:%M:%SZ > "$root/gathered"
uname -m > "$root/uname-m"
uname -r > "$root/uname-r"

for name in cpuinfo meminfo version loadavg modules pressure/memory pressure/cpu pressure/io \
    sys/kernel/arch sys/kernel/osrelease; do
    take "proc/$name"
done
take_part proc/mounts real_mounts
take_part proc/swaps swap_lines
limits() { tr ' ' '\n' | grep -E '^(mem|memmap|hugepages|maxcpus|nr_cpus)=' | tr '\n' ' '; }
take_part proc/cmdline limits
look proc/xen/capabilities && take proc/xen/capabilities
take etc/os-release
take usr/lib/os-release
take sys/fs/cgroup/memory.max
take sys/fs/cgroup/memory/memory.limit_in_bytes
look dev/kvm

cpu=sys/devices/system/cpu
for name in online present possible offline smt/control cpu0/acpi_cppc/nominal_freq; do
    take "$cpu/$name"
done
for one in /$cpu/cpu[0-9]*; do
    one=${one#/}
    for name in online cpu_capacity topology/core_id topology/physical_package_id \
        topology/core_cpus_list topology/thread_siblings_list cpufreq/base_frequency \
        cpufreq/cpuinfo_max_freq; do
        [ -e "/$one/$name" ] && take "$one/$name"
    done
    for index in /"$one"/cache/index[0-9]*; do
        for name in level type size shared_cpu_list; do
            [ -e "$index/$name" ] && take "${index#/}/$name"
        done
    done
done
take sys/devices/cpu_core/cpus
take sys/devices/cpu_atom/cpus

for name in sys_vendor product_name chassis_type bios_version bios_date; do
    take "sys/class/dmi/id/$name"
done
take sys/firmware/dmi/tables/smbios_entry_point
take sys/firmware/dmi/tables/DMI
tree=sys/firmware/devicetree/base
if look "$tree"; then
    for one in /$tree/model /$tree/#address-cells /$tree/#size-cells /$tree/memory*/reg; do
        [ -e "$one" ] && take "${one#/}"
    done
fi
no_serials() { grep -v SERIAL; }
take_part run/udev/data/+dmi:id no_serials
if look sys/firmware/efi; then
    for one in /sys/firmware/efi/efivars/SecureBoot-*; do
        [ -e "$one" ] && take "${one#/}"
    done
fi
look sys/class/tpm && look sys/class/tpm/tpm0 && take sys/class/tpm/tpm0/tpm_version_major

for one in /sys/block/*; do
    one=${one#/}
    for name in size removable queue/rotational; do
        [ -e "/$one/$name" ] && take "$one/$name"
    done
    # a mapped volume by its number; of an encrypted layer, that it is one
    [ -e "/$one/dm/name" ] && mkdir -p "$root/$one/dm" && echo "${one##*/}" > "$root/$one/dm/name"
    [ -e "/$one/dm/uuid" ] && mkdir -p "$root/$one/dm" && cut -c 1-6 < "/$one/dm/uuid" > "$root/$one/dm/uuid"
    for part in "/$one"/*/partition; do
        [ -e "$part" ] && take "${part#/}"
    done
    for below in "/$one"/slaves/*; do
        [ -e "$below" ] && mkdir -p "$root/$one/slaves" && : > "$root/${below#/}"
    done
done
df -P -k 2> /dev/null | grep -E '^/dev/| /$' | hide_names_of_df > "$root/df"

look sys/class/drm
for card in /sys/class/drm/card*; do
    for name in device/vendor device/device device/mem_info_vram_total status modes; do
        [ -e "$card/$name" ] && take "${card#/}/$name"
    done
done

package_lines() { grep -E '^(Package|Status|Version|Section):|^$'; }
take_part var/lib/dpkg/status package_lines
apk_lines() { grep -E '^[PV]:|^$'; }
take_part lib/apk/db/installed apk_lines
for one in /var/lib/pacman/local/*-*; do
    [ -d "$one" ] && mkdir -p "$root/var/lib/pacman/local" && : > "$root/${one#/}"
done
if [ ! -e /var/lib/dpkg/status ] && command -v rpm > /dev/null 2>&1; then
    rpm -qa --qf '%{NAME}\t%{VERSION}\n' > "$root/programs" 2> /dev/null
fi

if [ ! -s "$root/proc/meminfo" ] && [ ! -s "$root/proc/cpuinfo" ]; then
    echo "found neither /proc/meminfo nor /proc/cpuinfo: nothing could be read" >&2
    exit 3
fi
cd "$root" && tar cf - .
