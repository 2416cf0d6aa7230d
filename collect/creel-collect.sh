#!/bin/sh
# Collects the facts of this computer that its rescue media depend on, as one creel.facts/1 (JSON).
# Run as root, from an installed system or any live environment. It changes nothing: it reads /sys, /proc and the
# first sectors of disks, and mounts nothing unless --mount is given (then read-only, journals not replayed).
#
#   sh creel-collect.sh [--tag TAG] [--output FILE] [--mount] [--root DIR]
#   sh creel-collect.sh --send ADDRESS --token TOKEN     sends them to Creel; a file keeps them where that fails
#   sh creel-collect.sh --schedule --send ... --token ...    does so each week, by a timer of systemd; changes nothing else
#   sh creel-collect.sh --unschedule                     takes the timer, the script and the token away again
#
# Needs a POSIX shell, dd, od, awk, sed, tr; curl or wget to send. Uses dmidecode, lsblk, mokutil and debugfs where they
# are there. The token goes by a file that only root can read, and not by a command line that others can see.
set -u
LC_ALL=C
export LC_ALL
PATH=$PATH:/usr/sbin:/sbin:/usr/bin:/bin
export PATH

VERSION=2
ROOT=
TAG=
OUTPUT=
MOUNT=no
# A copy that Creel serves has these filled in.
SEND=
TOKEN=
ACT=collect
# What --schedule leaves, all of it; another folder in the tests.
PREFIX=${CREEL_COLLECT_PREFIX:-}
KEPT=$PREFIX/usr/local/lib/creel
UNITS=$PREFIX/etc/systemd/system

usage() {
  echo "usage: creel-collect.sh [--tag TAG] [--output FILE] [--mount] [--root DIR] [--send ADDRESS --token TOKEN] [--schedule | --unschedule]" >&2
  exit 2
}
fail() { echo "creel-collect.sh: $1" >&2; exit 1; }
# What is made for a moment goes again, however this ends.
MADE=
ANSWER=
POINT=
leave() {
  [ -n "$POINT" ] && { umount "$POINT" 2>/dev/null; rmdir "$POINT" 2>/dev/null; }
  [ -n "$MADE" ] && rm -f "$MADE" "$MADE.part"
  [ -n "$ANSWER" ] && rm -f "$ANSWER" "$ANSWER.error"
}
trap leave EXIT
trap 'exit 129' HUP
trap 'exit 130' INT
trap 'exit 143' TERM
while [ $# -gt 0 ]; do
  case $1 in
    --tag) [ $# -ge 2 ] || usage; TAG=$2; shift ;;
    --output) [ $# -ge 2 ] || usage; OUTPUT=$2; shift ;;
    --root) [ $# -ge 2 ] || usage; ROOT=${2%/}; shift ;;
    --mount) MOUNT=yes ;;
    --send) [ $# -ge 2 ] || usage; SEND=$2; shift ;;
    --token) [ $# -ge 2 ] || usage; TOKEN=$2; shift ;;
    --token-file) [ $# -ge 2 ] || usage; TOKEN=$(head -n 1 "$2" 2>/dev/null) || fail "$2 cannot be read"; shift ;;
    --schedule) ACT=schedule ;;
    --unschedule) ACT=unschedule ;;
    *) usage ;;
  esac
  shift
done
case $SEND in '' | http://* | https://*) ;; *) fail "--send: $SEND is no address: it begins with https://" ;; esac
case $TOKEN in *[!A-Za-z0-9_-]*) fail "--token: what is given is no token of Creel" ;; esac
SYS=$ROOT/sys
PROC=$ROOT/proc
DEV=$ROOT/dev
UDEV=$ROOT/run/udev/data

have() { command -v "$1" >/dev/null 2>&1; }
# Tools tell of the running system: not of a tree that is looked at from outside.
live() { [ -z "$ROOT" ]; }

# --- small readers -----------------------------------------------------------------------------------------------

# The first line of a file, or nothing.
line_of() {
  [ -r "$1" ] && { tr -d '\000' <"$1" | head -n 1; } 2>/dev/null
}
# LEN bytes of FILE from OFFSET, as decimal numbers on one line.
bytes_of() {
  [ -r "$1" ] && { dd if="$1" bs=1 skip="$2" count="$3" 2>/dev/null | od -An -v -tu1 | tr -s ' \n' ' '; } 2>/dev/null
}
# A little-endian number (le) or a big-endian one (be) of LEN bytes at OFFSET.
le() { bytes_of "$1" "$2" "$3" | awk '{ v = 0; for (i = NF; i > 0; i--) v = v * 256 + $i; if (NF) printf "%.0f", v }'; }
be() { bytes_of "$1" "$2" "$3" | awk '{ v = 0; for (i = 1; i <= NF; i++) v = v * 256 + $i; if (NF) printf "%.0f", v }'; }
# LEN bytes at OFFSET as text, up to the first zero byte; only what can be printed.
text_at() { [ -r "$1" ] && dd if="$1" bs=1 skip="$2" count="$3" 2>/dev/null | tr '\000' '\n' | head -n 1 | tr -cd '\040-\176'; }

# --- JSON --------------------------------------------------------------------------------------------------------

