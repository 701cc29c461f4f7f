//! Being asked to end from outside.

/// Waits until the system asks the program to end: its terminal is closed, or it is told to
/// terminate.
pub(crate) async fn terminated() {
    #[cfg(unix)]
    {
        use tokio::signal::unix::{SignalKind, signal};
        if let (Ok(mut term), Ok(mut hangup)) = (signal(SignalKind::terminate()), signal(SignalKind::hangup())) {
            tokio::select! {
                _ = term.recv() => {}
                _ = hangup.recv() => {}
            }
            return;
        }
    }
    std::future::pending().await
}
