# Tall Check recorder for Windows, for a machine with no Python. It notes memory and processor use
# over time, and nothing else: no user names, programs, addresses or serial numbers. It writes a
# usage log (CSV), one row a sample, and appends to one that is there.
#
#   powershell -NoProfile -ExecutionPolicy Bypass -File record.ps1 potting-02.usage.csv 5 8

param([string]$Log = "here.usage.csv", [double]$Every = 5, [double]$Hours = 8)
$ErrorActionPreference = "Stop"
$header = "time,memory_total,memory_available,swap_total,swap_used,swapped_in,swapped_out,memory_stall,cores_busy,busiest_core,core_count"
$invariant = [System.Globalization.CultureInfo]::InvariantCulture
if ((Test-Path $Log) -and (Get-Item $Log).Length -gt 0) {
    $lines = [System.IO.File]::ReadAllText((Resolve-Path $Log).Path)
    $found = ($lines -split "`n" | Where-Object { $_ -notmatch "^#" } | Select-Object -First 1).Trim()
    if ($found -ne $header) { Write-Error "${Log}: found other columns; expected $header"; exit 3 }
    if (-not $lines.EndsWith("`n")) {
        # a torn last row is taken out
        [System.IO.File]::WriteAllText((Resolve-Path $Log).Path, $lines.Substring(0, $lines.LastIndexOf("`n") + 1))
    }
} else {
    [System.IO.File]::WriteAllText((Join-Path (Get-Location) $Log), "# machine: $env:COMPUTERNAME`n$header`n")
}
$path = (Resolve-Path $Log).Path
$end = (Get-Date).AddHours($Hours)
while ((Get-Date) -lt $end) {
    Start-Sleep -Milliseconds ([int]($Every * 1000))
    $system = Get-CimInstance Win32_OperatingSystem -Property TotalVisibleMemorySize, FreePhysicalMemory
    $pages = @(Get-CimInstance Win32_PageFileUsage -Property AllocatedBaseSize, CurrentUsage)
    $memory = Get-CimInstance Win32_PerfFormattedData_PerfOS_Memory -Property PagesInputPersec, PagesOutputPersec
    $cores = @(Get-CimInstance Win32_PerfFormattedData_PerfOS_Processor -Property Name, PercentProcessorTime | Where-Object { $_.Name -ne "_Total" })
    $shares = $cores | ForEach-Object { $_.PercentProcessorTime / 100 }
    $cells = @(
        (Get-Date).ToString("yyyy-MM-ddTHH:mm:sszzz", $invariant),
        ([uint64]$system.TotalVisibleMemorySize * 1024), ([uint64]$system.FreePhysicalMemory * 1024),
        ([uint64]($pages | Measure-Object AllocatedBaseSize -Sum).Sum * 1MB),
        ([uint64]($pages | Measure-Object CurrentUsage -Sum).Sum * 1MB),
        [uint64]($memory.PagesInputPersec * 4096 * $Every), [uint64]($memory.PagesOutputPersec * 4096 * $Every), "",
        ($shares | Measure-Object -Sum).Sum.ToString("F4", $invariant),
        ($shares | Measure-Object -Maximum).Maximum.ToString("F4", $invariant), $cores.Count
    )
    [System.IO.File]::AppendAllText($path, ($cells -join ",") + "`n")
}
