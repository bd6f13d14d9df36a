# Tall Check kit for Windows. It reads what the system tells about memory, processor, firmware,
# storage, graphics and installed programs (names and versions), and writes one folder of JSON
# files. A capture may hold serial numbers in its raw firmware table (smbios.bin); a sheet made
# from it holds none. It reads no user names, network addresses or keys, and changes nothing else.
#
#   powershell -NoProfile -ExecutionPolicy Bypass -File kit.ps1 potting-02
#
# Then, where Tall Check is: tallcheck gather --from potting-02. Run as administrator, it also
# reads the security module. What was absent or denied is named in the file `manifest`. It compiles
# one declaration of a call of Windows' own (Add-Type, IsProcessorFeaturePresent of kernel32.dll);
# where a policy forbids that, the processor's features stay unknown. No query takes longer than
# half a minute. It ends with 0, with 3 where nothing could be read, with 4 where nothing be written.

param([string]$Folder = "tallcheck-capture")

# with - the capture goes to the output, as text, and nothing is left here
$stream = $Folder -eq "-"
if ($stream) {
    $Folder = [System.IO.Path]::Combine([System.IO.Path]::GetTempPath(), "tallcheck-" + [guid]::NewGuid().ToString("N"))
}
$version = "2"  # of this kit
$longest = 30  # seconds for a query
$ErrorActionPreference = "Stop"
$ProgressPreference = "SilentlyContinue"
$invariant = [System.Globalization.CultureInfo]::InvariantCulture
$manifest = New-Object System.Collections.ArrayList

function Save-Text([string]$Name, [string]$Text) {
    $path = [System.IO.Path]::Combine($target, $Name)
    [System.IO.File]::WriteAllText($path, $Text, (New-Object System.Text.UTF8Encoding $false))
}

function Add-State([string]$State, [string]$Item) {
    $null = $manifest.Add("$State $Item")
}

function Test-Denied($Fault) {
    # by code, never by the words of a language: CIM's and the system's "access denied"
    $codes = @(-2147217405, -2147024891, -2147217308)
    $inner = $Fault.Exception
    while ($null -ne $inner) {
        if ($codes -contains $inner.HResult) { return $true }
        if ("$($inner.NativeErrorCode)" -eq "AccessDenied") { return $true }
        $inner = $inner.InnerException
    }
    return $false
}

function Add-Fault([string]$Item, $Fault) {
    if (Test-Denied $Fault) { Add-State "denied" $Item } else { Add-State "absent" $Item }
}

function Save-Class([string]$Class, [string[]]$Properties, [string]$Namespace = "root/cimv2") {
    try {
        $found = @(Get-CimInstance -Namespace $Namespace -ClassName $Class -OperationTimeoutSec $longest -ErrorAction Stop)
        $kept = @($found | Select-Object -Property $Properties)
        Save-Text "$Class.json" (ConvertTo-Json -InputObject $kept -Depth 4)
        Add-State "there" "$Class.json"
    } catch {
        Add-Fault "$Class.json" $_
    }
}

function Read-Value([string]$Key, [string]$Name) {
    try {
        $value = (Get-ItemProperty -LiteralPath $Key -Name $Name -ErrorAction Stop).$Name
        $registry[$Name] = $value
    } catch {
        Add-Fault $Name $_
    }
}

try {
    # a plain path, with blanks, brackets or a network share in it, made in full
    $target = $ExecutionContext.SessionState.Path.GetUnresolvedProviderPathFromPSPath($Folder)
    $null = [System.IO.Directory]::CreateDirectory($target)
    $now = (Get-Date).ToUniversalTime().ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", $invariant)
    Save-Text "gathered" $now
} catch {
    [Console]::Error.WriteLine("The folder $Folder cannot be written: " + $_.Exception.Message)
    exit 4
}

