//! By network: listening, announcing, offering to be paired.

use std::net::SocketAddr;
use std::sync::{Arc, PoisonError};

use tokio::io::AsyncWriteExt as _;
use tokio::net::{TcpListener, TcpStream};
use tokio::task::JoinSet;
use wibbet_adb::{AnnouncedKind, Command, MAX_DATA, Packet, read_packet};

use crate::android::PairingDialog;
use crate::daemon::{connection, talk, until_ended};
use crate::machine::{Access, Shared};

pub(crate) async fn serve(listener: TcpListener, shared: Arc<Shared>, access: Access) {
    let mut connections = JoinSet::new();
    while let Ok((socket, _)) = listener.accept().await {
        // A restarting device does not answer; closing at once comes nearest to that.
        let closed = {
            let state = shared.state();
            state.down || (access == Access::Plain && !state.switches.usb_debugging)
        };
        if closed || socket.set_nodelay(true).is_err() {
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
async fn wireless(mut socket: TcpStream, shared: &Arc<Shared>) {
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
    let listener = TcpListener::bind(at).await?;
    let address = listener.local_addr()?;
    let task = tokio::spawn(serve(listener, Arc::clone(shared), access));
    let former = shared.listening.lock().unwrap_or_else(PoisonError::into_inner).replace((address, task));
    if let Some((_, task)) = former {
        task.abort();
    }
    if let Some(network) = &shared.network {
        match access {
            Access::Air => network.announce(AnnouncedKind::Connect, &shared.instance, address),
            Access::Plain => network.announce(AnnouncedKind::Plain, &shared.instance, address),
            Access::Cable => {}
        }
    }
    Ok(address)
}

/// Opens the dialog that offers pairing under a name.
pub(crate) async fn open_dialog(
    shared: &Arc<Shared>,
    code: String,
    instance: String,
    scanned: bool,
) -> std::io::Result<PairingDialog> {
    shared.close_dialog();
    let listener = TcpListener::bind(("127.0.0.1", 0)).await?;
    let dialog = PairingDialog { code: code.clone(), address: listener.local_addr()?, scanned, instance };
    shared.state().pairing = Some(dialog.clone());
    if let Some(network) = &shared.network {
        network.announce(AnnouncedKind::Pairing, &dialog.instance, dialog.address);
    }
    let offering = Arc::clone(shared);
    let task = tokio::spawn(async move {
        crate::daemon::offer(listener, code, Arc::clone(&offering)).await;
        offering.dialog_has_closed();
    });
    *shared.dialog.lock().unwrap_or_else(PoisonError::into_inner) = Some(task);
    Ok(dialog)
}
