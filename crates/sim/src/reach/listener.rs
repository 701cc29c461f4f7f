//! Where connections come in: a port of this computer, or an address of a network in memory.

use std::io;
use std::net::{Ipv4Addr, SocketAddr};

use tokio::net::TcpListener;
use wibbet_adb::ByteStream;

use crate::line::{MemoryListener, SimNetwork};

/// Where connections come in.
pub(crate) enum Listener {
    Tcp(TcpListener),
    Memory(MemoryListener),
}

impl Listener {
    /// Listens at an address of this computer, or anywhere on a network in memory.
    pub(crate) async fn bind(at: SocketAddr, memory: Option<&SimNetwork>) -> io::Result<(SocketAddr, Self)> {
        match memory {
            Some(network) => {
                let (at, listener) = network.listen();
                Ok((at, Self::Memory(listener)))
            }
            None => {
                let listener = TcpListener::bind(at).await?;
                let mut at = listener.local_addr()?;
                // What listens everywhere is named by the address at which this computer itself has it.
                if at.ip().is_unspecified() {
                    at.set_ip(Ipv4Addr::LOCALHOST.into());
                }
                Ok((at, Self::Tcp(listener)))
            }
        }
    }

    /// The next connection.
    pub(crate) async fn accept(&mut self) -> io::Result<Box<dyn ByteStream>> {
        match self {
            Self::Tcp(listener) => {
                let (socket, _) = listener.accept().await?;
                // One that is gone again already is found out by reading from it.
                let _ = socket.set_nodelay(true);
                Ok(Box::new(socket))
            }
            Self::Memory(listener) => Ok(Box::new(listener.accept().await?)),
        }
    }
}
