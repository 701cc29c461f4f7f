//! Connections to addresses: those of this computer, or others that a program has in their place.

use std::fmt;
use std::future::Future;
use std::io;
use std::pin::Pin;
use std::time::Duration;

use tokio::io::{AsyncRead, AsyncWrite};
use tokio::net::TcpStream;
use wibbet_types::Address;

/// A connection: bytes in and out.
pub trait ByteStream: AsyncRead + AsyncWrite + Send + Unpin {}

impl<S: AsyncRead + AsyncWrite + Send + Unpin> ByteStream for S {}

/// A connection that is being made.
pub type Dialling<'a> = Pin<Box<dyn Future<Output = io::Result<Box<dyn ByteStream>>> + Send + 'a>>;

/// What makes connections to addresses.
pub trait Dialer: fmt::Debug + Send + Sync {
    /// Connects to an address. How long that may take is for the caller to say.
    fn dial<'a>(&'a self, at: &'a Address) -> Dialling<'a>;
}

/// A device that leaves the network or sleeps says nothing, and systems give up after a quarter of an hour. So the
/// connection is asked whether the other side is there: after 5 s without a word, every 5 s, three times; and what was sent has
/// to be acknowledged within 15 s.
fn notice_silence(socket: &TcpStream) -> io::Result<()> {
    let socket = socket2::SockRef::from(socket);
    let every = Duration::from_secs(5);
    let asking = socket2::TcpKeepalive::new().with_time(every).with_interval(every).with_retries(3);
    socket.set_tcp_keepalive(&asking)?;
    #[cfg(any(target_os = "linux", target_os = "android"))]
    socket.set_tcp_user_timeout(Some(Duration::from_secs(15)))?;
    Ok(())
}

/// TCP, as this computer has it.
#[derive(Debug, Clone, Copy, Default)]
pub struct SystemDialer;

impl Dialer for SystemDialer {
    fn dial<'a>(&'a self, at: &'a Address) -> Dialling<'a> {
        Box::pin(async move {
            let socket = TcpStream::connect((at.host(), at.port())).await?;
            // Small packets go to and fro; waiting to fill a segment would cost 40 ms each.
            socket.set_nodelay(true)?;
            notice_silence(&socket)?;
            Ok(Box::new(socket) as Box<dyn ByteStream>)
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn a_connection_notices_when_the_other_side_is_gone() {
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let socket = TcpStream::connect(listener.local_addr().unwrap()).await.unwrap();
        notice_silence(&socket).unwrap();
        let set = socket2::SockRef::from(&socket);
        assert!(set.keepalive().unwrap());
        #[cfg(target_os = "linux")]
        {
            assert_eq!(set.tcp_keepalive_time().unwrap(), Duration::from_secs(5));
            assert_eq!(set.tcp_keepalive_interval().unwrap(), Duration::from_secs(5));
            assert_eq!(set.tcp_keepalive_retries().unwrap(), 3);
            assert_eq!(set.tcp_user_timeout().unwrap(), Some(Duration::from_secs(15)));
        }
    }
}
