//! Devices that announce themselves on the network (mDNS, RFC 6762 and 6763).

use std::collections::{BTreeMap, BTreeSet};
use std::net::{IpAddr, SocketAddr};

use mdns_sd::{ServiceDaemon, ServiceEvent, ServiceInfo};
use tokio::sync::watch;
use tokio::task::JoinHandle;

/// What a device announces.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum AnnouncedKind {
    /// Pairing, while its dialog is open.
    Pairing,
    /// Wireless debugging's encrypted link.
    Connect,
    /// The older link without encryption.
    Plain,
}

impl AnnouncedKind {
    const ALL: [(Self, &'static str); 3] = [
        (Self::Pairing, "_adb-tls-pairing._tcp"),
        (Self::Connect, "_adb-tls-connect._tcp"),
        (Self::Plain, "_adb._tcp"),
    ];

    /// The service type, without a domain.
    pub fn service(self) -> &'static str {
        Self::ALL.iter().find(|(kind, _)| *kind == self).map_or("", |(_, service)| service)
    }
}

/// Takes a full name like `adb-SERIAL-x1y2z3._adb-tls-connect._tcp.local.` apart: what is announced, and by whom.
/// `None` for services of other kinds, and for names that hold more than visible characters.
pub fn service_kind(full_name: &str) -> Option<(AnnouncedKind, String)> {
    let (kind, instance) = AnnouncedKind::ALL.iter().find_map(|(kind, service)| {
        let (instance, domain) = full_name.rsplit_once(&format!(".{service}"))?;
        (domain.is_empty() || domain.starts_with('.')).then_some((*kind, instance))
    })?;
    // A name that was taken gets ` (2)` behind it (RFC 6762, 9).
    let visible = !instance.is_empty()
        && instance.len() <= 63
        && instance.trim() == instance
        && instance.chars().all(|c| c.is_ascii_graphic() || c == ' ');
    visible.then(|| (kind, instance.to_owned()))
}

/// A service that was announced and has not been withdrawn.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Announced {
    /// What it is.
    pub kind: AnnouncedKind,
    /// The name of the instance, `adb-SERIAL-xxxxxx` mostly; for pairing by QR code the name that was in the code.
    pub instance: String,
    /// Where it is; never empty. The addresses that are worth trying first come first.
    pub addresses: Vec<SocketAddr>,
}

impl Announced {
    /// The name of the instance and its number: ` (2)` stands behind one that was taken when it was announced, mostly by the
    /// same device a moment earlier.
    pub fn name(&self) -> (&str, u32) {
        let numbered = self.instance.strip_suffix(')').and_then(|rest| rest.rsplit_once(" ("));
        match numbered.and_then(|(name, number)| Some((name, number.parse().ok().filter(|n| *n > 1)?))) {
            Some(known) => known,
            None => (&self.instance, 1),
        }
    }

    /// The serial in the name of an instance, where it has one.
    pub fn serial(&self) -> Option<&str> {
        let rest = self.name().0.strip_prefix("adb-")?;
        match rest.rsplit_once('-') {
            Some((serial, suffix)) if suffix.len() == 6 => Some(serial),
            // The older link is announced without anything behind the serial.
            _ if self.kind == AnnouncedKind::Plain => Some(rest),
            _ => None,
        }
        .filter(|serial| !serial.is_empty())
    }
}

/// What is announced, from wherever it is learned.
pub type Announcements = watch::Receiver<Vec<Announced>>;

/// Listens on the networks of this computer.
pub struct SystemMdns {
    daemon: ServiceDaemon,
    seen: Announcements,
    tasks: Vec<JoinHandle<()>>,
}

impl std::fmt::Debug for SystemMdns {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("SystemMdns").finish_non_exhaustive()
    }
}

