#!/bin/sh
# Tall Check recorder for Linux, for a machine with no Python. It notes memory and processor use
# over time, and nothing else: no user names, programs, addresses or serial numbers. It writes a
# usage log (CSV), one row a sample, and appends to one that is there.
#
#   sh record.sh potting-02.usage.csv [SECONDS BETWEEN SAMPLES] [HOURS]
#
# Then, where Tall Check is: tallcheck usage potting-02.usage.csv

#@ record.sh

# every counter in one line: uptime pswpin pswpout stall, then busy and all ticks of each core
counters() {
    {
        cat /proc/uptime
        grep -E '^pswp(in|out) ' /proc/vmstat
        grep '^some' /proc/pressure/memory 2> /dev/null
        grep '^cpu[0-9]' /proc/stat
    } | awk '
        NR == 1 { up = $1 }
        $1 == "pswpin" { in_ = $2 }
        $1 == "pswpout" { out = $2 }
        $1 == "some" { sub(/.*total=/, ""); stall = $0 }
        $1 ~ /^cpu[0-9]/ {
            all = 0
            for (i = 2; i <= 9 && i <= NF; i++) all += $i
            cores = cores " " (all - $5 - $6) " " all
        }
        END { if (stall == "") stall = "-"; print up, in_ + 0, out + 0, stall cores }'
}

# memory: total, available, swap, swap in use without what is held compressed in memory
memory() {
    held=0
    for stat in /sys/block/zram*/mm_stat; do
        [ -e "$stat" ] && held=$((held + $(awk '{ print $3 }' "$stat")))
    done
    awk -v held="$held" '
        { size[$1] = $2 * 1024 }
        END {
            used = size["SwapTotal:"] - size["SwapFree:"] - size["Zswap:"] - held
            printf "%.0f %.0f %.0f %.0f", size["MemTotal:"], size["MemAvailable:"], size["SwapTotal:"], (used > 0 ? used : 0)
        }' /proc/meminfo
}

stamp() { date +%Y-%m-%dT%H:%M:%S%z | sed 's/\(..\)$/:\1/'; }

before=$(counters)
left=$(awk -v h="$hours" -v e="$every" 'BEGIN { printf "%d", h * 3600 / e }')
while [ -z "$stop" ] && [ "$left" -gt 0 ]; do
    sleep "$every"
    [ -n "$stop" ] && break
    left=$((left - 1))
    now=$(counters)
    # shellcheck disable=SC2046
    row=$(printf '%s\n%s\n%s\n' "$before" "$now" "$(memory)" | awk -v every="$every" -v at="$(stamp)" '
        NR == 1 { split($0, old, " ") }
        NR == 2 { count = split($0, new, " ") }
        NR == 3 {
            gone = new[1] - old[1]
            if (gone <= 0 || gone > 2.5 * every + 1) exit
            stall = ""
            if (new[4] != "-" && old[4] != "-") stall = sprintf("%.4f", (new[4] - old[4]) / gone / 1e6)
            for (i = 5; i < count; i += 2) {
                ticks = new[i + 1] - old[i + 1]
                share = ticks > 0 ? (new[i] - old[i]) / ticks : 0
                if (share < 0) share = 0
                busy += share
                cores++
                if (share > most) most = share
            }
            printf "%s,%s,%s,%s,%s,%.0f,%.0f,%s,%.4f,%.4f,%d", at, $1, $2, $3, $4, \
                (new[2] - old[2]) * 4096, (new[3] - old[3]) * 4096, stall, busy, most, cores
        }')
    [ -n "$row" ] && printf '%s\n' "$row" >> "$log"
    before=$now
done
exit 0
