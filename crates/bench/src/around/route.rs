//! One way to a device.

use wibbet_adb::UsbPlace;
use wibbet_core::device::Likeness;
use wibbet_types::Address;

/// One way to a device. The order is that of preference.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Route {
    /// On a cable.
    Cable(UsbPlace),
    /// Through a debugging server of another program that owns the cable, by the server's name for the device.
    Server(String),
    /// By wireless debugging: where it is now, and the name under which it announces itself.
    Air {
        /// The name.
        instance: String,
        /// Where; the port changes.
        at: Address,
        /// Where else, if nothing answers there: a device has several addresses, and not all are reached from here.
        others: Vec<Address>,
    },
    /// By an address that a person has named.
    Address(Address),
    /// By an address where a device was met another day. Another one may be there now.
    Remembered(Address),
    /// By an address that announces itself in the clear, which anybody can. Nothing is sent there before somebody wants it.
    Hearsay {
        /// Where.
        at: Address,
        /// Where else, if nothing answers there.
        others: Vec<Address>,
    },
}

impl Route {
    /// The kind, for people and machines.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::Cable(_) => "cable",
            Self::Server(_) => "server",
            Self::Air { .. } => "air",
            Self::Address(_) | Self::Remembered(_) | Self::Hearsay { .. } => "address",
        }
    }

    /// The address, of a way over a network.
    pub fn at(&self) -> Option<&Address> {
        match self {
            Self::Cable(_) | Self::Server(_) => None,
            Self::Air { at, .. } | Self::Address(at) | Self::Remembered(at) | Self::Hearsay { at, .. } => Some(at),
        }
    }

    /// All addresses of a way over a network, the one that is tried first before the others.
    pub(crate) fn addresses(&self) -> Vec<&Address> {
        let others = match self {
            Self::Air { others, .. } | Self::Hearsay { others, .. } => others.as_slice(),
            _ => &[],
        };
        self.at().into_iter().chain(others).collect()
    }

    /// Whether a person has chosen what is at its other end. Whoever is on a network can announce themselves as any
    /// device, and any program of this computer can pretend to be a debugging server.
    pub fn is_chosen(&self) -> bool {
        matches!(self, Self::Cable(_) | Self::Address(_))
    }

    /// How much has to speak for it that a known device is at its other end.
    pub fn least_likeness(&self) -> Likeness {
        if self.is_chosen() { Likeness::Alike } else { Likeness::SameInstallation }
    }

    /// Whether it is the way that the other one was, at another place perhaps.
    fn replaces(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Cable(_), Self::Cable(_)) => true,
            (Self::Air { instance: one, .. }, Self::Air { instance: two, .. }) => one == two,
            (Self::Address(at), Self::Remembered(other) | Self::Hearsay { at: other, .. }) => at == other,
            (Self::Remembered(at) | Self::Hearsay { at, .. }, Self::Hearsay { at: other, .. }) => at == other,
            (one, two) => one == two,
        }
    }

    /// Takes a route into a device's list, in the place of one that it replaces, best first.
    pub(crate) fn take_into(self, routes: &mut Vec<Self>) {
        routes.retain(|other| !self.replaces(other));
        routes.push(self);
        routes.sort();
    }
}

impl std::fmt::Display for Route {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Cable(place) => write!(f, "USB {place}"),
            Self::Server(_) => f.write_str("another program's debugging server"),
            Self::Air { at, .. } | Self::Address(at) | Self::Remembered(at) | Self::Hearsay { at, .. } => at.fmt(f),
        }
    }
}

/// Whether an address is that of the very device that the program runs on.
pub fn is_here(at: &Address) -> bool {
    at.host() == "localhost" || at.host().parse::<std::net::IpAddr>().is_ok_and(|ip| ip.is_loopback())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn routes_replace_one_another_and_stand_best_first() {
        let air =
            |at: &str| Route::Air { instance: "adb-S-aaaaaa".into(), at: at.parse().unwrap(), others: Vec::new() };
        let hearsay = |others: &[&str]| Route::Hearsay {
            at: "h:1".parse().unwrap(),
            others: others.iter().map(|at| at.parse().unwrap()).collect(),
        };
        let cable = |number| Route::Cable(UsbPlace { bus: "1".into(), number });
        let address = Route::Address("h:1".parse().unwrap());
        let mut routes = vec![hearsay(&[])];
        hearsay(&["i:1"]).take_into(&mut routes);
        assert_eq!((routes.len(), routes[0].addresses().len()), (1, 2), "it has one address more now");
        address.clone().take_into(&mut routes);
        assert_eq!(routes, std::slice::from_ref(&address), "somebody has named it");
        air("h:1").take_into(&mut routes);
        assert_eq!(routes, [air("h:1"), address.clone()], "no announcement takes a named address away");
        air("h:2").take_into(&mut routes);
        cable(3).take_into(&mut routes);
        cable(4).take_into(&mut routes);
        assert_eq!(routes, [cable(4), air("h:2"), address]);
    }
}