Save-Class "Win32_Processor" @("Name", "Manufacturer", "NumberOfCores", "NumberOfEnabledCore", "NumberOfLogicalProcessors", "MaxClockSpeed", "AddressWidth", "DataWidth", "Architecture", "L2CacheSize", "L3CacheSize", "VirtualizationFirmwareEnabled", "VMMonitorModeExtensions")
Save-Class "Win32_PhysicalMemory" @("Capacity", "Speed", "ConfiguredClockSpeed", "MemoryType", "SMBIOSMemoryType", "FormFactor", "DeviceLocator", "BankLabel", "Manufacturer", "PartNumber", "TotalWidth", "DataWidth", "Attributes")
Save-Class "Win32_PhysicalMemoryArray" @("MemoryDevices", "MaxCapacity", "MaxCapacityEx", "Use", "Location")
Save-Class "Win32_OperatingSystem" @("Caption", "Version", "BuildNumber", "OSArchitecture", "TotalVisibleMemorySize", "FreePhysicalMemory", "SystemDrive")
Save-Class "Win32_ComputerSystem" @("Manufacturer", "Model", "TotalPhysicalMemory", "HypervisorPresent", "NumberOfProcessors", "NumberOfLogicalProcessors", "PCSystemType")
Save-Class "Win32_BIOS" @("SMBIOSBIOSVersion", "Manufacturer", "ReleaseDate")
Save-Class "Win32_SystemEnclosure" @("ChassisTypes", "Manufacturer")
Save-Class "Win32_Battery" @("Chemistry")
Save-Class "Win32_LogicalDisk" @("DeviceID", "DriveType", "FileSystem", "Size", "FreeSpace")
Save-Class "Win32_DiskDrive" @("Index", "Size", "MediaType", "InterfaceType")
Save-Class "Win32_VideoController" @("Name", "AdapterRAM", "CurrentHorizontalResolution", "CurrentVerticalResolution")
Save-Class "Win32_PageFileUsage" @("AllocatedBaseSize", "CurrentUsage")
Save-Class "Win32_Tpm" @("SpecVersion", "IsEnabled_InitialValue", "IsActivated_InitialValue") "root/cimv2/Security/MicrosoftTpm"
Save-Class "MSFT_PhysicalDisk" @("DeviceId", "MediaType", "Size", "BusType") "root/Microsoft/Windows/Storage"

# which volume lies on which drive
try {
    $volumes = @()
    foreach ($link in @(Get-CimInstance -ClassName "Win32_LogicalDiskToPartition" -OperationTimeoutSec $longest -ErrorAction Stop)) {
        if ("$($link.Antecedent.DeviceID)" -match "#(\d+)") {
            $volumes += @{ "Volume" = "$($link.Dependent.DeviceID)"; "Drive" = [int]$Matches[1] }
        }
    }
    Save-Text "volumes.json" (ConvertTo-Json -InputObject @($volumes))
    Add-State "there" "volumes.json"
} catch {
    Add-Fault "volumes.json" $_
}

# the raw firmware table, as the system hands it out: an 8-byte header, then the table
try {
    $raw = @(Get-CimInstance -Namespace "root/wmi" -ClassName "MSSmBios_RawSMBiosTables" -OperationTimeoutSec $longest -ErrorAction Stop)[0]
    $table = [byte[]]$raw.SMBiosData
    $header = New-Object System.Collections.ArrayList
    $null = $header.Add([byte][bool]$raw.Used20CallingMethod)
    $null = $header.Add([byte]$raw.SmbiosMajorVersion)
    $null = $header.Add([byte]$raw.SmbiosMinorVersion)
    $null = $header.Add([byte]$raw.DmiRevision)
    $header.AddRange([System.BitConverter]::GetBytes([uint32]$table.Length))
    $header.AddRange($table)
    $bytes = [byte[]]$header.ToArray([byte])
    [System.IO.File]::WriteAllBytes([System.IO.Path]::Combine($target, "smbios.bin"), $bytes)
    Add-State "there" "smbios.bin"
} catch {
    Add-Fault "smbios.bin" $_
}

