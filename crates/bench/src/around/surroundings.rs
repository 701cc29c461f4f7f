//! What is around that has a way to it.

use std::sync::Arc;
use std::time::Duration;

use wibbet_adb::{
    Announced, AnnouncedKind, Announcements, Dialer, SystemDialer, SystemMdns, SystemUsb, UsbBus, UsbSeen,
    server_devices,
};
use wibbet_types::{Address, PackageId, PlainText};

use super::route::Route;

/// Where devices are looked for. All of it can be left out, or be simulated.
#[derive(Debug, Clone)]
pub struct Surroundings {
    /// The cables.
    pub bus: Option<Arc<dyn UsbBus>>,
    /// What connects to addresses.
    pub network: Arc<dyn Dialer>,
    /// What is announced on the network.
    pub announced: Option<Announcements>,
    /// Where another program's debugging server may be, `HOST:PORT`.
    pub server: Option<String>,
    /// Why a part of it cannot be looked at, in words.
    pub gaps: Vec<String>,
    /// The app in which this program runs, on a device that Android runs on.
    pub ground: Option<PackageId>,
    /// Keeps the listener going.
    _mdns: Option<Arc<SystemMdns>>,
}

/// The network of this computer, and nothing that is looked at.
impl Default for Surroundings {
    fn default() -> Self {
        Self {
            bus: None,
            network: Arc::new(SystemDialer),
            announced: None,
            server: None,
            gaps: Vec::new(),
            ground: None,
            _mdns: None,
        }
    }
}

impl Surroundings {
    /// The cables and networks of this computer.
    pub fn of_this_computer() -> Self {
        let mut gaps = Vec::new();
        let mdns = SystemMdns::start().map_err(|why| gaps.push(why)).ok().map(Arc::new);
        Self {
            bus: Some(Arc::new(SystemUsb::start())),
            network: Arc::new(SystemDialer),
            announced: mdns.as_ref().map(|m| m.seen()),
            server: Some(wibbet_adb::SERVER_ADDRESS.to_owned()),
            gaps,
            ground: None,
            _mdns: mdns,
        }
    }

    /// Others than those of this computer.
    pub fn simulated(bus: Option<Arc<dyn UsbBus>>, announced: Option<Announcements>) -> Self {
        Self { bus, announced, ..Self::default() }
    }

    /// On a device that Android runs on: in the terminal of an app, which gets no cables.
    pub fn of_a_device(ground: Option<PackageId>) -> Self {
        let mut gaps = Vec::new();
        let mdns = SystemMdns::start().map_err(|why| gaps.push(why)).ok().map(Arc::new);
        Self { announced: mdns.as_ref().map(|m| m.seen()), gaps, ground, _mdns: mdns, ..Self::default() }
    }

    /// In the terminal of an app, on a device that Android runs on.
    pub fn with_ground(self, ground: Option<PackageId>) -> Self {
        Self { ground, ..self }
    }

    /// With another network than this computer's.
    pub fn with_network(self, network: Arc<dyn Dialer>) -> Self {
        Self { network, ..self }
    }

    /// With a debugging server of another program at an address, `HOST:PORT`.
    pub fn with_server(self, server: String) -> Self {
        Self { server: Some(server), ..self }
    }

    /// What the cables have now.
    pub(crate) fn on_cables(&self) -> Vec<UsbSeen> {
        self.bus.as_ref().map_or_else(Vec::new, |bus| bus.seen().borrow().clone())
    }

    /// What is announced now. Of a device that has announced itself anew before the former announcement was withdrawn only
    /// the newer one counts.
    pub(crate) fn on_air(&self) -> Vec<Announced> {
        let all = self.announced.as_ref().map_or_else(Vec::new, |announced| announced.borrow().clone());
        let newer = |one: &Announced, other: &Announced| {
            let ((name, number), (same, later)) = (one.name(), other.name());
            one.kind == other.kind && name == same && number < later
        };
        let newest = |one: &&Announced| !all.iter().any(|other| newer(one, other));
        all.iter().filter(newest).cloned().collect()
    }