clean() {
  if have iconv; then iconv -c -f UTF-8 -t UTF-8 2>/dev/null; else tr -cd '\040-\176\n'; fi
}
# A string, or null where it is empty.
str() {
  str_text=$(printf '%s' "$1" | tr '\011\012\015' '   ' | tr -d '\000-\037\177' | clean | sed 's/^ *//; s/ *$//; s/\\/\\\\/g; s/"/\\"/g' | cut -c "1-${2:-190}")
  if [ -n "$str_text" ]; then printf '"%s"' "$str_text"; else printf null; fi
}
# A whole number, or null.
num() {
  case $1 in
    '' | *[!0-9]*) printf null ;;
    *) printf '%s' "$1" ;;
  esac
}
# A word that was chosen here, or null.
word() { if [ -n "$1" ]; then printf '"%s"' "$1"; else printf null; fi; }
base64_of() {
  if have base64; then
    base64 | tr -d '\n'
  else
    od -An -v -tu1 | awk '
      BEGIN { s = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/" }
      function put(a, b, c, n) {
        v = a * 65536 + b * 256 + c
        printf "%s%s", substr(s, int(v / 262144) + 1, 1), substr(s, int(v / 4096) % 64 + 1, 1)
        printf "%s", (n > 1 ? substr(s, int(v / 64) % 64 + 1, 1) : "=")
        printf "%s", (n > 2 ? substr(s, v % 64 + 1, 1) : "=")
      }
      { for (i = 1; i <= NF; i++) { b[k++] = $i; if (k == 3) { put(b[0], b[1], b[2], 3); k = 0 } } }
      END { if (k == 1) put(b[0], 0, 0, 1); if (k == 2) put(b[0], b[1], 0, 2) }'
  fi
}

# What makers leave in the firmware tables instead of a value says nothing.
real() {
  real_text=$(printf '%s' "$1" | sed 's/^ *//; s/ *$//')
  case $(printf '%s' "$real_text" | tr '[:upper:]' '[:lower:]') in
    '' | 'to be filled by o'*m* | 'default string' | 'system manufacturer' | 'system product name' | \
      'system serial number' | 'system version' | 'not specified' | 'not available' | 'not applicable' | \
      'not present' | none | n/a | unknown | o.e.m. | oem | invalid | empty | 123456789 | \
      'chassis serial number' | 'base board serial number') ;;
    *[!x0]*) printf '%s' "$real_text" ;;
  esac
}
first_real() {
  for first_text in "$@"; do
    first_text=$(real "$first_text")
    [ -n "$first_text" ] && { printf '%s' "$first_text"; return; }
  done
}

# --- the computer and its firmware -------------------------------------------------------------------------------

DMI=$SYS/class/dmi/id
ENTRIES=$SYS/firmware/dmi/entries
dmi() {
  dmi_value=$(line_of "$DMI/$1")
  if [ -z "$dmi_value" ] && live && have dmidecode; then
    dmi_value=$(dmidecode -s "$2" 2>/dev/null | grep -v '^#' | head -n 1)
  fi
  printf '%s' "$dmi_value"
}

form_of_chassis() {
  case $1 in
    3 | 4 | 5 | 6 | 7 | 13 | 15 | 16 | 24 | 35) echo desktop ;;
    8 | 9 | 10 | 11 | 12 | 14 | 31 | 32) echo laptop ;;
    30) echo tablet ;;
    17 | 22 | 23 | 25 | 28 | 29) echo server ;;
    '' | 1 | 2) ;;
    *) echo other ;;
  esac
}

asset_tag() {
  asset=$(real "$(dmi chassis_asset_tag chassis-asset-tag)")
  case $asset in
    *[!A-Za-z0-9._-]*) ;;
    *[Aa]sset* | *[Tt]agnotset*) ;;
    *) printf '%s' "$asset" ;;
  esac
}

# The machine's name as uname tells it. Of a tree: what its cpuinfo, its programs or, failing both, this machine tell.
machine() {
  if live; then uname -m; return; fi
  if grep -q '^vendor_id' "$PROC/cpuinfo" 2>/dev/null || grep -q '^flags.* lm ' "$PROC/cpuinfo" 2>/dev/null; then
    if grep -qw lm "$PROC/cpuinfo"; then echo x86_64; else echo i686; fi
  elif grep -q '^CPU architecture: *8' "$PROC/cpuinfo" 2>/dev/null; then echo aarch64
  elif grep -q '^CPU architecture:' "$PROC/cpuinfo" 2>/dev/null; then echo arm
  elif grep -q '^isa.*rv64' "$PROC/cpuinfo" 2>/dev/null; then echo riscv64
  else
    case $(arch_of_root "$ROOT") in
      x64) echo x86_64 ;;
      ia32) echo i686 ;;
      aa64) echo aarch64 ;;
      arm) echo arm ;;
      riscv64) echo riscv64 ;;
      *) if [ -d "$SYS/firmware/efi" ] || [ -d "$SYS/class/dmi/id" ]; then uname -m; fi ;;
    esac
  fi
}
# The machine type of a program that every system has: ELF e_machine (System V ABI).
arch_of_root() { # a root directory
  for program in "$1/bin/sh" "$1/usr/bin/env" "$1/sbin/init"; do
    [ -r "$program" ] || continue
    [ "$(bytes_of "$program" 0 4)" = " 127 69 76 70 " ] || continue
    case $(le "$program" 18 2) in
      62) echo x64 ;;
      3) echo ia32 ;;
      183) echo aa64 ;;
      40) echo arm ;;
      243) echo riscv64 ;;
    esac
    return
  done
}
MACHINE=$(machine)
cpu_arch() {
  case $MACHINE in
    x86_64 | amd64) echo x64 ;;
    i?86) if grep -qw lm "$PROC/cpuinfo" 2>/dev/null; then echo x64; else echo ia32; fi ;;
    aarch64 | arm64) echo aa64 ;;
    arm*) echo arm ;;
    riscv64) echo riscv64 ;;
  esac
}

EFI=$SYS/firmware/efi
VARS=$EFI/efivars
GLOBAL=8be4df61-93ca-11d2-aa0d-00e098032b8c
SECURITY=d719b2cb-3d3a-4596-a3bc-dad00e67656f
SHIM=605dab50-e046-4300-abb6-3dd810dd8b23

