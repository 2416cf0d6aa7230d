# Collects the facts of this computer that its rescue media depend on, as one creel.facts/1 (JSON).
# Run in an elevated PowerShell 5.1 or later. It reads CIM classes and documented cmdlets only, and changes nothing.
#
#   powershell -ExecutionPolicy Bypass -File creel-collect.ps1 [-Tag TAG] [-Output FILE]
#
# What cannot be read stays null: an unknown, never a default.
param([string]$Tag, [string]$Output)
$ErrorActionPreference = 'SilentlyContinue'

function Ask($Class) { @(Get-CimInstance -ClassName $Class) }
function First($Values) { @($Values | Where-Object { $_ -and $_ -notmatch '^(To be filled by O\.?E\.?M\.?|Default string|System (manufacturer|Product Name|Serial Number)|None|0+)$' })[0] }
function Text($Value) { if ("$Value".Trim()) { "$Value".Trim() } }
function Variable($Name) {
  $found = Get-SecureBootUEFI -Name $Name
  if ($found -and $found.Bytes) { [Convert]::ToBase64String($found.Bytes) }
}
# Win32_Processor.Architecture and the SMBIOS chassis types (DSP0134, 7.4.1).
$Architectures = @{ 0 = 'ia32'; 5 = 'arm'; 9 = 'x64'; 12 = 'aa64' }
# "64-bit", "32-bit", "ARM 64-bit Processor", as Win32_OperatingSystem has it.
function Width($Name) {
  if ("$Name" -match 'ARM') { 'aa64' } elseif ("$Name" -match '64') { 'x64' } elseif ("$Name" -match '32') { 'ia32' }
}
function Form($Type) {
  switch ($Type) {
    { $_ -in 3, 4, 5, 6, 7, 13, 15, 16, 24, 35 } { 'desktop' }
    { $_ -in 8, 9, 10, 11, 12, 14, 31, 32 } { 'laptop' }
    30 { 'tablet' }
    { $_ -in 17, 22, 23, 25, 28, 29 } { 'server' }
    default { if ($_ -gt 2) { 'other' } }
  }
}

$system = (Ask Win32_ComputerSystem)[0]
$bios = (Ask Win32_BIOS)[0]
$case = (Ask Win32_SystemEnclosure)[0]
$processor = (Ask Win32_Processor)[0]
$windows = (Ask Win32_OperatingSystem)[0]
$memory = (Ask Win32_PhysicalMemory | Measure-Object -Property Capacity -Sum).Sum
$kind = switch ((Get-ComputerInfo -Property BiosFirmwareType).BiosFirmwareType) { 'Uefi' { 'uefi' } 'Bios' { 'bios' } }

$secureBoot = $null
if ($kind -eq 'uefi') {
  $state = $null
  try { $state = if (Confirm-SecureBootUEFI -ErrorAction Stop) { 'on' } else { 'off' } }
  catch [System.PlatformNotSupportedException] { $state = 'absent' }
  catch { }
  if ($state -eq 'off' -and (Get-SecureBootUEFI -Name SetupMode).Bytes[0] -eq 1) { $state = 'setup' }
  $secureBoot = [ordered]@{ state = $state; pk = Variable PK; kek = Variable KEK; db = Variable db; dbx = Variable dbx; sbatLevel = $null }
}