    /// The devices on cables that a debugging server has.
    pub(crate) async fn at_server(&self) -> Vec<Sighting> {
        let Some(server) = &self.server else { return Vec::new() };
        let devices = server_devices(server, Duration::from_secs(2)).await.unwrap_or_default();
        let sighting = |d: wibbet_adb::ServerDevice| Sighting {
            serial: d.serial.clone(),
            name: PlainText::default(),
            route: Route::Server(d.serial),
        };
        devices.into_iter().filter(|d| d.cable).map(sighting).collect()
    }

    /// Looks around for so long at most, or until `enough` has been seen; what was seen, best ways first.
    pub async fn look(&self, patience: Duration, mut enough: impl FnMut(&[Sighting]) -> bool) -> Vec<Sighting> {
        let until = tokio::time::Instant::now() + patience;
        let at_server = self.at_server().await;
        loop {
            let mut seen: Vec<Sighting> = self.on_cables().iter().map(Sighting::on_cable).collect();
            seen.extend(at_server.iter().cloned());
            seen.extend(self.on_air().iter().filter_map(Sighting::on_air));
            if enough(&seen) || tokio::time::Instant::now() >= until {
                return seen;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    }
}

/// So many more addresses of an announcement are tried, one after the other: each that nothing answers at takes its time.
const MOST_OTHERS: usize = 3;

/// A device that was seen, and not asked yet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sighting {
    /// The serial that it goes by; empty where none is told. Whether it is right shows when it is linked.
    pub serial: String,
    /// Maker and model, where these are told.
    pub name: PlainText,
    /// The way to it. On a cable it may turn out to offer no debugging.
    pub route: Route,
}

impl Sighting {
    pub(crate) fn on_cable(seen: &UsbSeen) -> Self {
        Self {
            serial: seen.serial.as_str().to_owned(),
            name: seen.name.clone(),
            route: Route::Cable(seen.place.clone()),
        }
    }

    pub(crate) fn on_air(announced: &Announced) -> Option<Self> {
        let mut addresses = announced.addresses.iter().filter_map(|at| Address::try_from(*at).ok());
        let at = addresses.next()?;
        let others = addresses.take(MOST_OTHERS).collect();
        let route = match announced.kind {
            AnnouncedKind::Pairing => return None,
            AnnouncedKind::Connect => Route::Air { instance: announced.name().0.to_owned(), at, others },
            AnnouncedKind::Plain => Route::Hearsay { at, others },
        };
        let serial = announced.serial().unwrap_or_default().to_owned();
        Some(Self { serial, name: PlainText::default(), route })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tokio::sync::watch;

    #[test]
    fn a_device_that_announces_itself_anew_is_where_it_says_last() {
        let announced = |kind, instance: &str, port| Announced {
            kind,
            instance: instance.into(),
            addresses: vec![([192, 0, 2, 7], port).into()],
        };
        let (connect, plain) = (AnnouncedKind::Connect, AnnouncedKind::Plain);
        let all = vec![
            announced(connect, "adb-S1-aaaaaa", 40001),
            announced(connect, "adb-S1-aaaaaa (2)", 40002),
            announced(connect, "adb-S2-bbbbbb", 40003),
            announced(plain, "adb-S1-aaaaaa", 5555),
        ];
        let (_tell, seen) = watch::channel(all);
        let around = Surroundings::simulated(None, Some(seen));
        let routes: Vec<Route> = around.on_air().iter().filter_map(Sighting::on_air).map(|s| s.route).collect();
        let air = |instance: &str, at: &str| Route::Air {
            instance: instance.into(),
            at: at.parse().unwrap(),
            others: Vec::new(),
        };
        assert_eq!(
            routes,
            [
                air("adb-S1-aaaaaa", "192.0.2.7:40002"),
                air("adb-S2-bbbbbb", "192.0.2.7:40003"),
                Route::Hearsay { at: "192.0.2.7:5555".parse().unwrap(), others: Vec::new() },
            ]
        );
    }
}