# SMBIOS type 0, second extension byte, bit 3: the firmware can do UEFI (DSP0134, 7.1.2.2).
supports_uefi() {
  features=$(le "$ENTRIES/0-0/raw" 19 1)
  [ -n "$features" ] && [ $((features / 8 % 2)) -eq 1 ]
}
firmware_kind() {
  if [ -d "$EFI" ]; then echo uefi
  elif supports_uefi; then echo uefi
  elif [ -d "$DMI" ]; then
    case $(cpu_arch) in x64 | ia32) echo bios ;; esac
  fi
}
firmware_arch() {
  [ -d "$EFI" ] || return
  bits=$(line_of "$EFI/fw_platform_size")
  case $(cpu_arch) in
    x64 | ia32) case $bits in 64) echo x64 ;; 32) echo ia32 ;; esac ;;
    aa64) case $bits in 32) echo arm ;; *) echo aa64 ;; esac ;;
    arm) echo arm ;;
    riscv64) echo riscv64 ;;
  esac
}
# A live medium that came up by BIOS says how it was started, not how the computer is set: some firmware offers both.
runs_live() {
  [ -r "$PROC/mounts" ] || return 1
  root=$(while read -r _ where kind _; do [ "$where" = / ] && echo "$kind"; done <"$PROC/mounts" | tail -n 1)
  case $root in overlay | aufs | squashfs | tmpfs | rootfs | iso9660 | ramfs) return 0 ;; esac
  case " $(line_of "$PROC/cmdline") " in *" boot=live"* | *" boot=casper"* | *" rd.live."* | *" archisobasedir="*) return 0 ;; esac
  return 1
}
legacy_mode() { [ ! -d "$EFI" ] && supports_uefi && ! runs_live && echo on; }

# A variable's data: four bytes of attributes come before it (Documentation/filesystems/efivarfs.rst).
variable() { [ -r "$VARS/$1" ] && dd if="$VARS/$1" bs=4 skip=1 2>/dev/null; }
variable_byte() { le "$VARS/$1" 4 1; }
have_variables() { [ -d "$VARS" ] && [ -n "$(ls "$VARS" 2>/dev/null | head -n 1)" ]; }

secure_boot_state() {
  [ -d "$EFI" ] || return
  if have_variables; then
    if [ ! -e "$VARS/SecureBoot-$GLOBAL" ]; then echo absent
    elif [ "$(variable_byte "SetupMode-$GLOBAL")" = 1 ]; then echo setup
    else case $(variable_byte "SecureBoot-$GLOBAL") in 1) echo on ;; 0) echo off ;; esac
    fi
  elif live && have mokutil; then
    case $(mokutil --sb-state 2>/dev/null) in
      *"Setup Mode"*) echo setup ;;
      *enabled*) echo on ;;
      *disabled*) echo off ;;
    esac
  fi
}
list_of() {
  if [ -r "$VARS/$1" ]; then
    printf '"'
    variable "$1" | base64_of
    printf '"'
  elif [ ! -e "$VARS/$1" ] && [ -r "$VARS/SecureBoot-$GLOBAL" ]; then
    # The firmware tells its state and has no such list: it is empty.
    printf '""'
  else
    printf null
  fi
}
sbat_level() {
  for sbat_file in "SbatLevelRT-$SHIM" "SbatLevel-$SHIM"; do
    if [ -r "$VARS/$sbat_file" ]; then
      printf '"'
      variable "$sbat_file" | tr -d '\000' | tr -cd '\012\040-\176' | sed 's/\\/\\\\/g; s/"/\\"/g' |
        awk 'NR > 1 { printf "\\n" } { printf "%s", $0 }'
      printf '"'
      return
    fi
  done
  printf null
}
start_order() {
  if [ -r "$VARS/BootOrder-$GLOBAL" ]; then
    variable "BootOrder-$GLOBAL" | od -An -v -tu1 | tr -s ' \n' ' ' |
      awk '{ printf "["; for (i = 1; i < NF && i < 128; i += 2) printf "%s\"%04X\"", (i > 1 ? "," : ""), $i + 256 * $(i + 1); printf "]" }'
  else
    printf null
  fi
}
# EFI_LOAD_OPTION (UEFI 2.10, 3.1.3): attributes, length of the device path, name in UTF-16, device path.
start_entries() {
  have_variables || { printf null; return; }
  printf '['
  entry_sep=
  for entry_file in "$VARS"/Boot[0-9A-F][0-9A-F][0-9A-F][0-9A-F]-"$GLOBAL"; do
    [ -r "$entry_file" ] || continue
    entry_id=${entry_file##*/Boot}
    entry_id=${entry_id%%-*}
    printf '%s' "$entry_sep"
    dd if="$entry_file" bs=4 skip=1 2>/dev/null | od -An -v -tu1 | tr -s ' \n' ' ' | awk -v id="$entry_id" '
      function quoted(from, to,   i, text, code) {
        for (i = from; i + 1 <= to; i += 2) {
          code = $i + 256 * $(i + 1)
          if (code == 0) break
          if (code == 34 || code == 92) text = text "\\" sprintf("%c", code)
          else if (code >= 32 && code < 127) text = text sprintf("%c", code)
          else text = text sprintf("\\u%04x", code)
        }
        return text
      }
      {
        end = 7
        while (end < NF && $end + 256 * $(end + 1) != 0) end += 2
        path = "null"
        last = end + 1 + $5 + 256 * $6
        for (at = end + 2; at + 3 <= last && at + 3 <= NF; at += size) {
          size = $(at + 2) + 256 * $(at + 3)
          if (size < 4 || $at == 127) break
          if ($at == 4 && $(at + 1) == 4) path = "\"" quoted(at + 4, at + size - 1) "\""
        }
        printf "{\"id\":\"%s\",\"name\":\"%s\",\"active\":%s,\"path\":%s}", id, quoted(7, end - 1), ($1 % 2 ? "true" : "false"), path
      }'
    entry_sep=,
  done
  printf ']'
}

# SMBIOS type 17 (DSP0134, 7.18): size at 0x0C, in MiB; bit 15: in KiB; 0x7FFF: the size is at 0x1C.
memory_bytes() {
  memory=0
  for module in "$ENTRIES"/17-*/raw; do
    [ -r "$module" ] || continue
    size=$(le "$module" 12 2)
    case $size in
      '' | 0 | 65535) continue ;;
      32767) size=$(($(le "$module" 28 4) * 1048576)) ;;
      *) if [ "$size" -ge 32768 ]; then size=$(((size - 32768) * 1024)); else size=$((size * 1048576)); fi ;;
    esac
    memory=$((memory + size))
  done
  if [ "$memory" -gt 0 ]; then
    echo "$memory"
  else
    awk '/^MemTotal:/ { printf "%.0f", $2 * 1024 }' "$PROC/meminfo" 2>/dev/null
  fi
}

