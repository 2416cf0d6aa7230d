#!/bin/busybox sh
# The first program: drivers for what is there, then Creel on the screen and on the serial console.
export PATH=/bin HOME=/root LC_ALL=C
mount -t proc proc /proc
mount -t sysfs sys /sys
mount -t devtmpfs dev /dev
mount -t tmpfs run /run
mkdir -p /dev/pts && mount -t devpts devpts /dev/pts
echo 0 > /proc/sys/kernel/printk
[ -d /sys/firmware/efi ] && modprobe -q efivarfs && mount -t efivarfs efivarfs /sys/firmware/efi/efivars
# What a device says that it is leads to its driver; what a driver finds is looked at again, until nothing is new.
before=
for round in 1 2 3 4 5; do
  said=$(find /sys/devices -name modalias -exec cat {} + 2>/dev/null | sort -u)
  [ "$said" = "$before" ] && break
  before=$said
  echo "$said" | xargs -r modprobe -q -b -a 2>/dev/null
  sleep 0.4
done
for each in usb_storage uas sd_mod sr_mod vfat exfat ext4 isofs nls_cp437 nls_ascii nls_utf8 fuse; do modprobe -q $each 2>/dev/null; done
# Letters as large as leave room for 80 columns and 25 rows.
if read -r size < /sys/class/graphics/fb0/virtual_size 2>/dev/null; then
  width=${size%%,*} height=${size##*,} font=
  [ "$width" -ge 960 ] && [ "$height" -ge 600 ] && font=24x12
  [ "$width" -ge 1120 ] && [ "$height" -ge 700 ] && font=28x14
  [ "$width" -ge 1280 ] && [ "$height" -ge 800 ] && font=32x16
  [ -n "$font" ] && setfont -C /dev/tty1 "/share/consolefonts/Lat15-TerminusBold$font.psf" 2>> /run/creel-kit.log
fi
ip link set lo up
for each in /sys/class/net/*; do
  name=${each##*/}
  [ "$name" = lo ] && continue
  ip link set "$name" up 2>/dev/null
  (udhcpc -i "$name" -q -n -t 5 -T 2 -s /creel/dhcp.sh > /dev/null 2>&1 &)
done
export CREEL_ROOT=/creel
# Both consoles show the same; what one of them does, the other says.
(
  while :; do
    setsid sh -c 'exec node /creel/kit.cjs ttyS0 < /dev/ttyS0 > /dev/ttyS0 2>> /run/creel-kit.log'
    sleep 1
  done
) &
while :; do
  setsid sh -c 'exec node /creel/kit.cjs tty1 < /dev/tty1 > /dev/tty1 2>> /run/creel-kit.log'
  sleep 1
done
