//! Connections to addresses: those of this computer, or others that a program has in their place.

use std::fmt;
use std::future::Future;
use std::io;
use std::pin::Pin;

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

/// TCP, as this computer has it.
#[derive(Debug, Clone, Copy, Default)]
pub struct SystemDialer;

impl Dialer for SystemDialer {
    fn dial<'a>(&'a self, at: &'a Address) -> Dialling<'a> {
        Box::pin(async move {
            let socket = TcpStream::connect((at.host(), at.port())).await?;
            // Small packets go to and fro; waiting to fill a segment would cost 40 ms each.
            socket.set_nodelay(true)?;
            Ok(Box::new(socket) as Box<dyn ByteStream>)
        })
    }
}
