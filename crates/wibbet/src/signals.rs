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
    #[cfg(windows)]
    {
        use tokio::signal::windows::{ctrl_break, ctrl_close, ctrl_logoff, ctrl_shutdown};
        // The system waits some seconds before it ends the program all the same.
        if let (Ok(mut closed), Ok(mut off), Ok(mut down), Ok(mut stop)) =
            (ctrl_close(), ctrl_logoff(), ctrl_shutdown(), ctrl_break())
        {
            tokio::select! {
                _ = closed.recv() => {}
                _ = off.recv() => {}
                _ = down.recv() => {}
                _ = stop.recv() => {}
            }
            return;
        }
    }
    std::future::pending().await
}

/// Ctrl-C, each time that it is pressed from the beginning on: also while something else is being done between two times of waiting for it.
#[derive(Debug)]
pub(crate) struct Interrupts(#[cfg(unix)] Option<tokio::signal::unix::Signal>);

impl Interrupts {
    /// Begins to listen.
    pub(crate) fn listen() -> Self {
        #[cfg(unix)]
        {
            Self(tokio::signal::unix::signal(tokio::signal::unix::SignalKind::interrupt()).ok())
        }
        #[cfg(not(unix))]
        {
            Self()
        }
    }

    /// Waits until it is pressed again.
    pub(crate) async fn next(&mut self) {
        #[cfg(unix)]
        if let Some(signal) = &mut self.0
            && signal.recv().await.is_some()
        {
            return;
        }
        #[cfg(not(unix))]
        if tokio::signal::ctrl_c().await.is_ok() {
            return;
        }
        std::future::pending().await
    }
}
