//! The very device that the program runs on: its own debugging daemon, by the loopback.

use std::collections::BTreeSet;
use std::path::Path;
use std::time::Duration;

use futures_util::StreamExt as _;
use wibbet_adb::{DaemonKind, Dialer, probe};
use wibbet_types::Address;

/// The loopback, as an address of it is written.
const LOOPBACK: &str = "127.0.0.1";

/// The port of wireless debugging is one that the kernel gives: from 32768 to 60999 unless its maker has it otherwise
/// (`/proc/sys/net/ipv4/ip_local_port_range`, which apps may not read on every device; Android's own setting begins at 37000).
const GIVEN: std::ops::RangeInclusive<u16> = 30000..=61000;

/// How long one port is looked at. On the loopback a closed one says so at once, and a daemon answers within milliseconds.
const LOOK: Duration = Duration::from_millis(1500);

/// So many ports are looked at side by side: what an app on a phone may have open, and more than enough.
const AT_ONCE: usize = 96;

/// The address of this device at a port.
///
/// # Panics
/// Never: the loopback is an address.
pub fn here_at(port: std::num::NonZeroU16) -> Address {
    std::net::SocketAddr::from(([127, 0, 0, 1], port.get()))
        .try_into()
        .unwrap_or_else(|_| unreachable!("a port is not 0"))
}

/// The ports of this device at which something listens, as the kernel lists them; `None` where it does not, as for apps from Android 10 on.
pub fn listening() -> Option<BTreeSet<u16>> {
    listening_by(Path::new("/proc/net"))
}

fn listening_by(folder: &Path) -> Option<BTreeSet<u16>> {
    let texts = ["tcp", "tcp6"].map(|name| std::fs::read_to_string(folder.join(name)));
    let texts: Vec<String> = texts.into_iter().filter_map(Result::ok).collect();
    if texts.is_empty() {
        return None;
    }
    // "sl local_address rem_address st …": the address in hex, a colon, the port in hex; 0A is LISTEN.
    let port = |line: &str| {
        let mut words = line.split_whitespace();
        let (_, port) = words.nth(1)?.rsplit_once(':')?;
        (words.nth(1)? == "0A").then(|| u16::from_str_radix(port, 16).ok())?
    };
    Some(texts.iter().flat_map(|text| text.lines().skip(1).filter_map(port)).filter(|port| *port >= 1024).collect())
}

/// Looks for the wireless debugging of this device: at the ports that are likely first, then at those that the kernel lists as open, or, where
/// it lists none, as to some apps, at all from which it gives one. Only the loopback is looked at. What answers in the clear is passed over: any app could listen there, and the
/// key is lent to nobody who was not chosen.
pub async fn find_here(network: &dyn Dialer, likely: &[u16], listed: Option<BTreeSet<u16>>) -> Option<Address> {
    // What listens at other ports is somebody else's, and may take any word for an order.
    let listed: Vec<u16> = listed.into_iter().flatten().filter(|port| GIVEN.contains(port)).collect();
    let rest = if listed.is_empty() { GIVEN.collect() } else { listed };
    for ports in [likely.to_vec(), rest] {
        let look = |port: u16| async move {
            let at: Address = format!("{LOOPBACK}:{port}").parse().ok()?;
            (probe(network, &at, LOOK).await? == DaemonKind::Encrypted).then_some(at)
        };
        let mut looks = std::pin::pin!(futures_util::stream::iter(ports).map(look).buffer_unordered(AT_ONCE));
        while let Some(seen) = looks.next().await {
            if seen.is_some() {
                return seen;
            }
        }
    }
    None
}

/// The app in whose folders something lies: `/data/data/ID/…`, `/data/user/N/ID/…` or `/data/user_de/N/ID/…`, as Android lays them out.
pub fn app_of(path: &Path) -> Option<wibbet_types::PackageId> {
    let path = path.to_str()?;
    let rest = match path.strip_prefix("/data/data/") {
        Some(rest) => rest,
        None => {
            let rest = path.strip_prefix("/data/user_de/").or_else(|| path.strip_prefix("/data/user/"))?;
            rest.split_once('/')?.1
        }
    };
    rest.split('/').next()?.parse().ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_kernels_list() {
        let folder = tempfile::tempdir().unwrap();
        assert_eq!(listening_by(folder.path()), None);
        // As Linux 5.10 prints it: 127.0.0.1:41235 and :::37123 listen, one is connected, one is below 1024.
        let tcp = "  sl  local_address rem_address   st tx_queue rx_queue tr tm->when retrnsmt   uid  timeout inode\n   \
                   0: 0100007F:A113 00000000:0000 0A 00000000:00000000 00:00000000 00000000  2000        0 1\n   \
                   1: 0100007F:A114 0100007F:A113 01 00000000:00000000 00:00000000 00000000  2000        0 2\n   \
                   2: 00000000:0016 00000000:0000 0A 00000000:00000000 00:00000000 00000000     0        0 3\n";
        let tcp6 = "  sl  local_address remote_address st\n   \
                    0: 00000000000000000000000000000000:9103 00000000000000000000000000000000:0000 0A 0 0\nrubbish\n";
        std::fs::write(folder.path().join("tcp"), tcp).unwrap();
        assert_eq!(listening_by(folder.path()), Some(BTreeSet::from([41235])));
        std::fs::write(folder.path().join("tcp6"), tcp6).unwrap();
        assert_eq!(listening_by(folder.path()), Some(BTreeSet::from([37123, 41235])));
    }

    #[test]
    fn whose_folder_it_is() {
        let of = |path: &str| app_of(Path::new(path)).map(|id| id.to_string());
        for path in [
            "/data/data/fer.pellmoor.term/files/home",
            "/data/user/0/fer.pellmoor.term",
            "/data/user_de/10/fer.pellmoor.term/x",
        ] {
            assert_eq!(of(path).as_deref(), Some("fer.pellmoor.term"), "{path}");
        }
        for path in ["/home/crew", "/data/local/tmp", "/data/data/", "/data/user/0", "/data/data/a b/c", ""] {
            assert_eq!(of(path), None, "{path}");
        }
    }
}
