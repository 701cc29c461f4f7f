//! What carries packets: a stream of bytes (TCP, with or without TLS), or the transfers of a USB cable.

pub(crate) mod bulk;
pub(crate) mod network;
pub(crate) mod server;
pub(crate) mod usb;

use std::future::Future;
use std::io;

use tokio::io::{AsyncRead, AsyncWrite, AsyncWriteExt as _};

use crate::wire::{MAX_DATA, Packet, WireError, read_packet};

/// Where packets come from. The outer error is the transport's, the inner one the packet's.
pub(crate) trait PacketSource: Send {
    /// The next packet.
    fn next(&mut self, strict: bool) -> impl Future<Output = io::Result<Result<Packet, WireError>>> + Send;
}

/// Where packets go.
pub(crate) trait PacketSink: Send {
    /// Sends a packet.
    fn put(&mut self, packet: &Packet, checksum: bool) -> impl Future<Output = io::Result<()>> + Send;
}

/// Packets one after the other in a stream of bytes. It never reads further than a packet's end, so that a stream can
/// be turned into an encrypted one between two packets.
pub(crate) struct Bytes<S>(pub(crate) S);

impl<R: AsyncRead + Unpin + Send> PacketSource for Bytes<R> {
    async fn next(&mut self, strict: bool) -> io::Result<Result<Packet, WireError>> {
        read_packet(&mut self.0, MAX_DATA, strict).await
    }
}

impl<W: AsyncWrite + Unpin + Send> PacketSink for Bytes<W> {
    async fn put(&mut self, packet: &Packet, checksum: bool) -> io::Result<()> {
        self.0.write_all(&packet.encode(checksum)).await?;
        self.0.flush().await
    }
}

/// What the system said of a connection, in words.
pub(crate) fn plain_io(error: &io::Error) -> String {
    use io::ErrorKind as Kind;
    if let Some(tls) = tls_error(error) {
        return match tls {
            rustls::Error::AlertReceived(alert) => format!("it ended the encrypted connection ({alert:?})"),
            other => format!("it does not speak TLS as it should ({other})"),
        };
    }
    match error.kind() {
        Kind::ConnectionRefused => "the connection was refused".into(),
        Kind::UnexpectedEof => "the other side closed it".into(),
        Kind::ConnectionReset | Kind::BrokenPipe | Kind::ConnectionAborted => "it was reset".into(),
        Kind::HostUnreachable | Kind::NetworkUnreachable => "there is no way to it on the network".into(),
        Kind::TimedOut => "nothing came in time".into(),
        _ => error.to_string(),
    }
}

/// The TLS library's error inside of an I/O error.
pub(crate) fn tls_error(error: &io::Error) -> Option<&rustls::Error> {
    error.get_ref().and_then(|inner| inner.downcast_ref())
}