# --- disks -------------------------------------------------------------------------------------------------------

# What udev knows of a block device: NAME=value lines.
udev_of() { # block's sysfs directory, property
  numbers=$(line_of "$1/dev")
  [ -n "$numbers" ] && sed -n "s/^E:$2=//p" "$UDEV/b$numbers" 2>/dev/null | head -n 1
}
bus_of() { # the real path of a disk's directory
  bus_at=$1
  while [ -n "$bus_at" ] && [ "$bus_at" != "$SYS" ] && [ "$bus_at" != / ]; do
    case $(line_of "$bus_at/class") in 0x0104*) echo raid; return ;; esac
    bus_at=${bus_at%/*}
  done
  case $1 in
    */usb[0-9]*) echo usb ;;
    */nvme*) echo nvme ;;
    */mmc*) echo mmc ;;
    */virtio*) echo virtio ;;
    */ata[0-9]*) echo sata ;;
    */ide[0-9]*) echo ide ;;
  esac
}
serial_of() { # block's sysfs directory, name
  serial=$(line_of "$1/device/serial")
  [ -z "$serial" ] && serial=$(line_of "$1/serial")
  if [ -z "$serial" ] && [ -r "$1/device/vpd_pg80" ]; then
    serial=$(dd if="$1/device/vpd_pg80" bs=4 skip=1 2>/dev/null | tr -cd '\040-\176')
  fi
  [ -z "$serial" ] && serial=$(udev_of "$1" ID_SERIAL_SHORT)
  [ -z "$serial" ] && live && have lsblk && serial=$(lsblk -dno SERIAL "/dev/$2" 2>/dev/null)
  printf '%s' "$serial"
}
table_of() { # device, sector size
  probe "$1"
  [ -n "$FS" ] && return
  if [ "$(text_at "$1" "$2" 8)" = "EFI PART" ]; then echo gpt
  elif [ "$(bytes_of "$1" 510 2)" = " 85 170 " ]; then echo mbr
  fi
}
# A GUID in its mixed byte order (UEFI 2.10, appendix A).
guid_at() {
  bytes_of "$1" "$2" 16 | awk 'NF == 16 {
    printf "%02x%02x%02x%02x-%02x%02x-%02x%02x-%02x%02x-%02x%02x%02x%02x%02x%02x",
      $4, $3, $2, $1, $6, $5, $8, $7, $9, $10, $11, $12, $13, $14, $15, $16 }'
}
partition_type() { # disk's device, table, sector size, number, partition's sysfs directory
  type_known=$(udev_of "$5" ID_PART_ENTRY_TYPE)
  if [ -n "$type_known" ]; then
    echo "$type_known"
    return
  fi
  case $2 in
    gpt)
      entries=$(le "$1" $(($3 + 72)) 8)
      entry_bytes=$(le "$1" $(($3 + 84)) 4)
      [ -n "$entries" ] && [ -n "$entry_bytes" ] && [ "$entry_bytes" -ge 128 ] &&
        guid_at "$1" $((entries * $3 + ($4 - 1) * entry_bytes))
      ;;
    mbr) [ "$4" -le 4 ] && bytes_of "$1" $((446 + ($4 - 1) * 16 + 4)) 1 | awk 'NF { printf "0x%02x", $1 }' ;;
  esac
}
role_of() { # type, file system
  case $1 in
    c12a7328-f81f-11d2-ba4b-00a0c93ec93b | 0xef) echo esp ;;
    e3c9e316-0b5c-4db8-817d-f92df00215ae) echo msr ;;
    de94bba4-06d1-4d40-a16a-bfd50179d6ac | 0x27) echo recovery ;;
    21686148-6449-6e6f-744e-656564454649) echo bios-boot ;;
    bc13c2ff-59e6-4262-a352-b275fd6f7172) echo boot ;;
    0657fd6d-a4ab-43c4-84e5-0933c84b4f4f | 0x82) echo swap ;;
    *) [ "$2" = swap ] && echo swap ;;
  esac
}