impl SystemMdns {
    /// Begins to listen.
    ///
    /// # Errors
    /// In words, where there is no multicast; devices can be named by address then.
    pub fn start() -> Result<Self, String> {
        let failed = |error: mdns_sd::Error| format!("devices on the network cannot be heard: {error}");
        let daemon = ServiceDaemon::new().map_err(failed)?;
        let (tell, seen) = watch::channel(Vec::new());
        let tell = std::sync::Arc::new(tell);
        let mut tasks = Vec::new();
        for (_, service) in AnnouncedKind::ALL {
            let events = daemon.browse(&format!("{service}.local.")).map_err(failed)?;
            let tell = std::sync::Arc::clone(&tell);
            tasks.push(tokio::spawn(async move {
                while let Ok(event) = events.recv_async().await {
                    take(&tell, event);
                }
            }));
        }
        Ok(Self { daemon, seen, tasks })
    }

    /// What is announced.
    pub fn seen(&self) -> Announcements {
        self.seen.clone()
    }
}

impl Drop for SystemMdns {
    fn drop(&mut self) {
        self.tasks.iter().for_each(JoinHandle::abort);
        // That it cannot be told to end is no reason to fail: the program is ending.
        let _ = self.daemon.shutdown();
    }
}

/// Announces services on the networks of this computer, as a device does. Used by simulated devices.
pub struct MdnsAnnouncer {
    daemon: ServiceDaemon,
    names: Vec<String>,
}

impl std::fmt::Debug for MdnsAnnouncer {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("MdnsAnnouncer").field("names", &self.names).finish_non_exhaustive()
    }
}

impl MdnsAnnouncer {
    /// Begins, with nothing announced.
    ///
    /// # Errors
    /// In words, where there is no multicast.
    pub fn start() -> Result<Self, String> {
        let daemon = ServiceDaemon::new().map_err(|e| format!("nothing can be announced on the network: {e}"))?;
        Ok(Self { daemon, names: Vec::new() })
    }

    /// Announces these, and withdraws what was announced before and is not among them.
    ///
    /// # Errors
    /// In words, for what cannot be announced.
    pub fn set(&mut self, announced: &[Announced]) -> Result<(), String> {
        let failed = |error: mdns_sd::Error| format!("it cannot be announced on the network: {error}");
        let mut names = Vec::new();
        for one in announced {
            let Some(first) = one.addresses.first() else { continue };
            // What listens on this computer is reached from others by its addresses on their networks.
            let ips: Vec<IpAddr> = match first.ip().is_loopback() {
                true => own_networks().iter().map(|network| network.own).collect(),
                false => one.addresses.iter().map(SocketAddr::ip).collect(),
            };
            let kind = format!("{}.local.", one.kind.service());
            let host = format!("{}.local.", one.instance);
            let none: &[(&str, &str)] = &[];
            let service =
                ServiceInfo::new(&kind, &one.instance, &host, &ips[..], first.port(), none).map_err(failed)?;
            names.push(service.get_fullname().to_owned());
            self.daemon.register(service).map_err(failed)?;
        }
        for gone in self.names.iter().filter(|name| !names.contains(name)) {
            // The goodbye is sent in the background.
            let _ = self.daemon.unregister(gone);
        }
        self.names = names;
        Ok(())
    }
}

impl Drop for MdnsAnnouncer {
    fn drop(&mut self) {
        let _ = self.daemon.shutdown();
    }
}

fn take(tell: &watch::Sender<Vec<Announced>>, event: ServiceEvent) {
    match event {
        ServiceEvent::ServiceResolved(service) => {
            let ips: BTreeSet<IpAddr> = service.get_addresses().iter().map(mdns_sd::ScopedIp::to_ip_addr).collect();
            let networks = own_networks();
            let near = ips.into_iter().filter(|ip| networks.iter().any(|network| network.has(ip))).collect();
            put(tell, service.get_fullname(), &near, service.get_port());
        }
        ServiceEvent::ServiceRemoved(_, full_name) => withdraw(tell, &full_name),
        _ => {}
    }
}

/// A network that this computer is on.
#[derive(Debug, Clone, Copy)]
struct Network {
    own: IpAddr,
    mask: IpAddr,
}

