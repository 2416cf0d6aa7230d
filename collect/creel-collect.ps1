# Asks this computer's Windows what its rescue media depend on: documented CIM classes, a few registry values, and the
# variables of Secure Boot, as they are (creel.cim/1). Creel makes facts of it. It changes nothing.
# Run in an elevated PowerShell 5.1 or later.
#
#   powershell -ExecutionPolicy Bypass -File creel-collect.ps1 [-Tag TAG] [-Output FILE]
#   ... -Send ADDRESS -Token TOKEN      sends it to Creel; a file keeps it where that fails
#   ... -Schedule -Send ... -Token ...      does so each week, by a scheduled task; changes nothing else
#   ... -Unschedule                     takes the task, the script and the token away again
param([string]$Tag, [string]$Output, [string]$Send, [string]$Token, [string]$TokenFile, [switch]$Schedule, [switch]$Unschedule)
$ErrorActionPreference = 'SilentlyContinue'
# A copy that Creel serves has these filled in.
if (-not $Send) { $Send = '' }
if (-not $Token) { $Token = '' }
if ($TokenFile) { $Token = "$(Get-Content -LiteralPath $TokenFile -TotalCount 1)".Trim() }

$Kept = Join-Path $env:ProgramData 'Creel'
$TaskName = 'Creel facts'

if ($Unschedule) {
  Unregister-ScheduledTask -TaskName $TaskName -Confirm:$false
  Remove-Item -LiteralPath $Kept -Recurse -Force
  'Reports no more, and left nothing behind.'
  exit 0
}
if ($Schedule) {
  if (-not $Send -or -not $Token -or -not $PSCommandPath) { Write-Error '-Schedule needs -Send, -Token, and this script as a file.' -ErrorAction Continue; exit 2 }
  New-Item -ItemType Directory -Force -Path $Kept | Out-Null
  # Read by the system and its administrators alone.
  icacls $Kept /inheritance:r /grant '*S-1-5-18:(OI)(CI)F' '*S-1-5-32-544:(OI)(CI)F' | Out-Null
  (Get-Content -LiteralPath $PSCommandPath) -replace "^if \(-not \`$Token\).*", "if (-not `$Token) { `$Token = '' }" | Set-Content -LiteralPath (Join-Path $Kept 'creel-collect.ps1') -Encoding UTF8
  Set-Content -LiteralPath (Join-Path $Kept 'token') -Value $Token -Encoding ASCII
  $line = '-NoProfile -ExecutionPolicy Bypass -File "{0}\creel-collect.ps1" -Send "{1}" -TokenFile "{0}\token" -Output "{0}\not-sent.json"' -f $Kept, $Send
  $action = New-ScheduledTaskAction -Execute 'powershell.exe' -Argument $line
  $trigger = New-ScheduledTaskTrigger -Weekly -DaysOfWeek Monday -At 10:00 -RandomDelay (New-TimeSpan -Hours 8)
  $settings = New-ScheduledTaskSettingsSet -StartWhenAvailable -RunOnlyIfNetworkAvailable
  Register-ScheduledTask -TaskName $TaskName -Action $action -Trigger $trigger -Settings $settings -User 'SYSTEM' -Force | Out-Null
  if (-not (Get-ScheduledTask -TaskName $TaskName)) { Write-Error 'The task could not be registered. Is this PowerShell elevated?' -ErrorAction Continue; exit 1 }
  "Reports each week. Take it away with: powershell -ExecutionPolicy Bypass -File $Kept\creel-collect.ps1 -Unschedule"
  exit 0
}

