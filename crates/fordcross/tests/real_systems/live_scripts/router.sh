# Sets up a namespace whose links each end at a router that advertises, and tells what came of it.
set -e
mount -t sysfs none /sys
ip link set lo up
# The other end of each port is in a network of its own, with a router.
unshare -n sleep 120 >/dev/null 2>&1 & far=$!
sleep 0.3
number=0
for port in $PORTS; do
  number=$((number + 1))
  ip link add "$port" address 00:00:5e:00:53:0$number type veth peer name "far-$port"
  ip link set "far-$port" netns $far
done
mount -t tmpfs none /run
mkdir -p /run/radvd
in_far() { nsenter -t $far -n "$@"; }
in_far ip link set lo up
for port in $PORTS; do
  in_far ip link set "far-$port" address 00:00:5e:00:53:f${port#eth}
  in_far ip link set "far-$port" up
  printf 'interface far-%s { AdvSendAdvert on; MinRtrAdvInterval 3; MaxRtrAdvInterval 4; prefix 2001:db8:5%s::/64 { AdvAutonomous on; }; };\n' "$port" "${port#eth}"
done > /run/radvd.conf
in_far sysctl -q -w net.ipv6.conf.all.forwarding=1
in_far radvd -C /run/radvd.conf -p /run/radvd/pid -m stderr -n >/run/radvd.log 2>&1 & router=$!
if [ "$SIDE" = old ]; then
  mkdir -p /run/network
  ifup -a --force -i "$FROM" >&2
else
  mkdir -p /run/systemd/network
  cp "$FROM"/* /run/systemd/network/
  mount -o remount,ro /sys
  SYSTEMD_LOG_LEVEL=warning /lib/systemd/systemd-networkd >&2 & networkd=$!
fi
set +e
sleep 10
echo addresses; ip -6 -o addr show scope global | awk '{print $2,$4}' | sort
echo routers; ip -6 route show default | grep -oE 'via [^ ]+|dev [^ ]+' | paste - - | sort -u
cat /run/radvd.log >&2
kill $router $far $networkd 2>/dev/null
true
