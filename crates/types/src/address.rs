//! Where something listens on a network.

use std::fmt;
use std::net::SocketAddr;
use std::num::NonZeroU16;
use std::str::FromStr;

/// `HOST:PORT`, such as `192.0.2.7:5555`, `tv.local:5555` or `[2001:db8::7]:5555`.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Address {
    /// A name, or an address of IPv4 or IPv6 without its brackets, maybe with its zone behind `%`.
    host: Box<str>,
    port: NonZeroU16,
}

/// What an address has to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BadAddress;

impl fmt::Display for BadAddress {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an address is HOST:PORT, such as 192.0.2.7:5555 or [2001:db8::7]:5555")
    }
}

impl std::error::Error for BadAddress {}

impl Address {
    /// The host, an IPv6 address without its brackets.
    pub fn host(&self) -> &str {
        &self.host
    }

    /// The port.
    pub fn port(&self) -> u16 {
        self.port.get()
    }
}

impl FromStr for Address {
    type Err = BadAddress;

    fn from_str(text: &str) -> Result<Self, BadAddress> {
        let (host, port) = text.rsplit_once(':').ok_or(BadAddress)?;
        let bare = host.strip_prefix('[').and_then(|h| h.strip_suffix(']')).unwrap_or(host);
        let bracketed = bare.len() != host.len();
        let fits = !bare.is_empty()
            && bare.chars().all(|c| c.is_ascii_alphanumeric() || ".-_:%".contains(c))
            && (bracketed || !bare.contains(':'));
        match port.parse::<NonZeroU16>() {
            Ok(port) if fits => Ok(Self { host: bare.into(), port }),
            _ => Err(BadAddress),
        }
    }
}

/// `None` for port 0, at which nothing listens.
impl TryFrom<SocketAddr> for Address {
    type Error = BadAddress;

    fn try_from(address: SocketAddr) -> Result<Self, BadAddress> {
        address.to_string().parse()
    }
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.host.contains(':') {
            true => write!(f, "[{}]:{}", self.host, self.port),
            false => write!(f, "{}:{}", self.host, self.port),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses() {
        for good in ["127.0.0.1:5555", "tv.local:5555", "[::1]:40001", "[fe80::1%eth0]:5555"] {
            let address: Address = good.parse().unwrap();
            assert_eq!(address.to_string(), good);
        }
        for bad in ["", "host", "host:", "host:0", "host:99999", ":5555", "::1:5555", "a b:1", "h\u{1b}:1", "[]:1"] {
            assert!(bad.parse::<Address>().is_err(), "{bad}");
        }
        let socket: SocketAddr = "[2001:db8::7]:5555".parse().unwrap();
        let address = Address::try_from(socket).unwrap();
        assert_eq!((address.host(), address.port()), ("2001:db8::7", 5555));
        assert!(Address::try_from(SocketAddr::from(([127, 0, 0, 1], 0))).is_err());
    }
}
