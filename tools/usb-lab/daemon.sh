# The program against the platform's own daemon on a real USB bus; run in the guest by `test-wibbet`. /data/root is the file
# system that tools/daemon-lab makes.
export WIBBET_HOME=/tmp/home
mkdir -p $WIBBET_HOME && cp /data/key.pem $WIBBET_HOME/host-key.pem && chmod 600 $WIBBET_HOME/host-key.pem
root=/data/root step=0
now() { step=$((step + 1)); echo "--- $step: $*"; }
fail() { echo "FAILED in step $step: $*"; for f in /tmp/out /tmp/run /tmp/run.err /tmp/daemon /tmp/events; do echo "== $f"; tail -n 12 "$f" | cut -c1-400; done; exit 1; }
has() { grep -q -- "$1" "${2:-/tmp/out}" || fail "no “$1” in ${2:-/tmp/out}"; }
wait_for() { # TEXT FILE: until it is there
  for _ in $(seq 600); do grep -q -- "$1" "$2" 2>/dev/null && return; usleep 200000; done
  fail "waited in vain for “$1” in $2"
}
count() { grep -o "$1" "$2" | wc -l; }

now "the daemon starts, with the crew phone's Android behind it"
mount -t devtmpfs dev $root/dev 2>/dev/null || mount -o bind /dev $root/dev
mkdir -p $root/dev/pts $root/dev/socket && mount -t devpts -o newinstance,ptmxmode=0666 devpts $root/dev/pts
wibbet sim --device crew-phone --behind $root --no-apks --transcript /tmp/transcript > /tmp/sim < /dev/null &
wait_for behind /tmp/sim
chroot $root /usr/bin/toybox env -i LD_PRELOAD=/usr/lib/adbd_shim.so PATH=/system/bin:/usr/bin:/bin HOME=/ ADBD_PROPS=/phone/props \
  ADBD_LISTEN=5601 ADBD_PORT_FILE=/tmp/port /usr/lib/android-sdk/platform-tools/adbd > /tmp/daemon 2>&1 < /dev/null &
wait_for 5601 $root/tmp/port

now "on the bus: linked and surveyed; its last data leave together here too"
mkfifo /tmp/cable
usb-attach --to 127.0.0.1:5601 --serial CT5-0417-2291 < /tmp/cable > /tmp/events 2>&1 &
exec 3> /tmp/cable
for _ in $(seq 50); do usb-node CT5-0417-2291 > /dev/null 2>&1 && break; usleep 200000; done
wibbet link CT5-0417-2291 --json > /tmp/out 2>/tmp/err || fail "exit code"
has '"link":"ready"'; has '"kind":"cable"'
wibbet packages CT5-0417-2291 --quick --json > /tmp/out 2>/tmp/err || fail "exit code"
[ "$(count '"kind":"[a-z-]*system"\|"kind":"user"' /tmp/out)" = 236 ] || fail "packages"

now "unplugged in the middle of a run and plugged in again"
( wibbet run CT5-0417-2291 --user 0 --uninstall com.corvane.notes com.corvane.radio com.corvane.security com.corvane.tips com.corvane.health com.corvane.wallet --disable com.corvane.fonts com.corvane.video --yes --json > /tmp/run 2>/tmp/run.err; echo "ended with $?" >> /tmp/run ) &
wait_for 'uninstall --user 0 com.corvane.radio' /tmp/transcript
echo unplug >&3; sleep 1; echo plug >&3
wait_for 'ended with' /tmp/run
has 'ended with 3' /tmp/run
[ "$(count '"outcome":"done"' /tmp/run)" = 7 ] || fail "outcomes of the interrupted run"

now "what the record calls done is so on the device"
wibbet packages CT5-0417-2291 --quick --json > /tmp/out 2>/tmp/err || fail "exit code"
for id in notes radio tips health wallet fonts video; do
  grep -o "\"id\":\"com.corvane.$id\".*" /tmp/out | grep -o '"states":{"0":{"state":"[a-z-]*"' | head -n 1 > /tmp/state
  grep -q 'uninstalled\|disabled' /tmp/state || fail "com.corvane.$id: $(cat /tmp/state)"
done
wibbet carry-on CT5-0417-2291 --yes > /tmp/out 2>&1
has 'nothing is left to do'
echo "--- all is well"
