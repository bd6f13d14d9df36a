# Tall Check kit for Windows. It reads what the system tells about memory, processor, firmware,
# storage, graphics and installed programs (names and versions), and writes one folder of JSON
# files. A capture may hold serial numbers in its raw firmware table (smbios.bin); a sheet made
# from it holds none. It reads no user names, network addresses or keys, and changes nothing else.
#
#   powershell -NoProfile -ExecutionPolicy Bypass -File kit.ps1 potting-02
#
# Then, where Tall Check is: tallcheck gather --from potting-02. Run as administrator, it also
# reads the security module. What was absent or denied is named in the file `manifest`.

param([string]$Folder = "tallcheck-capture")
$ErrorActionPreference = "Stop"
$null = New-Item -ItemType Directory -Force -Path $Folder
$target = (Resolve-Path $Folder).Path
$manifest = New-Object System.Collections.ArrayList

function Save-Text([string]$Name, [string]$Text) {
    [System.IO.File]::WriteAllText((Join-Path $target $Name), $Text, (New-Object System.Text.UTF8Encoding $false))
}
function Add-State([string]$State, [string]$Item) { $null = $manifest.Add("$State $Item") }

function Save-Class([string]$Class, [string[]]$Properties, [string]$Namespace = "root/cimv2") {
    try {
        $found = @(Get-CimInstance -Namespace $Namespace -ClassName $Class | Select-Object -Property $Properties)
        Save-Text "$Class.json" (ConvertTo-Json -InputObject $found -Depth 3)
        Add-State "there" "$Class.json"
    } catch {
        $denied = $_.Exception.Message -match "denied|privilege" -or $_.Exception.HResult -eq -2147217405
        if ($denied) { Add-State "denied" "$Class.json" } else { Add-State "absent" "$Class.json" }
    }
}

Save-Text "gathered" ((Get-Date).ToUniversalTime().ToString("yyyy-MM-ddTHH:mm:ssZ"))
Save-Class "Win32_Processor" @("Name", "Manufacturer", "NumberOfCores", "NumberOfEnabledCore", "NumberOfLogicalProcessors", "MaxClockSpeed", "AddressWidth", "DataWidth", "Architecture", "L2CacheSize", "L3CacheSize", "VirtualizationFirmwareEnabled", "VMMonitorModeExtensions")
Save-Class "Win32_PhysicalMemory" @("Capacity", "Speed", "ConfiguredClockSpeed", "MemoryType", "SMBIOSMemoryType", "FormFactor", "DeviceLocator", "BankLabel", "Manufacturer", "PartNumber", "TotalWidth", "DataWidth", "Attributes")
Save-Class "Win32_PhysicalMemoryArray" @("MemoryDevices", "MaxCapacity", "MaxCapacityEx", "Use", "Location")
Save-Class "Win32_OperatingSystem" @("Caption", "Version", "BuildNumber", "OSArchitecture", "TotalVisibleMemorySize", "FreePhysicalMemory", "SystemDrive")
Save-Class "Win32_ComputerSystem" @("Manufacturer", "Model", "TotalPhysicalMemory", "HypervisorPresent", "NumberOfProcessors", "NumberOfLogicalProcessors", "PCSystemType")
Save-Class "Win32_BIOS" @("SMBIOSBIOSVersion", "Manufacturer", "ReleaseDate")
Save-Class "Win32_SystemEnclosure" @("ChassisTypes", "Manufacturer")
Save-Class "Win32_LogicalDisk" @("DeviceID", "DriveType", "FileSystem", "Size", "FreeSpace")
Save-Class "Win32_DiskDrive" @("Index", "Size", "MediaType", "InterfaceType")
Save-Class "Win32_VideoController" @("Name", "AdapterRAM", "CurrentHorizontalResolution", "CurrentVerticalResolution")
Save-Class "Win32_PageFileUsage" @("AllocatedBaseSize", "CurrentUsage")
Save-Class "Win32_Tpm" @("SpecVersion", "IsEnabled_InitialValue", "IsActivated_InitialValue") "root/cimv2/Security/MicrosoftTpm"
Save-Class "MSFT_PhysicalDisk" @("DeviceId", "MediaType", "Size", "BusType") "root/Microsoft/Windows/Storage"

# the raw firmware table, as the system hands it out: an 8-byte header, then the table
try {
    $raw = Get-CimInstance -Namespace root/wmi -ClassName MSSmBios_RawSMBiosTables
    $size = [System.BitConverter]::GetBytes([uint32]$raw.SMBiosData.Length)
    $header = [byte[]]@([byte]$raw.Used20CallingMethod, $raw.SmbiosMajorVersion, $raw.SmbiosMinorVersion, $raw.DmiRevision) + $size
    [System.IO.File]::WriteAllBytes((Join-Path $target "smbios.bin"), [byte[]]($header + $raw.SMBiosData))
    Add-State "there" "smbios.bin"
} catch { Add-State "denied" "smbios.bin" }

# processor features by their documented numbers
try {
    $port = Add-Type -PassThru -Name Features -Namespace TallCheck -MemberDefinition '[DllImport("kernel32.dll")] public static extern bool IsProcessorFeaturePresent(uint feature);'
    $features = [ordered]@{}
    foreach ($number in 3, 6, 7, 8, 9, 10, 12, 13, 14, 17, 21, 22, 28, 30, 31, 32, 33, 34, 36, 37, 38, 39, 40, 41, 43, 44, 45) {
        $features["$number"] = $port::IsProcessorFeaturePresent($number)
    }
    Save-Text "features.json" (ConvertTo-Json -InputObject $features)
    Add-State "there" "features.json"
} catch { Add-State "denied" "features.json" }

$control = "HKLM:\SYSTEM\CurrentControlSet\Control"
$registry = [ordered]@{}
try { $registry["PEFirmwareType"] = (Get-ItemProperty $control -Name PEFirmwareType).PEFirmwareType } catch { Add-State "absent" "PEFirmwareType" }
try { $registry["UEFISecureBootEnabled"] = (Get-ItemProperty "$control\SecureBoot\State" -Name UEFISecureBootEnabled).UEFISecureBootEnabled } catch { Add-State "absent" "UEFISecureBootEnabled" }
Save-Text "registry.json" (ConvertTo-Json -InputObject $registry)

$uninstall = "HKLM:\SOFTWARE\Microsoft\Windows\CurrentVersion\Uninstall\*", "HKLM:\SOFTWARE\WOW6432Node\Microsoft\Windows\CurrentVersion\Uninstall\*"
$programs = @(Get-ItemProperty $uninstall -ErrorAction SilentlyContinue | Where-Object { $_.DisplayName } | Select-Object DisplayName, DisplayVersion)
Save-Text "programs.json" (ConvertTo-Json -InputObject $programs)
Save-Text "manifest" (($manifest -join "`n") + "`n")
Write-Output "written: $target"
