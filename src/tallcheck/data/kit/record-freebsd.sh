#!/bin/sh
# Tall Check recorder for FreeBSD, for a machine with no Python. It notes memory and processor use
# over time, and nothing else: no user names, programs, addresses or serial numbers. It writes a
# usage log (CSV), one row a sample, and appends to one that is there. Stop it with Ctrl+C.
#
#   sh record.sh potting-02.usage.csv [SECONDS BETWEEN SAMPLES] [HOURS]
#
# Then, where Tall Check is: tallcheck usage potting-02.usage.csv

#@ record.sh

page=$(sysctl -n hw.pagesize)
cores=$(sysctl -n hw.ncpu)
total=$(sysctl -n hw.physmem)
count() { sysctl -n "vm.stats.vm.v_$1"; }

# bytes swapped in and out since the start, and bytes that are free or given back on demand
pages() {
    cache=$(sysctl -n kstat.zfs.misc.arcstats.size 2> /dev/null || echo 0)
    kept=$(sysctl -n kstat.zfs.misc.arcstats.c_min 2> /dev/null || echo 0)
    echo "$(count swappgsin) $(count swappgsout) $(count free_count) $(count inactive_count) $cache $kept" |
        awk -v page="$page" '{
            held = $5 > $6 ? $5 - $6 : 0
            printf "%.0f %.0f %.0f", $1 * page, $2 * page, ($3 + $4) * page + held
        }'
}

# total and used swap, from the lines of each device
swap() { swapinfo -k | awk '/^\// { all += $2; used += $3 } END { printf "%.0f %.0f", all * 1024, used * 1024 }'; }

# the cores that were busy since the sample before, all and the busiest, from the ticks of each
busy() {
    printf '%s\n%s\n' "$1" "$2" | awk '
        NR == 1 { split($0, old, " ") }
        NR == 2 {
            for (i = 1; i + 4 <= NF; i += 5) {
                all = 0
                for (j = 0; j < 5; j++) all += $(i + j) - old[i + j]
                if (all <= 0) next
                share = 1 - ($(i + 4) - old[i + 4]) / all
                sum += share
                if (share > most) most = share
            }
            printf "%.4f,%.4f", sum, most
        }'
}

stamp() { date +%Y-%m-%dT%H:%M:%S%z | sed 's/\(..\)$/:\1/'; }

before=$(pages)
ticks=$(sysctl -n kern.cp_times)
left=$(awk -v h="$hours" -v e="$every" 'BEGIN { printf "%d", h * 3600 / e }')
while [ -z "$stop" ] && [ "$left" -gt 0 ]; do
    sleep "$every"
    [ -n "$stop" ] && break
    left=$((left - 1))
    now=$(pages)
    later=$(sysctl -n kern.cp_times)
    full=$(busy "$ticks" "$later")
    printf '%s\n%s\n%s\n' "$before" "$now" "$(swap)" | awk -v at="$(stamp)" -v total="$total" \
        -v full="${full:-,}" -v cores="$cores" '
        NR == 1 { split($0, old, " ") }
        NR == 2 { split($0, new, " ") }
        NR == 3 {
            free = new[3] < total ? new[3] : total
            printf "%s,%.0f,%.0f,%s,%s,%.0f,%.0f,,%s,%d\n", at, total, free, $1, $2, \
                new[1] - old[1], new[2] - old[2], full, cores
        }' >> "$log" || { echo "$log cannot be written" >&2; exit 4; }
    before=$now
    ticks=$later
done
exit 0
