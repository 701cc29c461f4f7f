//! From an open transport to an agreed connection: version, data limit, features, authorisation.

use tokio::time::{Instant, timeout, timeout_at};
use wibbet_types::PlainText;

use crate::banner::Banner;
use crate::error::LinkError;
use crate::keys::{KeyRing, TOKEN_LEN};
use crate::terms::Agreed;
use crate::timeouts::Timeouts;
use crate::transport::{PacketSink, PacketSource, plain_io};
use crate::wire::{Command, MAX_DATA, Packet, VERSION_MIN, VERSION_SKIP_CHECKSUM};

/// The version of the agreement to encrypt; there is one.
const STLS_VERSION: u32 = 0x0100_0000;

const AUTH_TOKEN: u32 = 1;

const AUTH_SIGNATURE: u32 = 2;

const AUTH_PUBLIC_KEY: u32 = 3;

/// A pipe may hold packets of a former connection; so many are dropped before giving up.
const MOST_STALE: u32 = 4096;

/// How far the making of a link has got.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Progress {
    /// The address answers, or the device is on the bus.
    Reached,
    /// Its debugging interface is there and no other program holds it.
    Free,
    /// What answers is a debugging daemon.
    Speaks,
    /// The device asks its owner whether this computer may debug it.
    AwaitingTap {
        /// The fingerprint that the device shows in its dialog.
        fingerprint: String,
    },
    /// The device has accepted this computer.
    Authorised,
}

/// How a connection begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Opening {
    /// This side introduces itself.
    Hello,
    /// It does so to what has announced an encrypted connection: anything else is not answered.
    HelloEncrypted,
    /// It has done so before the connection was encrypted; now the device does.
    Encrypted,
}

/// How it goes on.
pub(crate) enum Shaken {
    /// Both sides agreed.
    Agreed(Agreed),
    /// The device asked for an encrypted connection and was told yes: it begins behind the last packet.
    WantsTls,
}

pub(crate) async fn shake_hands<R, W>(
    from: &mut R,
    to: &mut W,
    opening: Opening,
    at: &str,
    keys: &KeyRing,
    limits: &Timeouts,
    progress: &mut (dyn FnMut(Progress) + Send),
) -> Result<Shaken, LinkError>
where
    R: PacketSource,
    W: PacketSink,
{
    if opening != Opening::Encrypted {
        let hello = Packet::new(Command::Cnxn, VERSION_SKIP_CHECKSUM, MAX_DATA, Banner::of_host());
        send(to, &hello, at, limits).await?;
    }
    let mut speaks = opening == Opening::Encrypted;
    let mut asked = false;
    let mut untried = keys.all();
    let mut stale = 0;
    // What a former connection left behind does not make the waiting longer.
    let mut deadline = Instant::now() + limits.answer;
    loop {
        let wait = if asked { limits.tap } else { limits.answer };
        let packet = match timeout_at(deadline, from.next(false)).await {
            Err(_) if asked => {
                return Err(LinkError::NotAuthorised {
                    at: at.into(),
                    why: format!("no tap on the device within {} s", wait.as_secs()),
                });
            }
            Err(_) if speaks => return Err(LinkError::lost(at, "the device fell silent while connecting")),
            Err(_) => {
                return Err(not_a_daemon(
                    at,
                    format!("it accepted the connection and said nothing for {} s", wait.as_secs()),
                ));
            }
            Ok(Err(_)) if asked => {
                return Err(LinkError::NotAuthorised { at: at.into(), why: "the device closed the connection".into() });
            }
            Ok(Err(error)) if speaks => return Err(LinkError::lost(at, plain_io(&error))),
            // A cable says why; what closes a connection at an address is no daemon.
            Ok(Err(error)) if error.kind() != std::io::ErrorKind::UnexpectedEof => {
                return Err(LinkError::lost(at, plain_io(&error)));
            }
            Ok(Err(_)) => return Err(not_a_daemon(at, "it closed the connection without a word of the protocol")),
            Ok(Ok(Err(error))) if speaks => return Err(LinkError::Broken { at: at.into(), rule: error.to_string() }),
            Ok(Ok(Err(error))) => return Err(not_a_daemon(at, error)),
            Ok(Ok(Ok(packet))) => packet,
        };
        if !speaks {
            speaks = true;
            progress(Progress::Speaks);
        }
        let may_not = match (opening, packet.command) {
            (Opening::HelloEncrypted, Command::Cnxn | Command::Auth) => {
                Some("it announced an encrypted connection, and does not encrypt")
            }
            // There the certificate has shown the key; a token could be anybody's, to be passed on.
            (Opening::Encrypted, Command::Auth) => Some("it asks for a signature within the encrypted connection"),
            _ => None,
        };
        if let Some(rule) = may_not {
            return Err(LinkError::Broken { at: at.into(), rule: rule.into() });
        }
        match (packet.command, packet.arg0) {
            (Command::Cnxn, version) => {
                if version < VERSION_MIN || packet.arg1 == 0 {
                    let rule = format!("version {version:#x} with {} bytes a packet", packet.arg1);
                    return Err(LinkError::Broken { at: at.into(), rule });
                }
                progress(Progress::Authorised);
                return Ok(Shaken::Agreed(Agreed {
                    banner: Banner::read(&packet.data),
                    max_data: packet.arg1.min(MAX_DATA),
                    checksum: version.min(VERSION_SKIP_CHECKSUM) < VERSION_SKIP_CHECKSUM,
                }));
            }
            (Command::Auth, AUTH_TOKEN) if !asked => {
                let Ok(token) = <[u8; TOKEN_LEN]>::try_from(packet.data.as_slice()) else {
                    let rule = format!("a token of {} bytes", packet.data.len());
                    return Err(LinkError::Broken { at: at.into(), rule });
                };
                let answer = match untried.next() {
                    Some(key) => {
                        let signature =
                            key.sign(&token).map_err(|e| LinkError::Broken { at: at.into(), rule: e.to_string() })?;
                        Packet::new(Command::Auth, AUTH_SIGNATURE, 0, signature)
                    }
                    None => {
                        asked = true;
                        let public = keys.own().public();
                        progress(Progress::AwaitingTap { fingerprint: public.fingerprint() });
                        Packet::new(Command::Auth, AUTH_PUBLIC_KEY, 0, format!("{}\0", public.line()))
                    }
                };
                send(to, &answer, at, limits).await?;
                deadline = Instant::now() + if asked { limits.tap } else { limits.answer };
            }
            (Command::Stls, _) => {
                send(to, &Packet::new(Command::Stls, STLS_VERSION, 0, []), at, limits).await?;
                return Ok(Shaken::WantsTls);
            }
            // What a former connection left in the pipe, or a token while the dialog is open.
            _ => {
                stale += 1;
                if stale > MOST_STALE {
                    return Err(LinkError::Broken {
                        at: at.into(),
                        rule: "packets, but no answer to the connection".into(),
                    });
                }
            }
        }
    }
}

async fn send<W: PacketSink>(to: &mut W, packet: &Packet, at: &str, limits: &Timeouts) -> Result<(), LinkError> {
    match timeout(limits.answer, to.put(packet, true)).await {
        Ok(sent) => sent.map_err(|e| LinkError::lost(at, plain_io(&e))),
        Err(_) => Err(LinkError::lost(at, "it takes no data")),
    }
}

fn not_a_daemon(at: &str, why: impl ToString) -> LinkError {
    LinkError::NotADaemon { at: at.into(), why: PlainText::short(&why.to_string()).into_string() }
}
