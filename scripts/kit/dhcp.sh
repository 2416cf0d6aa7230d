#!/bin/sh
# What udhcpc does with an address that it was given (BusyBox, udhcpc): sets it, the way out, and who knows names.
case $1 in
  deconfig) ip addr flush dev "$interface"; ip link set "$interface" up ;;
  bound | renew)
    ip addr replace "$ip/${mask:-24}" dev "$interface"
    for each in $router; do ip route replace default via "$each" dev "$interface" && break; done
    for each in $dns; do echo "nameserver $each"; done > /etc/resolv.conf
    ;;
esac
