//! One way to a device.

use wibbet_adb::UsbPlace;
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
    },
    /// By address.
    Address(Address),
}

impl Route {
    /// The kind, for people and machines.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::Cable(_) => "cable",
            Self::Server(_) => "server",
            Self::Air { .. } => "air",
            Self::Address(_) => "address",
        }
    }

    /// Whether it is the way that the other one was, at another place perhaps.
    fn replaces(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Cable(_), Self::Cable(_)) => true,
            (Self::Air { instance: one, .. }, Self::Air { instance: two, .. }) => one == two,
            // What was only an address before has told its name.
            (Self::Air { at, .. }, Self::Address(address)) => at == address,
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
            Self::Air { at, .. } | Self::Address(at) => at.fmt(f),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn routes_replace_one_another_and_stand_best_first() {
        let air = |at: &str| Route::Air { instance: "adb-S-aaaaaa".into(), at: at.parse().unwrap() };
        let cable = |number| Route::Cable(UsbPlace { bus: "1".into(), number });
        let mut routes = vec![Route::Address("h:1".parse().unwrap())];
        air("h:1").take_into(&mut routes);
        assert_eq!(routes, [air("h:1")]);
        air("h:2").take_into(&mut routes);
        cable(3).take_into(&mut routes);
        Route::Address("h:9".parse().unwrap()).take_into(&mut routes);
        cable(4).take_into(&mut routes);
        assert_eq!(routes, [cable(4), air("h:2"), Route::Address("h:9".parse().unwrap())]);
    }
}