impl Network {
    /// Whether an address is of it, and of one computer there. Whoever announces can name any address; what is not near is
    /// none of theirs to name.
    fn has(&self, ip: &IpAddr) -> bool {
        let near = match (self.own, self.mask, ip) {
            (IpAddr::V4(own), IpAddr::V4(mask), IpAddr::V4(ip)) => {
                let (own, mask, ip) = (own.to_bits(), mask.to_bits(), ip.to_bits());
                // Neither the network's own address nor all of its computers, but where there are two in all.
                let one = mask >= u32::MAX - 1 || (ip & !mask != 0 && ip & !mask != !mask);
                ip & mask == own & mask && one
            }
            (IpAddr::V6(own), IpAddr::V6(mask), IpAddr::V6(ip)) => {
                let (own, mask, ip) = (own.to_bits(), mask.to_bits(), ip.to_bits());
                ip & mask == own & mask
            }
            _ => false,
        };
        near && !ip.is_loopback() && !ip.is_multicast() && !ip.is_unspecified()
    }
}

/// The networks that this computer is on now.
fn own_networks() -> Vec<Network> {
    // Without a list nothing is near.
    let all = if_addrs::get_if_addrs().unwrap_or_default();
    let of = |interface: if_addrs::Interface| match interface.addr {
        if_addrs::IfAddr::V4(v4) => Network { own: v4.ip.into(), mask: v4.netmask.into() },
        if_addrs::IfAddr::V6(v6) => Network { own: v6.ip.into(), mask: v6.netmask.into() },
    };
    all.into_iter().map(of).filter(|network| !network.own.is_loopback()).collect()
}

/// So many of each kind are kept. Those that came first stay: whoever announces without end pushes nobody out.
const MOST_OF_A_KIND: usize = 64;

fn put(tell: &watch::Sender<Vec<Announced>>, full_name: &str, ips: &BTreeSet<IpAddr>, port: u16) {
    let Some((kind, instance)) = service_kind(full_name) else { return };
    // An address of one link only would need its interface named; it is left out unless there is no other.
    let single_link = |ip: &IpAddr| matches!(ip, IpAddr::V6(v6) if v6.is_unicast_link_local());
    let mut ordered: BTreeMap<(bool, bool), Vec<IpAddr>> = BTreeMap::new();
    for ip in ips.iter().take(16) {
        ordered.entry((single_link(ip), ip.is_ipv6())).or_default().push(*ip);
    }
    let addresses: Vec<SocketAddr> = ordered.into_values().flatten().map(|ip| SocketAddr::new(ip, port)).collect();
    if addresses.is_empty() || port == 0 {
        return;
    }
    tell.send_modify(|seen| {
        let of_the_kind = seen.iter().filter(|s| s.kind == kind).count();
        match seen.iter_mut().find(|s| (s.kind, &s.instance) == (kind, &instance)) {
            Some(known) => known.addresses = addresses,
            None if of_the_kind < MOST_OF_A_KIND => {
                seen.push(Announced { kind, instance, addresses });
            }
            None => {}
        }
    });
}

