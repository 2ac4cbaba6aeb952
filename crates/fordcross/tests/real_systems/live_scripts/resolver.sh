# Sets up a namespace with networkd and resolved, has a name asked for, and tells which name servers were asked.
set -e
mount -t sysfs none /sys
ip link set lo up
unshare -n sleep 60 >/dev/null 2>&1 & far=$!
sleep 0.3
in_far() { nsenter -t $far -n "$@"; }
in_far ip link set lo up
for port in $PORTS; do
  ip link add "$port" type veth peer name "far-$port"
  ip link set "far-$port" netns $far
  in_far ip link set "far-$port" up
done
mount -t tmpfs none /run
mkdir -p /run/systemd/network /run/systemd/resolve
# resolved drops its rights to a user of its own, which its package makes.
for file in passwd group; do
  { cat /etc/$file; case $file in passwd) echo 'systemd-resolve:x:64123:64123::/:/usr/sbin/nologin';; group) echo 'systemd-resolve:x:64123:';; esac; } > /run/$file
  mount --bind /run/$file /etc/$file
done
chown 64123:64123 /run/systemd/resolve
for server in $SERVERS; do
  # What listens there answers nobody; that it was asked counts.
  in_far ip addr add "${server%@*}/24" dev "far-${server##*@}"
  in_far perl -MIO::Socket::INET -e '$s = IO::Socket::INET->new(LocalAddr => $ARGV[0], LocalPort => 53, Proto => "udp") or die "$!"; $s->recv($m, 512); open($f, ">>", "/run/asked"); print $f "$ARGV[0]\n"' "${server%@*}" >/dev/null 2>&1 &
  listeners="$listeners $!"
done
cp "$FROM"/* /run/systemd/network/
mount -o remount,ro /sys
SYSTEMD_LOG_LEVEL=warning /lib/systemd/systemd-networkd >&2 & networkd=$!
sleep 4
SYSTEMD_LOG_LEVEL=info "$RESOLVED" >&2 & resolved=$!
sleep 2
set +e
perl -MIO::Socket::INET -e '$s = IO::Socket::INET->new(PeerAddr => "127.0.0.53", PeerPort => 53, Proto => "udp") or die "$!"; $s->send(pack("n6", 7, 0x100, 1, 0, 0, 0) . "\4quay\7example\0" . pack("n2", 1, 1)); sleep 2'
[ ! -e /run/asked ] || sort -u /run/asked
kill $resolved $networkd $far $listeners 2>/dev/null
true