# File system, bytes used, encryption, label: from the superblocks themselves.
FS=
FS_USED=
FS_LOCK=
FS_LABEL=
probe() {
  FS=
  FS_USED=
  FS_LOCK=
  FS_LABEL=
  [ -r "$1" ] || return
  head_text=$(text_at "$1" 0 8)
  oem_text=$(text_at "$1" 3 8)
  case $head_text in
    LUKS*) FS=luks FS_LOCK=luks; return ;;
    XFSB)
      FS=xfs
      xfs_block=$(be "$1" 4 4)
      FS_USED=$((($(be "$1" 8 8) - $(be "$1" 144 8)) * xfs_block))
      FS_LABEL=$(text_at "$1" 108 12)
      return
      ;;
    hsqs) FS=squashfs; return ;;
  esac
  case $oem_text in
    -FVE-FS-) FS=bitlocker FS_LOCK=bitlocker; return ;;
    "NTFS    ") FS=ntfs; return ;;
    "EXFAT   ") FS=exfat; return ;;
  esac
  if [ "$(bytes_of "$1" 1080 2)" = " 83 239 " ]; then
    probe_ext "$1"
  elif [ "$(text_at "$1" 65600 8)" = "_BHRfS_M" ]; then
    FS=btrfs
    FS_USED=$(le "$1" 65656 8)
    FS_LABEL=$(text_at "$1" 65835 255)
  elif [ "$(text_at "$1" 536 8)" = "LVM2 001" ]; then
    FS=lvm
  elif [ "$(text_at "$1" 4086 10)" = "SWAPSPACE2" ]; then
    FS=swap
  elif [ "$(text_at "$1" 82 8)" = "FAT32   " ]; then
    probe_fat32 "$1"
  elif [ "$(text_at "$1" 54 5)" = "FAT16" ]; then
    FS=fat16
  elif [ "$(text_at "$1" 54 5)" = "FAT12" ]; then
    FS=fat12
  fi
}
# ext2, ext3, ext4: superblock at 1,024; features tell which. Source: the kernel's Documentation/filesystems/ext4.
probe_ext() {
  compat=$(le "$1" 1116 4)
  incompat=$(le "$1" 1120 4)
  FS=ext2
  [ $((compat / 4 % 2)) -eq 1 ] && FS=ext3
  [ $((incompat / 64 % 2)) -eq 1 ] && FS=ext4
  block=$((1024 << $(le "$1" 1048 4)))
  blocks=$(le "$1" 1028 4)
  free=$(le "$1" 1036 4)
  if [ $((incompat / 128 % 2)) -eq 1 ]; then
    blocks=$((blocks + ($(le "$1" 1360 4) << 32)))
    free=$((free + ($(le "$1" 1368 4) << 32)))
  fi
  FS_USED=$(((blocks - free) * block))
  FS_LABEL=$(text_at "$1" 1144 16)
}
# FAT32: free clusters as the FSInfo sector remembers them. Source: Microsoft FAT specification 1.03.
probe_fat32() {
  FS=fat32
  FS_LABEL=$(text_at "$1" 71 11 | sed 's/ *$//; s/^NO NAME$//')
  fat_sector=$(le "$1" 11 2)
  cluster=$(($(le "$1" 13 1) * fat_sector))
  reserved=$(le "$1" 14 2)
  fats=$(le "$1" 16 1)
  total=$(le "$1" 32 4)
  fat_size=$(le "$1" 36 4)
  info=$(($(le "$1" 48 2) * fat_sector))
  [ "$(text_at "$1" "$info" 4)" = RRaA ] || return
  free=$(le "$1" $((info + 488)) 4)
  [ -n "$free" ] && [ "$free" != 4294967295 ] && [ "$cluster" -gt 0 ] || return
  clusters=$(((total - reserved - fats * fat_size) * fat_sector / cluster))
  [ "$free" -le "$clusters" ] && FS_USED=$(((clusters - free) * cluster))
}

mount_point() { # device, as /proc/mounts names it
  awk -v dev="$1" '$1 == dev { print $2; exit }' "$PROC/mounts" 2>/dev/null | sed 's/\\040/ /g'
}
# Where a partition is mounted, or what was opened on it: encrypted volumes, logical volumes. One a line.
points_of() { # block's sysfs directory, depth
  mount_point "/dev/${1##*/}"
  mapped=$(line_of "$1/dm/name")
  [ -n "$mapped" ] && mount_point "/dev/mapper/$mapped"
  [ "${2:-0}" -lt 4 ] || return
  for holder in "$1"/holders/*; do
    [ -d "$holder" ] && (points_of "$SYS/block/${holder##*/}" $((${2:-0} + 1)))
  done
}
used_by_mounts() { # mount points, one a line
  live && have df && [ -n "$1" ] || return
  printf '%s\n' "$1" | while read -r used_point; do df -kP "$used_point" 2>/dev/null | tail -n +2; done |
    awk '{ sum += $3 * 1024; n++ } END { if (n) printf "%.0f", sum }'
}

partitions_of() { # disk's sysfs directory, name, table, sector size
  part_sep=
  printf '['
  for part_dir in "$1"/*; do
    number=$(line_of "$part_dir/partition")
    [ -n "$number" ] || continue
    part=${part_dir##*/}
    type=$(partition_type "$DEV/$2" "$3" "$4" "$number" "$part_dir")
    case $type in 0x5 | 0x05 | 0xf | 0x0f | 0x85) continue ;; esac
    probe "$DEV/$part"
    if [ -z "$FS" ]; then
      FS=$(udev_of "$part_dir" ID_FS_TYPE)
      [ -z "$FS" ] && live && have lsblk && FS=$(lsblk -dno FSTYPE "/dev/$part" 2>/dev/null)
      case $FS in
        vfat) FS=fat32 ;;
        crypto_LUKS) FS=luks FS_LOCK=luks ;;
        BitLocker) FS=bitlocker FS_LOCK=bitlocker ;;
        LVM2_member) FS=lvm ;;
      esac
    fi
    mounted_use=$(used_by_mounts "$(points_of "$part_dir")")
    [ -n "$mounted_use" ] && FS_USED=$mounted_use
    role=$(role_of "$type" "$FS")
    case " $SYSTEM_PARTS " in *" $part "*) role=system ;; esac
    active=null
    if [ "$3" = mbr ] && [ "$number" -le 4 ]; then
      case $(bytes_of "$DEV/$2" $((446 + (number - 1) * 16)) 1) in ' 128 ') active=true ;; ' 0 ') active=false ;; esac
    fi
    printf '%s{"number":%s,"type":%s,"start":%s,"bytes":%s,"usedBytes":%s,"filesystem":%s,"role":%s,"encryption":%s,"label":%s,"active":%s}' \
      "$part_sep" "$(num "$number")" "$(str "$type" 60)" \
      "$(num $(($(line_of "$part_dir/start") * 512)))" "$(num $(($(line_of "$part_dir/size") * 512)))" \
      "$(num "$FS_USED")" "$(str "$FS" 40)" "$(word "$role")" "$(word "$FS_LOCK")" "$(str "$FS_LABEL")" "$active"
    part_sep=,
  done
  printf ']'
}