# processor features by their documented numbers; policies may forbid to compile the call
try {
    $member = '[DllImport("kernel32.dll")] public static extern bool IsProcessorFeaturePresent(uint feature);'
    $port = Add-Type -PassThru -Name "Features" -Namespace "TallCheck" -MemberDefinition $member -ErrorAction Stop
    $features = @{}
    foreach ($number in 0..45) {
        $features["$number"] = $port::IsProcessorFeaturePresent($number)
    }
    Save-Text "features.json" (ConvertTo-Json -InputObject $features)
    Add-State "there" "features.json"
} catch {
    Add-Fault "features.json" $_
}

$registry = @{}
$control = "HKLM:\SYSTEM\CurrentControlSet\Control"
$current = "HKLM:\SOFTWARE\Microsoft\Windows NT\CurrentVersion"
Read-Value $control "PEFirmwareType"
Read-Value "$control\SecureBoot\State" "UEFISecureBootEnabled"
Read-Value $current "DisplayVersion"
try {
    Save-Text "registry.json" (ConvertTo-Json -InputObject $registry)
} catch {
    Add-Fault "registry.json" $_
}

# display adapters of the registry's class, whose memory has 64 bits there
try {
    $adapters = @()
    foreach ($key in @(Get-ChildItem -LiteralPath "$control\Class\{4d36e968-e325-11ce-bfc1-08002be10318}" -ErrorAction SilentlyContinue)) {
        $size = $key.GetValue("HardwareInformation.qwMemorySize") -as [uint64]
        $name = $key.GetValue("DriverDesc")
        if (($null -ne $size) -and ($null -ne $name)) {
            $adapters += @{ "DriverDesc" = "$name"; "HardwareInformation.qwMemorySize" = $size }
        }
    }
    Save-Text "adapters.json" (ConvertTo-Json -InputObject @($adapters))
} catch {
    Add-Fault "adapters.json" $_
}

try {
    $uninstall = @("HKLM:\SOFTWARE\Microsoft\Windows\CurrentVersion\Uninstall\*", "HKLM:\SOFTWARE\WOW6432Node\Microsoft\Windows\CurrentVersion\Uninstall\*", "HKCU:\SOFTWARE\Microsoft\Windows\CurrentVersion\Uninstall\*")
    $programs = @(Get-ItemProperty -Path $uninstall -ErrorAction SilentlyContinue | Where-Object { $_.DisplayName } | Select-Object -Property "DisplayName", "DisplayVersion")
    Save-Text "programs.json" (ConvertTo-Json -InputObject $programs)
} catch {
    Add-Fault "programs.json" $_
}

$read = @($manifest | Where-Object { $_ -like "there Win32_*" }).Count
Add-State "kit" $version
try {
    Save-Text "manifest" (($manifest -join "`n") + "`n")
} catch {
    [Console]::Error.WriteLine("The folder $target cannot be written: " + $_.Exception.Message)
    exit 4
}
if ($read -eq 0) {
    [Console]::Error.WriteLine("Tall Check kit ${version}: nothing could be read; see the file manifest in $target")
    exit 3
}
if ($stream) {
    try {
        Add-Type -AssemblyName "System.IO.Compression.FileSystem" -ErrorAction Stop
        [System.IO.Compression.ZipFile]::CreateFromDirectory($target, "$target.zip")
        $bytes = [System.IO.File]::ReadAllBytes("$target.zip")
        [Console]::Out.Write([System.Convert]::ToBase64String($bytes))
    } catch {
        [Console]::Error.WriteLine("The capture cannot be packed: " + $_.Exception.Message)
        exit 4
    } finally {
        Remove-Item -LiteralPath @($target, "$target.zip") -Recurse -Force -ErrorAction SilentlyContinue
    }
} else {
    Write-Output "Tall Check kit ${version}: the capture is in the folder $target. Please send that whole folder back."
}