# Class, namespace, properties.
$Wanted = @(
  @('Win32_ComputerSystem', 'root/cimv2', @('Manufacturer', 'Model')),
  @('Win32_ComputerSystemProduct', 'root/cimv2', @('Vendor', 'Name', 'IdentifyingNumber', 'UUID')),
  @('Win32_BIOS', 'root/cimv2', @('Manufacturer', 'SMBIOSBIOSVersion', 'SerialNumber')),
  @('Win32_SystemEnclosure', 'root/cimv2', @('ChassisTypes', 'SerialNumber', 'SMBIOSAssetTag')),
  @('Win32_Processor', 'root/cimv2', @('Architecture', 'Name')),
  @('Win32_PhysicalMemory', 'root/cimv2', @('Capacity')),
  @('Win32_OperatingSystem', 'root/cimv2', @('Caption', 'Version', 'BuildNumber', 'OSArchitecture', 'SystemDrive')),
  @('Win32_CDROMDrive', 'root/cimv2', @('Name')),
  @('Win32_PnPEntity', 'root/cimv2', @('Name', 'HardwareID')),
  @('MSFT_NetAdapter', 'root/StandardCimv2', @('Name', 'PermanentAddress', 'PnPDeviceID', 'Virtual')),
  @('MSFT_Disk', 'root/Microsoft/Windows/Storage', @('Number', 'Size', 'LogicalSectorSize', 'BusType', 'PartitionStyle', 'FriendlyName', 'SerialNumber')),
  @('MSFT_Partition', 'root/Microsoft/Windows/Storage', @('DiskNumber', 'PartitionNumber', 'GptType', 'MbrType', 'Offset', 'Size', 'DriveLetter', 'AccessPaths', 'IsActive')),
  @('MSFT_Volume', 'root/Microsoft/Windows/Storage', @('Path', 'DriveLetter', 'FileSystem', 'FileSystemLabel', 'Size', 'SizeRemaining')),
  @('Win32_EncryptableVolume', 'root/cimv2/Security/MicrosoftVolumeEncryption', @('DriveLetter', 'ConversionStatus', 'ProtectionStatus'))
)
$classes = [ordered]@{}
foreach ($each in $Wanted) {
  $rows = $null
  try { $rows = @(Get-CimInstance -ClassName $each[0] -Namespace $each[1] -ErrorAction Stop | Select-Object -Property $each[2]) } catch { continue }
  $classes[$each[0]] = $rows
}
$registry = [ordered]@{
  PEFirmwareType = (Get-ItemProperty 'HKLM:\SYSTEM\CurrentControlSet\Control').PEFirmwareType
  UEFISecureBootEnabled = (Get-ItemProperty 'HKLM:\SYSTEM\CurrentControlSet\Control\SecureBoot\State').UEFISecureBootEnabled
  EditionID = (Get-ItemProperty 'HKLM:\SOFTWARE\Microsoft\Windows NT\CurrentVersion').EditionID
}
$variables = [ordered]@{}
foreach ($name in 'PK', 'KEK', 'db', 'dbx', 'SetupMode') {
  $found = Get-SecureBootUEFI -Name $name
  $variables[$name] = if ($found -and $found.Bytes) { [Convert]::ToBase64String($found.Bytes) }
}
$secureBoot = $null
try { $secureBoot = [bool](Confirm-SecureBootUEFI -ErrorAction Stop) } catch { }

$json = [ordered]@{
  schema = 'creel.cim/1'
  at = (Get-Date).ToUniversalTime().ToString('yyyy-MM-ddTHH:mm:ssZ')
  by = 'creel-collect.ps1 2'
  tag = if ($Tag) { $Tag }
  culture = (Get-Culture).Name
  classes = $classes
  registry = $registry
  variables = $variables
  secureBoot = $secureBoot
} | ConvertTo-Json -Depth 6 -Compress
$utf8 = New-Object Text.UTF8Encoding $false
if ($Send) {
  try {
    [Net.ServicePointManager]::SecurityProtocol = [Net.ServicePointManager]::SecurityProtocol -bor [Net.SecurityProtocolType]::Tls12
    $answer = Invoke-RestMethod -Method Post -Uri "$($Send.TrimEnd('/'))/api/v1/facts" -Headers @{ Authorization = "Bearer $Token" } -ContentType 'application/json; charset=utf-8' -Body ($utf8.GetBytes($json)) -ErrorAction Stop
    $answer.text
    exit 0
  } catch {
    if (-not $Output) { $Output = Join-Path (Get-Location) ('creel-facts-{0:yyyyMMdd-HHmmss}.json' -f (Get-Date)) }
    [IO.File]::WriteAllText($Output, $json, $utf8)
    Write-Error "Not sent: $($_.Exception.Message) The facts are in ${Output}: import them under Computers, Import facts." -ErrorAction Continue
    exit 1
  }
}
if ($Output) { [IO.File]::WriteAllText($Output, $json, $utf8) } else { $json }
