//! A debugging server of another program on this computer, which owns the cables it has found: its protocol on loopback
//! is four hex digits of length and a request, answered by `OKAY` or `FAIL`.

use std::time::Duration;

use thiserror::Error;
use tokio::io::{AsyncRead, AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::TcpStream;
use tokio::sync::watch;
use tokio::time::timeout;
use wibbet_types::PlainText;

use super::plain_io;
use crate::banner::Features;

/// Where such a server listens.
pub const SERVER_ADDRESS: &str = "127.0.0.1:5037";
/// The most that is read of one answer, in bytes; four hex digits cannot say more.
const MOST_TEXT: usize = 0xffff;

/// Why a server did not do what it was asked.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum ServerError {
    /// No server answers.
    #[error("no debugging server answers at {at}: {why}")]
    NoServer {
        /// Its address.
        at: String,
        /// What the system said.
        why: String,
    },
    /// It said no.
    #[error("the debugging server refused: {0}")]
    Refused(PlainText),
    /// Its answer does not follow the protocol.
    #[error("the debugging server's answer could not be read: {0}")]
    Broken(String),
}

/// A device that a server has.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ServerDevice {
    /// The name by which the server knows it: its serial, or an address.
    pub serial: String,
    /// `device`, `unauthorized`, `offline`, `no permissions` …
    pub state: PlainText,
    /// Whether it is on a cable, as far as the server tells.
    pub cable: bool,
    /// The server's number of the connection to it, which is another one when the device has been away; empty where the
    /// server has none.
    pub transport: String,
}

/// Reads the list of `host:devices-l`.
pub fn read_server_devices(text: &str) -> Vec<ServerDevice> {
    text.lines()
        .filter_map(|line| {
            let (serial, rest) = line.trim_end().split_once([' ', '\t'])?;
            let visible = !serial.is_empty() && serial.chars().all(|c| c.is_ascii_graphic());
            let rest = rest.trim();
            // Properties are NAME:VALUE words at the end; the state before them may hold blanks.
            let state = rest.split(' ').take_while(|w| !w.contains(':')).collect::<Vec<_>>().join(" ");
            let state = if rest.starts_with("no permissions") { "no permissions".to_owned() } else { state };
            visible.then(|| ServerDevice {
                serial: serial.to_owned(),
                state: PlainText::short(state.trim()),
                cable: rest.contains(" usb:") || !serial.contains(':'),
                transport: rest.split(' ').find_map(|w| w.strip_prefix("transport_id:")).unwrap_or("").to_owned(),
            })
        })
        .collect()
}

/// A request as it goes over the wire; `None` for one that is too long to be said.
pub fn server_request(text: &str) -> Option<Vec<u8>> {
    (text.len() <= MOST_TEXT).then(|| format!("{:04x}{text}", text.len()).into_bytes())
}

/// Connects and makes one request; what follows the `OKAY` is left in the stream.
pub(crate) async fn ask(at: &str, request: &str, limit: Duration) -> Result<TcpStream, ServerError> {
    let no_server = |why: String| ServerError::NoServer { at: at.into(), why };
    let mut socket = match timeout(limit, TcpStream::connect(at)).await {
        Err(_) => return Err(no_server("nothing came in time".into())),
        Ok(Err(error)) => return Err(no_server(plain_io(&error))),
        Ok(Ok(socket)) => socket,
    };
    socket.set_nodelay(true).map_err(|e| no_server(plain_io(&e)))?;
    say(&mut socket, request, limit).await?;
    Ok(socket)
}

