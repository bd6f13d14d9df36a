set -u
LC_ALL=C
export LC_ALL
log=${1:?the name of the usage log}
every=${2:-5}
hours=${3:-8}
for number in "$every" "$hours"; do
    case $number in
    '' | . | *[!0-9.]* | *.*.*) echo "found '$number'; expected a number, such as 5" >&2; exit 2 ;;
    esac
done
header=time,memory_total,memory_available,swap_total,swap_used,swapped_in,swapped_out,memory_stall,cores_busy,busiest_core,core_count

if [ -s "$log" ]; then
    found=$(grep -v '^#' "$log" | head -n 1)
    if [ "$found" != "$header" ]; then
        echo "$log: found other columns; expected $header" >&2
        exit 3
    fi
    # a torn last row is taken out
    if [ -n "$(tail -c 1 "$log")" ]; then
        sed '$d' "$log" > "$log.new" && mv "$log.new" "$log"
    fi
else
    printf '# machine: %s\n%s\n' "$(uname -n)" "$header" > "$log" || exit 4
fi

stop=
trap 'stop=1' HUP INT TERM