$locked = @{}
foreach ($volume in Get-BitLockerVolume) {
  if ("$($volume.VolumeStatus)" -ne 'FullyDecrypted') { $locked["$($volume.MountPoint)".TrimEnd('\')] = 'bitlocker' }
}
$disks = @(foreach ($disk in Get-Disk | Sort-Object Number) {
  $bus = "$($disk.BusType)".ToLower()
  $parts = @(foreach ($part in Get-Partition -DiskNumber $disk.Number | Sort-Object PartitionNumber) {
    $volume = $part | Get-Volume
    $letter = if ($part.DriveLetter) { "$($part.DriveLetter):" }
    [ordered]@{
      number = [int]$part.PartitionNumber
      type = if ($part.GptType) { "$($part.GptType)".Trim('{}').ToLower() } elseif ($part.MbrType) { '0x{0:x2}' -f [int]$part.MbrType }
      start = [long]$part.Offset
      bytes = [long]$part.Size
      usedBytes = if ($volume -and $volume.Size) { [long]($volume.Size - $volume.SizeRemaining) }
      filesystem = if ($volume) { Text ("$($volume.FileSystemType)".ToLower() -replace 'unknown', '') }
      role = if ($letter -and $letter -eq $windows.SystemDrive) { 'system' } else {
        switch ("$($part.GptType)".ToLower()) {
          '{c12a7328-f81f-11d2-ba4b-00a0c93ec93b}' { 'esp' }
          '{e3c9e316-0b5c-4db8-817d-f92df00215ae}' { 'msr' }
          '{de94bba4-06d1-4d40-a16a-bfd50179d6ac}' { 'recovery' }
        }
      }
      encryption = if ($letter) { $locked[$letter] }
      label = if ($volume) { Text $volume.FileSystemLabel }
      active = if ("$($disk.PartitionStyle)" -eq 'MBR') { [bool]$part.IsActive }
    }
  })
  [ordered]@{
    name = "disk$($disk.Number)"
    bytes = [long]$disk.Size
    sectorBytes = [int]$disk.LogicalSectorSize
    bus = $bus
    table = switch ("$($disk.PartitionStyle)") { 'GPT' { 'gpt' } 'MBR' { 'mbr' } }
    model = Text $disk.FriendlyName
    serial = Text $disk.SerialNumber
    removable = $bus -in 'usb', 'sd'
    partitions = $parts
  }
})

# PCI\VEN_vvvv&DEV_dddd&SUBSYS_ddddvvvv&CC_ccsspp, as the kernel of Linux writes it.
$devices = @(foreach ($device in Ask Win32_PnPEntity) {
  $ids = $device.HardwareID -join ' '
  if ($ids -match 'PCI\\VEN_(?<v>[0-9A-F]{4})&DEV_(?<d>[0-9A-F]{4})&SUBSYS_(?<sd>[0-9A-F]{4})(?<sv>[0-9A-F]{4})') {
    $id = $Matches
    if ($ids -match '&CC_(?<bc>[0-9A-F]{2})(?<sc>[0-9A-F]{2})(?<i>[0-9A-F]{2})') {
      [ordered]@{
        class = @{ '01' = 'storage'; '02' = 'network'; '03' = 'display'; '09' = 'input' }[$Matches.bc]
        modalias = "pci:v0000$($id.v)d0000$($id.d)sv0000$($id.sv)sd0000$($id.sd)bc$($Matches.bc)sc$($Matches.sc)i$($Matches.i)"
        name = Text $device.Name
      }
    }
  }
})

$facts = [ordered]@{
  schema = 'creel.facts/1'
  collected = [ordered]@{ at = (Get-Date).ToUniversalTime().ToString('yyyy-MM-ddTHH:mm:ssZ'); by = 'creel-collect.ps1 1' }
  computer = [ordered]@{
    tag = if ($Tag) { $Tag } else { Text (First @($case.SMBIOSAssetTag | Where-Object { $_ -match '^[A-Za-z0-9._-]+$' -and $_ -notmatch 'asset' })) }
    make = Text (First @($system.Manufacturer))
    model = Text (First @($system.Model))
    serial = Text (First @($bios.SerialNumber, $case.SerialNumber))
    form = Form ([int]@($case.ChassisTypes)[0])
  }
  firmware = [ordered]@{
    kind = $kind
    # Windows runs only on firmware of its own width.
    arch = if ($kind -eq 'uefi') { Width $windows.OSArchitecture }
    vendor = Text $bios.Manufacturer
    version = Text $bios.SMBIOSBIOSVersion
    secureBoot = $secureBoot
  }
  cpu = [ordered]@{ arch = $Architectures[[int]$processor.Architecture]; name = Text $processor.Name }
  memoryBytes = if ($memory) { [long]$memory }
  disks = if ($disks.Count) { $disks }
  devices = if ($devices.Count) { $devices }
  systems = @(if ($windows) {
    [ordered]@{
      family = 'windows'
      name = Text $windows.Caption
      version = Text $windows.Version
      build = [int]$windows.BuildNumber
      edition = $null
      arch = Width $windows.OSArchitecture
      language = Text (Get-Culture).Name
    }
  })
  ports = [ordered]@{ usb = $null; optical = [bool](Ask Win32_CDROMDrive) }
}
$json = $facts | ConvertTo-Json -Depth 8
if ($Output) { [IO.File]::WriteAllText($Output, $json, (New-Object Text.UTF8Encoding $false)) } else { $json }