/// Makes a request on an open connection.
pub(crate) async fn say(socket: &mut TcpStream, request: &str, limit: Duration) -> Result<(), ServerError> {
    let broken = |why: String| ServerError::Broken(why);
    let bytes = server_request(request).ok_or_else(|| broken("the request is too long".into()))?;
    let said = async {
        socket.write_all(&bytes).await?;
        let mut word = [0; 4];
        socket.read_exact(&mut word).await?;
        Ok::<_, std::io::Error>(word)
    };
    match timeout(limit, said).await {
        Err(_) => Err(broken("nothing came in time".into())),
        Ok(Err(error)) => Err(broken(plain_io(&error))),
        Ok(Ok(word)) if word == *b"OKAY" => Ok(()),
        Ok(Ok(word)) if word == *b"FAIL" => {
            Err(ServerError::Refused(PlainText::short(&text(socket, limit).await.unwrap_or_default())))
        }
        Ok(Ok(_)) => Err(broken("neither OKAY nor FAIL".into())),
    }
}

/// Reads a text with its length before it.
pub(crate) async fn text<R: AsyncRead + Unpin>(from: &mut R, limit: Duration) -> Result<String, ServerError> {
    let read = async {
        let mut digits = [0; 4];
        from.read_exact(&mut digits).await?;
        let length = std::str::from_utf8(&digits).ok().and_then(|d| usize::from_str_radix(d, 16).ok());
        let Some(length) = length else {
            return Err(std::io::Error::other("its length is not in hexadecimal digits"));
        };
        let mut bytes = vec![0; length];
        from.read_exact(&mut bytes).await?;
        Ok(String::from_utf8_lossy(&bytes).into_owned())
    };
    match timeout(limit, read).await {
        Ok(read) => read.map_err(|e| ServerError::Broken(plain_io(&e))),
        Err(_) => Err(ServerError::Broken("nothing came in time".into())),
    }
}

/// The devices that the server at `at` has now.
pub async fn server_devices(at: &str, limit: Duration) -> Result<Vec<ServerDevice>, ServerError> {
    let mut socket = ask(at, "host:devices-l", limit).await?;
    Ok(read_server_devices(&text(&mut socket, limit).await?))
}

/// The features of a device that a server has.
pub(crate) async fn features(at: &str, serial: &str, limit: Duration) -> Result<Features, ServerError> {
    let mut socket = ask(at, &format!("host-serial:{serial}:features"), limit).await?;
    Ok(Features::read(&text(&mut socket, limit).await?))
}

/// Sets `ended` when the device goes, or the server does.
pub(crate) async fn watch_device(at: String, serial: String, limit: Duration, ended: watch::Sender<bool>) {
    if let Ok(mut socket) = ask(&at, "host:track-devices", limit).await {
        // The next list may be hours away.
        let patience = Duration::from_secs(u64::from(u32::MAX));
        while let Ok(list) = text(&mut socket, patience).await {
            let there = read_server_devices(&list).iter().any(|d| d.serial == serial && d.state.as_str() == "device");
            if !there {
                break;
            }
        }
    }
    ended.send_replace(true);
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn lists_of_devices() {
        let text = "CT5-1                  device usb:1-2 product:tarn5 model:Tarn_5 device:tarn5 transport_id:3\n\
                    192.0.2.7:5555         unauthorized transport_id:4\nOP-66\tdevice\n\
                    X1  no permissions (user in plugdev group; are your udev rules wrong?); see [http://x] usb:1-1\n\n";
        let list: Vec<_> =
            read_server_devices(text).into_iter().map(|d| (d.serial, d.state.into_string(), d.cable)).collect();
        let expected = [
            ("CT5-1", "device", true),
            ("192.0.2.7:5555", "unauthorized", false),
            ("OP-66", "device", true),
            ("X1", "no permissions", true),
        ];
        assert_eq!(list, expected.map(|(a, b, c)| (a.to_owned(), b.to_owned(), c)));
        assert_eq!(server_request("host:version").unwrap(), b"000chost:version");
        assert_eq!(server_request(&"x".repeat(0x10000)), None);
    }

    proptest! {
        #[test]
        fn any_text_is_a_list(text in any::<String>()) {
            for device in read_server_devices(&text) {
                prop_assert!(!device.serial.contains(char::is_whitespace));
            }
        }
    }
}