disks() {
  [ -d "$SYS/block" ] || { printf null; return; }
  disk_sep=
  printf '['
  for disk_dir in "$SYS"/block/*; do
    disk=${disk_dir##*/}
    case $disk in '*' | loop* | ram* | zram* | dm-* | md* | sr* | fd* | nbd* | mtd* | *boot[01] | *rpmb) continue ;; esac
    sectors=$(line_of "$disk_dir/size")
    case $sectors in '' | 0 | *[!0-9]*) continue ;; esac
    sector=$(line_of "$disk_dir/queue/logical_block_size")
    table=$(table_of "$DEV/$disk" "${sector:-512}")
    [ -z "$table" ] && case $(udev_of "$disk_dir" ID_PART_TABLE_TYPE) in gpt) table=gpt ;; dos) table=mbr ;; esac
    bus=$(bus_of "$(cd "$disk_dir" 2>/dev/null && pwd -P)")
    removable=null
    case $(line_of "$disk_dir/removable") in 1) removable=true ;; 0) removable=false ;; esac
    [ "$bus" = usb ] && removable=true
    model=$(line_of "$disk_dir/device/model")
    [ -z "$model" ] && model=$(line_of "$disk_dir/device/name")
    printf '%s{"name":%s,"bytes":%s,"sectorBytes":%s,"bus":%s,"table":%s,"model":%s,"serial":%s,"removable":%s,"partitions":' \
      "$disk_sep" "$(str "$disk")" "$((sectors * 512))" "$(num "$sector")" "$(word "$bus")" "$(word "$table")" \
      "$(str "$model")" "$(str "$(real "$(serial_of "$disk_dir" "$disk")")")" "$removable"
    partitions_of "$disk_dir" "$disk" "$table" "${sector:-512}"
    printf '}'
    disk_sep=,
  done
  printf ']'
}

# --- systems -----------------------------------------------------------------------------------------------------

# Partitions that hold a system's root, found while looking for systems.
SYSTEM_PARTS=
SYSTEMS=
value_of() { # name; os-release on standard input (os-release(5))
  sed -n "s/^$1=//p" | head -n 1 | sed "s/^\"\\(.*\\)\"\$/\\1/; s/^'\\(.*\\)'\$/\\1/; s/\\\\\\([\"\$\`\\\\]\\)/\\1/g"
}
add_system() { # text of os-release, partition, architecture
  system_name=$(printf '%s\n' "$1" | value_of NAME)
  [ -n "$system_name" ] || return
  system_version=$(printf '%s\n' "$1" | value_of VERSION_ID)
  [ -z "$system_version" ] && system_version=$(printf '%s\n' "$1" | value_of BUILD_ID)
  system_disk=$(printf '%s' "$2" | sed 's/\([a-z]\)\([0-9]*\)$/\1 \2/; s/\([0-9]\)p \([0-9]*\)$/\1 \2/')
  SYSTEMS="$SYSTEMS${SYSTEMS:+,}{\"family\":\"linux\",\"name\":$(str "$system_name"),\"version\":$(str "$system_version" 80),\"edition\":$(str "$(printf '%s\n' "$1" | value_of VARIANT)" 80),\"arch\":$(word "$3"),\"partition\":$(str "$system_disk")}"
  SYSTEM_PARTS="$SYSTEM_PARTS $2"
}
# A live environment runs from memory or from what is attached: neither is a system of this computer.
is_attached() { # disk's sysfs directory
  [ "$(line_of "$1/removable")" = 1 ] || [ "$(bus_of "$(cd "$1" 2>/dev/null && pwd -P)")" = usb ]
}
find_systems() {
  [ -d "$SYS/block" ] || return
  for disk_dir in "$SYS"/block/*; do
    case ${disk_dir##*/} in '*' | loop* | ram* | zram* | dm-* | md* | sr* | fd*) continue ;; esac
    is_attached "$disk_dir" && continue
    look_at "$disk_dir"
    for part_dir in "$disk_dir"/*; do
      [ -r "$part_dir/partition" ] && look_at "$part_dir"
    done
  done
}
look_at() { # sysfs directory of a disk or partition
  part=${1##*/}
  points=$(points_of "$1")
  if [ -z "$points" ]; then
    live && [ -r "$DEV/$part" ] && look_inside "$part"
    return
  fi
  # Not in a pipe: what is found must outlive the loop.
  while read -r point; do
    for release in "$ROOT${point%/}/etc/os-release" "$ROOT${point%/}/usr/lib/os-release"; do
      if [ -r "$release" ]; then
        add_system "$(cat "$release")" "$part" "$(arch_of_root "$ROOT${point%/}")"
        return
      fi
    done
  done <<POINTS
