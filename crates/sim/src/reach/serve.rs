//! By network: listening, announcing, offering to be paired.

use std::net::SocketAddr;
use std::sync::{Arc, PoisonError};

use tokio::io::AsyncWriteExt as _;
use tokio::task::JoinSet;
use wibbet_adb::{AnnouncedKind, ByteStream, Command, MAX_DATA, Packet, read_packet};

use super::listener::Listener;
use crate::android::PairingDialog;
use crate::daemon::{connection, talk, until_ended};
use crate::machine::{Access, Shared};

/// A dialog takes so many wrong codes before it closes.
const MOST_TRIES: u32 = 20;

async fn serve(mut listener: Listener, shared: Arc<Shared>, access: Access) {
    let mut connections = JoinSet::new();
    while let Ok(socket) = listener.accept().await {
        // A restarting device does not answer; closing at once comes nearest to that.
        let closed = {
            let state = shared.state();
            state.down || (access == Access::Plain && !state.switches.usb_debugging)
        };
        if closed {
            continue;
        }
        let shared = Arc::clone(&shared);
        connections.spawn(async move {
            match access {
                Access::Air => wireless(socket, &shared).await,
                _ => connection(socket, &shared, access).await,
            }
        });
        while connections.try_join_next().is_some() {}
    }
}

/// The beginning of wireless debugging: hello, encrypt, encrypted; then the device introduces itself.
async fn wireless(mut socket: Box<dyn ByteStream>, shared: &Arc<Shared>) {
    let Ok(Ok(hello)) = read_packet(&mut socket, MAX_DATA, false).await else { return };
    if hello.command != Command::Cnxn {
        return;
    }
    let please = Packet::new(Command::Stls, 0x0100_0000, 0, []);
    if socket.write_all(&please.encode(false)).await.is_err() {
        return;
    }
    match read_packet(&mut socket, MAX_DATA, false).await {
        Ok(Ok(yes)) if yes.command == Command::Stls => {}
        _ => return,
    }
    if let Some(stream) = crate::daemon::encrypt(socket, shared).await {
        until_ended(shared, Access::Air, talk(stream, shared, Some(hello.arg1))).await;
    }
}

/// Listens, and announces where.
pub(crate) async fn listen(shared: &Arc<Shared>, at: SocketAddr, access: Access) -> std::io::Result<SocketAddr> {
    let (address, listener) = Listener::bind(at, shared.memory()).await?;
    let task = tokio::spawn(serve(listener, Arc::clone(shared), access));
    let former = shared.listening.lock().unwrap_or_else(PoisonError::into_inner).replace((address, task));
    if let Some((_, task)) = former {
        task.abort();
    }
    if let Some(network) = &shared.network {
        match access {
            Access::Air => network.announce(AnnouncedKind::Connect, &shared.announced_name(), address),
            Access::Plain => network.announce(AnnouncedKind::Plain, &shared.instance, address),
            Access::Cable => {}
        }
    }
    Ok(address)
}

/// Serves pairing until a computer has been paired, too many codes were wrong, or the dialog is closed (the task is
/// dropped then).
async fn offer(listener: &mut Listener, code: &str, shared: &Arc<Shared>) {
    for _ in 0..MOST_TRIES {
        let Ok(socket) = listener.accept().await else { return };
        if crate::daemon::pair_on(socket, code, shared).await {
            return;
        }
    }
}

/// Opens the dialog that offers pairing under a name.
pub(crate) async fn open_dialog(
    shared: &Arc<Shared>,
    code: String,
    instance: String,
    scanned: bool,
) -> std::io::Result<PairingDialog> {
    shared.close_dialog();
    let (address, mut listener) = Listener::bind((shared.listens, 0).into(), shared.memory()).await?;
    let dialog = PairingDialog { code: code.clone(), address, scanned, instance };
    shared.state().pairing = Some(dialog.clone());
    if let Some(network) = &shared.network {
        network.announce(AnnouncedKind::Pairing, &dialog.instance, dialog.address);
    }
    let offering = Arc::clone(shared);
    let task = tokio::spawn(async move {
        offer(&mut listener, &code, &offering).await;
        offering.dialog_has_closed();
    });
    *shared.dialog.lock().unwrap_or_else(PoisonError::into_inner) = Some(task);
    Ok(dialog)
}