fn withdraw(tell: &watch::Sender<Vec<Announced>>, full_name: &str) {
    if let Some((kind, instance)) = service_kind(full_name) {
        tell.send_modify(|seen| seen.retain(|s| (s.kind, &s.instance) != (kind, &instance)));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn names_of_services() {
        let read = service_kind;
        assert_eq!(
            read("adb-CT5-0417-x1y2z3._adb-tls-connect._tcp.local."),
            Some((AnnouncedKind::Connect, "adb-CT5-0417-x1y2z3".into()))
        );
        assert_eq!(
            read("wibbet-abc._adb-tls-pairing._tcp.local."),
            Some((AnnouncedKind::Pairing, "wibbet-abc".into()))
        );
        assert_eq!(read("adb-1._adb._tcp"), Some((AnnouncedKind::Plain, "adb-1".into())));
        for other in ["._adb._tcp.local.", " b._adb._tcp.local.", "x._http._tcp.local.", "\u{1b}[2J._adb._tcp.local."] {
            assert_eq!(read(other), None, "{other}");
        }
        let connect = |instance: &str| Announced {
            kind: AnnouncedKind::Connect,
            instance: instance.into(),
            addresses: vec![([192, 0, 2, 7], 40001).into()],
        };
        assert_eq!(connect("adb-CT5-0417-x1y2z3").serial(), Some("CT5-0417"));
        assert_eq!(connect("adb-x1y2z3").serial(), None);
        assert_eq!(connect("wibbet-abcdef").serial(), None);
        assert_eq!(connect("adb-CT5-0417-x1y2z3 (2)").serial(), Some("CT5-0417"));
        let plain = |instance: &str| Announced { kind: AnnouncedKind::Plain, ..connect(instance) };
        assert_eq!((plain("adb-TV43").serial(), plain("adb-TV43 (3)").name()), (Some("TV43"), ("adb-TV43", 3)));
        assert_eq!(plain("adb-TV43-x1y2z3").serial(), Some("TV43"));
        for odd in ["adb-S (x)", "adb-S (1)", "adb-S (2", "(2)"] {
            assert_eq!(connect(odd).name(), (odd, 1));
        }
    }

    #[test]
    fn a_new_port_replaces_the_former_and_a_goodbye_withdraws() {
        let (tell, seen) = watch::channel(Vec::new());
        let name = "adb-S-aaaaaa._adb-tls-connect._tcp.local.";
        let ips: BTreeSet<IpAddr> =
            ["fe80::1", "2001:db8::1", "192.0.2.7"].iter().map(|ip| ip.parse().unwrap()).collect();
        put(&tell, name, &ips, 40001);
        put(&tell, name, &ips, 40002);
        {
            let now = seen.borrow();
            let shown: Vec<String> = now[0].addresses.iter().map(ToString::to_string).collect();
            assert_eq!(
                (now.len(), shown),
                (1, ["192.0.2.7:40002", "[2001:db8::1]:40002", "[fe80::1]:40002"].map(String::from).to_vec())
            );
        }
        put(&tell, name, &BTreeSet::new(), 1);
        assert_eq!(seen.borrow()[0].addresses[0].port(), 40002);
        withdraw(&tell, name);
        assert!(seen.borrow().is_empty());
    }

    #[test]
    fn only_what_is_near_may_be_named() {
        let network = |own: &str, mask: &str| Network { own: own.parse().unwrap(), mask: mask.parse().unwrap() };
        let four = network("192.0.2.17", "255.255.255.0");
        let six = network("2001:db8::17", "ffff:ffff:ffff:ffff::");
        let has = |network: &Network, ip: &str| network.has(&ip.parse().unwrap());
        for near in ["192.0.2.1", "192.0.2.254", "192.0.2.17"] {
            assert!(has(&four, near), "{near}");
        }
        for other in [
            "192.0.2.255",
            "192.0.2.0",
            "192.0.3.1",
            "127.0.0.1",
            "8.8.8.8",
            "224.0.0.251",
            "255.255.255.255",
            "0.0.0.0",
            "::1",
        ] {
            assert!(!has(&four, other), "{other}");
        }
        assert!(has(&six, "2001:db8::1") && !has(&six, "2001:db8:0:1::1") && !has(&six, "ff02::fb"));
        assert!(has(&network("192.0.2.0", "255.255.255.254"), "192.0.2.1"), "a link between two");
    }

    #[test]
    fn whoever_announces_without_end_pushes_nobody_out() {
        let (tell, seen) = watch::channel(Vec::new());
        let ips: BTreeSet<IpAddr> = ["192.0.2.7".parse().unwrap()].into();
        put(&tell, "adb-Z9-zzzzzz._adb-tls-connect._tcp.local.", &ips, 40001);
        for n in 0..1000 {
            put(&tell, &format!("adb-A{n}-aaaaaa._adb-tls-connect._tcp.local."), &ips, 40002);
        }
        put(&tell, "adb-Z9-zzzzzz._adb-tls-pairing._tcp.local.", &ips, 40003);
        let now = seen.borrow();
        assert_eq!(now.len(), MOST_OF_A_KIND + 1);
        assert!(now[0].instance == "adb-Z9-zzzzzz" && now[MOST_OF_A_KIND].kind == AnnouncedKind::Pairing);
    }

    proptest! {
        #[test]
        fn any_name_is_read_or_passed_over(name in any::<String>(), service in 0usize..3) {
            let full = format!("{name}.{}.local.", AnnouncedKind::ALL[service].1);
            if let Some((_, instance)) = service_kind(&full) {
                prop_assert!(instance.chars().all(|c| c.is_ascii_graphic() || c == ' '));
            }
            service_kind(&name);
        }
    }
}