$points
POINTS
}
# Without mounting where a tool can; else, if asked to, read-only and without replaying a journal.
look_inside() {
  probe "/dev/$1"
  text=
  case $FS in
    ext2 | ext3 | ext4)
      if have debugfs; then
        text=$(debugfs -R "cat /usr/lib/os-release" "/dev/$1" 2>/dev/null)
        [ -z "$text" ] && text=$(debugfs -R "cat /etc/os-release" "/dev/$1" 2>/dev/null)
      fi
      mount_options=ro,noload
      ;;
    xfs) mount_options=ro,norecovery ;;
    btrfs) mount_options=ro,rescue=nologreplay ;;
    *) return ;;
  esac
  if [ -z "$text" ] && [ "$MOUNT" = yes ]; then
    POINT=$(mktemp -d 2>/dev/null) || { POINT=; return; }
    if mount -t "$FS" -o "$mount_options,nodev,nosuid,noexec" "/dev/$1" "$POINT" 2>/dev/null; then
      text=$(cat "$POINT/etc/os-release" 2>/dev/null || cat "$POINT/usr/lib/os-release" 2>/dev/null)
      umount "$POINT"
    fi
    rmdir "$POINT"
    POINT=
  fi
  [ -n "$text" ] && add_system "$text" "$1" ""
}

# --- devices and ports -------------------------------------------------------------------------------------------

use_of() { # modalias
  case $1 in
    pci:*bc01sc*) echo storage ;;
    pci:*bc02sc*) echo network ;;
    pci:*bc03sc*) echo display ;;
    pci:*bc09sc*) echo input ;;
    pci:*bc0[Cc]sc03*) echo usb-controller ;;
    usb:*ic03*) echo input ;;
    usb:*ic08*) echo storage ;;
    virtio:d00000001v*) echo network ;;
    virtio:d00000002v* | virtio:d00000008v*) echo storage ;;
    *) echo other ;;
  esac
}
devices() {
  [ -d "$SYS/bus" ] || { printf null; return; }
  device_sep=
  printf '['
  for alias_file in "$SYS"/bus/pci/devices/*/modalias "$SYS"/bus/usb/devices/*:*/modalias "$SYS"/bus/virtio/devices/*/modalias; do
    modalias=$(line_of "$alias_file")
    [ -n "$modalias" ] || continue
    name=
    case $modalias in
      usb:*) name=$(line_of "$(cd "${alias_file%/*}" 2>/dev/null && pwd -P)/../product") ;;
    esac
    printf '%s{"class":"%s","modalias":%s,"name":%s}' "$device_sep" "$(use_of "$modalias")" "$(str "$modalias" 400)" "$(str "$name")"
    device_sep=,
  done
  printf ']'
}
# Connectors that people can reach, counted once where a connector is both USB 2 and USB 3.
usb_ports() {
  ports=
  for port in "$SYS"/bus/usb/devices/*/usb*-port*; do
    [ -r "$port/connect_type" ] || continue
    [ "$(line_of "$port/connect_type")" = hotplug ] || continue
    speed=$(line_of "${port%/*/*}/speed")
    [ -e "$port/peer" ] && [ "${speed:-480}" -gt 480 ] 2>/dev/null && continue
    ports=$((${ports:-0} + 1))
  done
  printf '%s' "$ports"
}
optical() {
  [ -d "$SYS/block" ] || { printf null; return; }
  for drive in "$SYS"/block/sr*; do
    [ -e "$drive" ] && { printf true; return; }
  done
  printf false
}

# The network devices that are built in, by the addresses that they were made with: not those of adapters on USB, which
# move from computer to computer, nor of anything that has no device behind it.
addresses() {
  [ -d "$SYS/class/net" ] || { printf null; return; }
  address_sep=
  printf '['
  for net in "$SYS"/class/net/*; do
    [ -e "$net/device" ] && [ "$(line_of "$net/type")" = 1 ] || continue
    [ "$(line_of "$net/addr_assign_type")" = 0 ] || continue
    case $(cd "$net/device" 2>/dev/null && pwd -P) in */usb[0-9]*) continue ;; esac
    printf '%s%s' "$address_sep" "$(str "$(line_of "$net/address")" 40)"
    address_sep=,
  done
  printf ']'
}

# --- all of it ---------------------------------------------------------------------------------------------------

facts() {
  kind=$(firmware_kind)
  find_systems
  secure=null
  if [ -d "$EFI" ]; then
    secure=$(printf '{"state":%s,"pk":%s,"kek":%s,"db":%s,"dbx":%s,"sbatLevel":%s}' \
      "$(word "$(secure_boot_state)")" "$(list_of "PK-$GLOBAL")" "$(list_of "KEK-$GLOBAL")" \
      "$(list_of "db-$SECURITY")" "$(list_of "dbx-$SECURITY")" "$(sbat_level)")
  fi
  printf '{"schema":"creel.facts/1",\n'
  printf '"collected":{"at":"%s","by":"creel-collect.sh %s"},\n' "$(date -u +%Y-%m-%dT%H:%M:%SZ)" "$VERSION"
  printf '"computer":{"tag":%s,"make":%s,"model":%s,"serial":%s,"form":%s,"uuid":%s,"addresses":%s},\n' \
    "$(str "${TAG:-$(asset_tag)}" 60)" \
    "$(str "$(first_real "$(dmi sys_vendor system-manufacturer)" "$(line_of "$DMI/board_vendor")")")" \
    "$(str "$(first_real "$(dmi product_name system-product-name)" "$(line_of "$DMI/board_name")" "$(line_of "$PROC/device-tree/model")")")" \
    "$(str "$(first_real "$(dmi product_serial system-serial-number)" "$(line_of "$DMI/chassis_serial")" "$(line_of "$PROC/device-tree/serial-number")")")" \
    "$(word "$(form_of_chassis "$(line_of "$DMI/chassis_type")")")" \
    "$(str "$(real "$(dmi product_uuid system-uuid)")" 40)" "$(addresses)"
  printf '"firmware":{"kind":%s,"arch":%s,"vendor":%s,"version":%s,"legacyMode":%s,\n"secureBoot":%s,\n"startOrder":%s,"entries":%s},\n' \
    "$(word "$kind")" "$(word "$(firmware_arch)")" "$(str "$(real "$(dmi bios_vendor bios-vendor)")")" \
    "$(str "$(real "$(dmi bios_version bios-version)")")" "$(word "$(legacy_mode)")" "$secure" "$(start_order)" "$(start_entries)"
  printf '"cpu":{"arch":%s,"name":%s},\n' "$(word "$(cpu_arch)")" \
    "$(str "$(sed -n 's/^model name[^:]*: //p' "$PROC/cpuinfo" 2>/dev/null | head -n 1)")"
  printf '"memoryBytes":%s,\n' "$(num "$(memory_bytes)")"
  printf '"disks":'
  disks
  printf ',\n"devices":'
  devices
  printf ',\n"systems":'
  if [ -n "$SYSTEMS" ]; then printf '[%s]' "$SYSTEMS"; else printf null; fi
  printf ',\n"ports":{"usb":%s,"optical":%s}}\n' "$(num "$(usb_ports)")" "$(optical)"
}

