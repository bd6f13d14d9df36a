#!/bin/sh
# Tall Check recorder for macOS, for a machine with no Python. It notes memory and processor use
# over time, and nothing else: no user names, programs, addresses or serial numbers. It writes a
# usage log (CSV), one row a sample, and appends to one that is there. Stop it with Ctrl+C.
#
#   sh record.sh potting-02.usage.csv [SECONDS BETWEEN SAMPLES] [HOURS]
#
# Then, where Tall Check is: tallcheck usage potting-02.usage.csv

#@ record.sh

cores=$(sysctl -n hw.logicalcpu)
total=$(sysctl -n hw.memsize)

# bytes swapped in and out since the start, and bytes that are free or given back on demand
pages() {
    vm_stat | awk '
        /page size of/ { for (i = 1; i < NF; i++) if ($i == "of") page = $(i + 1) }
        { gsub(/[".]/, ""); count = $NF }
        /^Pages (free|inactive|speculative|purgeable):/ { free += count }
        /^Swapins:/ { in_ = count }
        /^Swapouts:/ { out = count }
        END { printf "%.0f %.0f %.0f", in_ * page, out * page, free * page }'
}

# total and used swap, from "total = 2048.00M  used = 1023.50M  free = 1024.50M  (encrypted)"
swap() {
    sysctl -n vm.swapusage | awk '
        { for (i = 1; i < NF - 1; i++) if ($(i + 1) == "=") size[$i] = $(i + 2) * 1048576 }
        END { printf "%.0f %.0f", size["total"], size["used"] }'
}

# the share of all processor time that was busy since the sample before, which takes its time
busy() {
    top -l 2 -n 0 -s "$every" | awk '
        /CPU usage/ { for (i = 2; i <= NF; i++) if ($i ~ /^idle/) idle = $(i - 1) }
        END { sub(/%/, "", idle); if (idle != "") printf "%.4f", 1 - idle / 100 }'
}

stamp() { date +%Y-%m-%dT%H:%M:%S%z | sed 's/\(..\)$/:\1/'; }

before=$(pages)
left=$(awk -v h="$hours" -v e="$every" 'BEGIN { printf "%d", h * 3600 / e }')
while [ -z "$stop" ] && [ "$left" -gt 0 ]; do
    share=$(busy)
    [ -n "$stop" ] && break
    left=$((left - 1))
    now=$(pages)
    printf '%s\n%s\n%s\n' "$before" "$now" "$(swap)" | awk -v at="$(stamp)" -v total="$total" \
        -v share="$share" -v cores="$cores" '
        NR == 1 { split($0, old, " ") }
        NR == 2 { split($0, new, " ") }
        NR == 3 {
            free = new[3] < total ? new[3] : total
            full = share == "" ? "" : sprintf("%.4f", share * cores)
            printf "%s,%.0f,%.0f,%s,%s,%.0f,%.0f,,%s,,%d\n", at, total, free, $1, $2, \
                new[1] - old[1], new[2] - old[2], full, cores
        }' >> "$log" || { echo "$log cannot be written" >&2; exit 4; }
    before=$now
done
exit 0
