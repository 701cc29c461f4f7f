//! A task beside the session's own.

use std::future::Future;

use tokio::task::JoinHandle;

/// A task beside the session, which ends with it.
#[derive(Default)]
pub(crate) struct BackgroundTask(Option<JoinHandle<()>>);

impl BackgroundTask {
    pub(super) fn start(&mut self, work: impl Future<Output = ()> + Send + 'static) {
        self.stop();
        self.0 = Some(tokio::spawn(work));
    }

    pub(super) fn stop(&mut self) {
        if let Some(task) = self.0.take() {
            task.abort();
        }
    }
}

impl Drop for BackgroundTask {
    fn drop(&mut self) {
        self.stop();
    }
}
