//! The device side of the protocol. It is given its connections.

mod connection;
mod pairing;
mod services;
mod sync;
mod tls;

pub(crate) use connection::{connection, talk, until_ended};
pub(crate) use pairing::pair_on;
pub(crate) use tls::encrypt;