# Whole or not at all: a file that is there is a file that is complete.
write_to() { # file
  facts >"$1.part" && mv "$1.part" "$1" || {
    rm -f "$1.part"
    fail "$1 could not be written"
  }
}

# Sends a file; says what Creel answered, and gives 0 where it has taken it. Secrets go by files of root's alone.
post() { # file
  ANSWER=$(mktemp) || { ANSWER=; return 1; }
  if have curl; then
    status=$(printf 'header = "Authorization: Bearer %s"\n' "$TOKEN" |
      curl -sS --max-time 120 --retry 3 -K - -H 'Content-Type: application/json' --data-binary "@$1" \
        -o "$ANSWER" -w '%{http_code}' "${SEND%/}/api/v1/facts" 2>"$ANSWER.error")
  elif have wget; then
    # wget of BusyBox has no file for headers: the token is on its command line for as long as that takes.
    wget -q -T 120 -O "$ANSWER" --header "Authorization: Bearer $TOKEN" --header 'Content-Type: application/json' \
      --post-file "$1" "${SEND%/}/api/v1/facts" 2>"$ANSWER.error" && status=200 || status=000
  else
    echo "creel-collect.sh: neither curl nor wget is here" >&2
    return 1
  fi
  told=$(sed -n 's/.*"\(text\|detail\)":"\([^"]*\)".*/\2/p' "$ANSWER" | head -n 1)
  [ "$status" = 200 ] || told=${told:-$(head -n 1 "$ANSWER.error")}
  [ -n "$told" ] && echo "creel-collect.sh: $told" >&2
  [ "$status" = 200 ]
}

send() {
  umask 077
  MADE=$(mktemp) || { MADE=; fail "no temporary file can be made"; }
  write_to "$MADE"
  if post "$MADE"; then return; fi
  kept=${OUTPUT:-creel-facts-$(date -u +%Y%m%d-%H%M%S).json}
  mv "$MADE" "$kept" 2>/dev/null || fail "not sent, and $kept could not be written"
  fail "not sent. The facts are in $kept: import them under Computers, Import facts"
}

schedule() {
  [ -n "$SEND" ] && [ -n "$TOKEN" ] || usage
  [ -d "$PREFIX/run/systemd/system" ] || fail "systemd does not run here: call this script with --send by whatever runs things each week"
  [ -r "$0" ] && [ "$(head -n 1 "$0" 2>/dev/null)" = '#!/bin/sh' ] ||
    fail "--schedule needs this script as a file: save it, then call it again"
  umask 077
  # What was filled in where it was served does not stay in the copy.
  mkdir -p "$KEPT" && sed "s/^TOKEN=.*/TOKEN=/" "$0" >"$KEPT/creel-collect.sh" && printf '%s\n' "$TOKEN" >"$KEPT/token" ||
    fail "$KEPT could not be written"
  cat >"$UNITS/creel-collect.service" <<UNIT
[Unit]
Description=Reports this computer's facts to Creel
Wants=network-online.target
After=network-online.target

[Service]
Type=oneshot
ExecStart=/bin/sh $KEPT/creel-collect.sh --send $SEND --token-file $KEPT/token --output $KEPT/not-sent.json
UNIT
  cat >"$UNITS/creel-collect.timer" <<UNIT
[Unit]
Description=Reports this computer's facts to Creel each week

[Timer]
OnCalendar=weekly
RandomizedDelaySec=12h
Persistent=true

[Install]
WantedBy=timers.target
UNIT
  chmod 644 "$UNITS/creel-collect.service" "$UNITS/creel-collect.timer"
  systemctl daemon-reload && systemctl enable --now creel-collect.timer || fail "the timer could not be started"
  echo "creel-collect.sh: reports each week. Take it away with: sh $KEPT/creel-collect.sh --unschedule" >&2
}

unschedule() {
  [ -e "$UNITS/creel-collect.timer" ] && systemctl disable --now creel-collect.timer
  rm -f "$UNITS/creel-collect.timer" "$UNITS/creel-collect.service"
  rm -f "$KEPT/creel-collect.sh" "$KEPT/token" "$KEPT/not-sent.json"
  # When the timer last ran, which systemd keeps by itself.
  rm -f "$PREFIX/var/lib/systemd/timers/stamp-creel-collect.timer"
  rmdir "$KEPT" 2>/dev/null
  systemctl daemon-reload
  echo "creel-collect.sh: reports no more, and left nothing behind" >&2
}

# At the very end, so that a script that came only in part does nothing.
case $ACT in
  schedule) schedule ;;
  unschedule) unschedule ;;
  *) if [ -n "$SEND" ]; then send; elif [ -n "$OUTPUT" ]; then write_to "$OUTPUT"; else facts; fi ;;
esac
