# Tall Check recorder for Windows, for a machine with no Python. It notes memory and processor use
# over time, and nothing else: no user names, programs, addresses or serial numbers. It writes a
# usage log (CSV), one row a sample, and appends to one that is there. Stop it with Ctrl+C.
#
#   powershell -NoProfile -ExecutionPolicy Bypass -File record.ps1 potting-02.usage.csv 5 8

param([string]$Log = "here.usage.csv", [string]$Every = "5", [string]$Hours = "8")
$ErrorActionPreference = "Stop"
$ProgressPreference = "SilentlyContinue"
$header = "time,memory_total,memory_available,swap_total,swap_used,swapped_in,swapped_out,memory_stall,cores_busy,busiest_core,core_count"
$invariant = [System.Globalization.CultureInfo]::InvariantCulture

function Stop-With([string]$Text, [int]$Code) {
    [Console]::Error.WriteLine($Text)
    exit $Code
}

function Read-Number([string]$Text, [string]$Name, [double]$Least) {
    $value = 0.0
    $style = [System.Globalization.NumberStyles]::Float
    $read = [double]::TryParse($Text, $style, $invariant, [ref]$value)
    if ((-not $read) -or [double]::IsNaN($value) -or ($value -lt $Least) -or ($value -gt 100000)) {
        Stop-With "${Name}: found '$Text'; expected a number of at least $Least, such as 5" 2
    }
    return $value
}

function Read-Objects([string]$Class, [string[]]$Properties) {
    try {
        return @(Get-CimInstance -ClassName $Class -Property $Properties -ErrorAction Stop)
    } catch {
        return @()
    }
}

$seconds = Read-Number $Every "the time between samples, in seconds" 1
$length = Read-Number $Hours "the hours to record" 0.001

try {
    $path = $ExecutionContext.SessionState.Path.GetUnresolvedProviderPathFromPSPath($Log)
    $there = [System.IO.File]::Exists($path) -and ((New-Object System.IO.FileInfo $path).Length -gt 0)
    if ($there) {
        $text = [System.IO.File]::ReadAllText($path)
        $lines = @($text -split "`n" | Where-Object { $_ -notmatch "^#" })
        if ($lines[0].Trim() -ne $header) {
            Stop-With "${path}: found other columns; expected $header" 3
        }
        if (-not $text.EndsWith("`n")) {
            # a torn last row is taken out
            [System.IO.File]::WriteAllText($path, $text.Substring(0, $text.LastIndexOf("`n") + 1))
        }
    } else {
        $name = [System.Environment]::MachineName
        [System.IO.File]::WriteAllText($path, "# machine: $name`n$header`n")
    }
} catch {
    Stop-With ("${Log} cannot be written: " + $_.Exception.Message) 4
}

Write-Output "Recording into $path for $Hours hours. Leave this window open, and work as usual."
$end = [System.DateTime]::UtcNow.AddHours($length)
$rows = 0
while ([System.DateTime]::UtcNow -lt $end) {
    Start-Sleep -Milliseconds ([int]($seconds * 1000))
    $system = @(Read-Objects "Win32_OperatingSystem" @("TotalVisibleMemorySize", "FreePhysicalMemory"))
    if ($system.Count -eq 0) { continue }
    $pages = @(Read-Objects "Win32_PageFileUsage" @("AllocatedBaseSize", "CurrentUsage"))
    $paging = @(Read-Objects "Win32_PerfFormattedData_PerfOS_Memory" @("PagesInputPersec", "PagesOutputPersec"))
    $cores = @(Read-Objects "Win32_PerfFormattedData_PerfOS_Processor" @("Name", "PercentProcessorTime") | Where-Object { $_.Name -ne "_Total" })
    $swapped = @("", "")
    if ($paging.Count -gt 0) {
        $each = 4096 * $seconds
        $swapped = @([uint64]($paging[0].PagesInputPersec * $each), [uint64]($paging[0].PagesOutputPersec * $each))
    }
    $busy = @("", "", "")
    if ($cores.Count -gt 0) {
        $shares = @($cores | ForEach-Object { $_.PercentProcessorTime / 100 })
        $sum = ($shares | Measure-Object -Sum).Sum
        $most = ($shares | Measure-Object -Maximum).Maximum
        $busy = @($sum.ToString("F4", $invariant), $most.ToString("F4", $invariant), $cores.Count)
    }
    $total = ($pages | Measure-Object -Property AllocatedBaseSize -Sum).Sum
    $used = ($pages | Measure-Object -Property CurrentUsage -Sum).Sum
    $cells = @(
        [System.DateTimeOffset]::Now.ToString("yyyy-MM-dd'T'HH:mm:sszzz", $invariant),
        ([uint64]$system[0].TotalVisibleMemorySize * 1024),
        ([uint64]$system[0].FreePhysicalMemory * 1024),
        ([uint64]$total * 1048576), ([uint64]$used * 1048576)
    )
    $cells = $cells + $swapped + @("") + $busy
    try {
        [System.IO.File]::AppendAllText($path, ($cells -join ",") + "`n")
        $rows = $rows + 1
    } catch {
        Stop-With ("${path} cannot be written: " + $_.Exception.Message) 4
    }
}
Write-Output "$rows rows are in $path. Please send that file back."
