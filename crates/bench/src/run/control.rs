//! What somebody has asked of a run that is going on.

use tokio::sync::watch;

/// What a run is to do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Control {
    /// Go on.
    #[default]
    Go,
    /// Send nothing more for now. What is on its way is finished and read back; the run stays open, and the device its own.
    Pause,
    /// End, once what is on its way is finished and read back. The run can be carried on.
    Stop,
}

/// Waits until somebody asks to stop.
pub(crate) async fn stopped(mut control: watch::Receiver<Control>) {
    if control.wait_for(|control| *control == Control::Stop).await.is_err() {
        // A sender that has gone cannot stop anything any more.
        std::future::pending::<()>().await;
    }
}

/// Waits until something else is asked than a pause, or whoever asked has gone.
pub(super) async fn goes_on(mut control: watch::Receiver<Control>) {
    let _ = control.wait_for(|control| *control != Control::Pause).await;
}
